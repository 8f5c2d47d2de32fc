/// results/run_files.h: what a finished analysis writes: tables, curves, levels, records, summary, figures, fields,
/// report, kept modes and the plan, into one folder.
#pragma once

#include "analysis/analysis.h"
#include "core/progress.h"
#include "files/run_folder.h"
#include "files/summary.h"
#include "results/run_tables.h"
#include "results/test_sheets.h"

namespace avrenk {

/// How a run is to be written.
struct WriteRequest {
  std::string command;                       ///< "run"
  std::string verdict;                       ///< @see verdict_of
  KeptPlan plan;                             ///< @see kept_plan
  bool model = false, modes = false;         ///< figures of them
  bool responses = false, overview = false;  ///< figures of responses; of inputs too, and the report
  bool figures = true;                       ///< any at all, with fields
  bool complex = false;                      ///< curves of real and imaginary parts too
  int threads = 0;
};

/// What later questions need: the plan as it was read, with all its files and overrides.
[[nodiscard]] KeptPlan kept_plan(const Analysis& analysis, const std::vector<Override>& overrides);

/// "2026-11-29 10:46", for heads of pages.
[[nodiscard]] std::string now_in_words();

/// Each table as tables/NAME.csv, and summary.json.
void write_summary(const Summary& summary, const RunFolder& folder);

/// Inputs that limits lower, as profiles: levels/CASE.csv.
void write_notched_levels(const Responses& responses, const RunFolder& folder);

/// Tables as CSV, curves, test sheets, levels, records in time, summary.json and the plan.
void write_tables(const Analysis& analysis, const RunTables& tables, const std::vector<TestSheet>& sheets,
                  const WriteRequest& request, const RunFolder& folder);

/// Figures, fields and report, if they are wanted, and the modes for later runs.
/// @return  why there are no figures, if they could not be drawn: the rest is worth keeping; else empty
[[nodiscard]] std::string write_for_readers(const Analysis& analysis, const RunTables& tables,
                                            const WriteRequest& request, const RunFolder& folder,
                                            const Progress& progress);

/// README.md: what lies in the folder, for whoever opens it without having made it.
void write_readme(const Analysis& analysis, const WriteRequest& request, const RunFolder& folder);

}  // namespace avrenk
