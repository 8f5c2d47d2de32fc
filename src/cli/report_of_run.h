/// cli/report_of_run.h: the sections of the report, in the order in which a reviewer asks.
#pragma once

#include "cli/drawings.h"
#include "figures/report.h"

namespace avrenk {

/// What the report says beside the analysis itself.
struct ReportContext {
  std::string verdict, command, date;
  std::vector<std::string> overrides;  ///< "damping.otherwise=2 %"
  std::string trouble;                 ///< why there are no figures; empty: they stand in the folder
};

/// @param drawings  those that were drawn into the folder; their files are read from there
/// @throws FileError  a figure or the plan cannot be read
[[nodiscard]] Report report_of_run(const Analysis& analysis, const std::vector<Drawing>& drawings,
                                   const RunFolder& folder, const ReportContext& context);

}  // namespace avrenk
