/// analysis/spring_summaries.h: what is said of springs that depend on frequency and amplitude.
#pragma once

#include "analysis/analysis.h"
#include "files/spring_tables.h"

namespace avrenk {

/// The modes with them and with variants, and what they are: every one in each case, or the one that moves farthest.
[[nodiscard]] std::vector<Table> spring_tables_of(const Analysis& analysis, bool farthest_only);

/// Margins with variants, that have any.
[[nodiscard]] std::vector<NamedMargins> margins_of_variants(const Analysis& analysis);

/// Convergence and jumps of those that depend on amplitude, tables that end inside what was run, sweeps that are not
/// slow: added to a report.
void report_springs(const Responses& responses, StageReport& report);

}  // namespace avrenk
