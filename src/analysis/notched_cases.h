/// analysis/notched_cases.h: inputs that limits lower.
#pragma once

#include "analysis/case_groups.h"
#include "core/assess/notch.h"

namespace avrenk {

struct NotchedCases {
  std::vector<NotchedInput> notched;  ///< inputs that limits lower, and what is applied in their place
  StageReport report{};
};

/// Finds what the limits that ask for notches look at, under what is specified, and lowers the input where it passes
/// them.
[[nodiscard]] NotchedCases notch_cases(const DampedModel& model, const Cases& cases, const Progress& progress = {});

/// Behind each case the same with what is applied in its place, where there is such.
[[nodiscard]] Cases with_notched(Cases cases, const std::vector<NotchedInput>& notched);

}  // namespace avrenk
