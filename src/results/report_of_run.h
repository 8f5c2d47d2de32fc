/// results/report_of_run.h: the sections of the report, in the order in which a reviewer asks.
#pragma once

#include <functional>

#include "figures/report.h"
#include "results/drawings.h"
#include "results/run_tables.h"

namespace avrenk {

/// What the report says beside the analysis itself.
struct ReportContext {
  std::string verdict, command, date;
  std::vector<std::string> overrides;  ///< "damping.otherwise=2 %"
  std::string trouble;                 ///< which figures are missing and why; empty: none
};

/// The lines of a text file, for a listing. @throws FileError  it cannot be read
[[nodiscard]] std::vector<std::string> lines_of_file(const std::filesystem::path& file);

/// @param drawings  those that were drawn into the folder; their files are read from there
/// @throws FileError  a figure or the plan cannot be read
[[nodiscard]] Report report_of_run(const Analysis& analysis, const RunTables& tables,
                                   const std::vector<Drawing>& drawings, const RunFolder& folder,
                                   const ReportContext& context);

/// Cases by what is said of them, in their order: each text with the cases of which it is true, "x, y". Cases combined,
/// of which nothing is said, are left out.
[[nodiscard]] std::vector<std::pair<std::string, std::string>> cases_by_text(
    const std::vector<const CaseResults*>& cases, const std::function<std::string(const CaseResults&)>& text);

/// RMS of the inputs of random cases; of each where they differ: "5.23 g", "cold: 3 N; warm: 4 N".
[[nodiscard]] std::string inputs_rms_in_words(const std::vector<const CaseResults*>& cases, const Show& show);

}  // namespace avrenk
