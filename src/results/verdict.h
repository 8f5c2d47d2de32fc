/// results/verdict.h: what the limits say in one sentence.
#pragma once

#include <string>

#include "analysis/analysis.h"

namespace avrenk {

/// "all 7 limits are met; the smallest margin is 12 %, tip clearance", and how many of them nothing that was run can
/// answer.
[[nodiscard]] std::string verdict_of(const Analysis& analysis);

}  // namespace avrenk
