/// cli/analysis.h: the pipeline from a plan to findings, stage by stage, with its times.
#pragma once

#include <filesystem>
#include <functional>
#include <optional>

#include "cli/request.h"
#include "cli/terminal.h"
#include "core/check/finding.h"
#include "core/mesh/resolution.h"
#include "core/mesh/surface.h"
#include "core/modes/mode_content.h"
#include "core/response/audit.h"
#include "core/response/stress_survey.h"
#include "files/model_print.h"
#include "plan/plan.h"

namespace avrenk {

/// How long a stage took.
struct StageTime {
  std::string stage;
  double seconds = 0;
};

/// All that a command works with; not moved once made, because its parts refer to one another.
struct Analysis {
  Plan plan;
  System system;
  ModalBasis basis;
  ModalDamping damping;
  std::optional<StressStations> stations;  ///< of shells and solids
  StressSurvey stress;
  Surface surface;                ///< of shells and solids, for pictures
  std::vector<MeshReach> reach;   ///< of each part
  std::vector<Finding> findings;  ///< about materials, masses and meshes
  std::vector<Watched> watched;
  std::vector<Outcome> outcomes;
  std::vector<LimitResult> limits;
  std::vector<AuditedAnswer> audit;   ///< modal answers beside the full equations
  std::string audit_note;             ///< why there is none, or what it took
  std::vector<ModeContent> contents;  ///< of every mode
  std::vector<std::string> warnings;
  std::vector<StageTime> times;
  int threads = 0;                   ///< 0: one a processor
  ModelPrint model;                  ///< fingerprint of what the modes depend on
  std::filesystem::path modes_from;  ///< the file that the modes were taken from; empty: they were computed
  std::string modes_note;            ///< whether they were taken or computed anew, and why
  bool counted_more = false;         ///< a pivot count was made that the file does not have

  Analysis() = default;
  Analysis(const Analysis&) = delete;
  Analysis& operator=(const Analysis&) = delete;

  /// "1.5 % of critical …; 34 modes to 3000 Hz": the subtitle of figures.
  [[nodiscard]] std::string heading() const;
  [[nodiscard]] bool all_met() const;
};

/// "57 modes below 3000 Hz, complete by inertia count …": the proof of the modes, for tables and the report.
[[nodiscard]] std::string proof_in_words(const Analysis& analysis);
/// The largest error of the audit, and what it holds.
[[nodiscard]] std::string audit_in_words(const Analysis& analysis);

void load(Analysis& analysis, const std::string& file, const Request& request);
/// Assembles, and takes the modes from the first of the files that holds those of the same model, or solves for them.
/// Damping and channels are made anew. @param kept  results of earlier runs, looked at in this order
void solve(Analysis& analysis, Terminal& terminal, const std::vector<std::filesystem::path>& kept);
/// Runs the chosen environments, all axes, on two threads; `chosen` empty: all of the type (or of both).
/// @throws InputError  a name that is no environment
void excite(Analysis& analysis, std::optional<Environment::Type> type, std::span<const std::string> chosen,
            const Request& request, Terminal& terminal);
void assess(Analysis& analysis);
/// Solves the full equations at a few frequencies, where there are responses and it takes seconds or was asked for.
void audit_truncation(Analysis& analysis, const Request& request, Terminal& terminal);

}  // namespace avrenk
