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
/// them. Where springs depend on amplitude, or the places of the worst stress on the input, it is looked for again with
/// those of what is applied until the limits are kept, at most a few times: what is not kept then is told.
[[nodiscard]] NotchedCases notch_cases(const DampedModel& model, const Cases& cases, const Progress& progress = {});

/// What is applied in place of the same cases of another state of the model, as it was found there.
[[nodiscard]] std::vector<NotchedInput> apply_as_found(const Cases& cases, const std::vector<NotchedInput>& found);

/// Behind each case the same with what is applied in its place, where there is such.
[[nodiscard]] Cases with_notched(Cases cases, const std::vector<NotchedInput>& notched);

}  // namespace avrenk
