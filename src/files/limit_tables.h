/// files/limit_tables.h: limits, requirements and clearances as tables.
#pragma once

#include "core/assess/limits.h"
#include "core/quantity/show.h"
#include "files/table.h"

namespace avrenk {

/// "met", "EXCEEDED" or "NOT ANSWERED".
[[nodiscard]] std::string verdict_word(const LimitResult& result);
/// "54.12 to 55.97 Hz": the bands in which a sine exceeds it; empty where none is known.
[[nodiscard]] std::string exceeded_over(const LimitResult& result, const Show& show);
/// Limits with their margins, worst first.
[[nodiscard]] Table limit_table(const std::vector<LimitResult>& results, const Show& show);
/// Requirement by requirement the verdict and worst margin of the limits that show it; without rows where no limit
/// names one.
[[nodiscard]] Table compliance_table(const std::vector<Limit>& limits, const std::vector<LimitResult>& results);

/// What is left of each gap in each environment, and with the static ones that act besides or that limits add; no rows
/// without clearances.
[[nodiscard]] Table clearance_table(const std::vector<CaseResults>& outcomes, const std::vector<Output>& watched,
                                    const std::vector<Limit>& limits, const Show& show);

}  // namespace avrenk
