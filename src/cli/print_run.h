/// cli/print_run.h: what a finished analysis prints; results/run_files.h writes it.
#pragma once

#include "analysis/analysis.h"
#include "cli/request.h"
#include "cli/terminal.h"
#include "files/run_folder.h"
#include "files/summary.h"

namespace avrenk {

/// The folder a command writes to: --out, or beside the plan "PLAN-results" (run) or "PLAN-COMMAND-results", so that a
/// quick look at one thing never replaces a whole run.
[[nodiscard]] std::filesystem::path result_folder(const Request& request, const std::string& plan,
                                                  const std::string& command);

/// Where the modes of this model may stand: in the folder about to be replaced, and in that of the plan's whole run.
[[nodiscard]] std::vector<std::filesystem::path> kept_results(const Request& request, const std::string& plan,
                                                              const std::string& command);

/// What of the analysis a command shows.
struct OutputSelection {
  const char* command;
  bool mass = false, modes = false, peaks = false, overview = false;
};

/// Prints the tables, writes CSV, summary.json and figures into the folder, and says the verdict.
ExitStatus finish(const Analysis& analysis, const OutputSelection& shown, const Request& request, RunFolder& folder,
                  Terminal& terminal);

/// Puts the folder of results in its place, and says where it is.
void commit_results(RunFolder& folder, Terminal& terminal);

/// What `work` returns; errors of the core are given their place in the plan.
template <typename Work>
auto with_places(const Plan& plan, const Work& work) {
  try {
    return work();
  } catch (const InputError& error) {
    throw plan.located(error);
  }
}

}  // namespace avrenk
