/// core/response/sine_run.h: peaks of all that is watched under one sine input, and what explains them.
#pragma once

#include "core/response/excited.h"
#include "core/response/outcome.h"

namespace avrenk {

/// One row for each watched quantity.
/// @param after  the outcome of the static environment that acts at the same time, or nullptr
[[nodiscard]] SineAnswers run_sine(const Excited& excited, const std::vector<Watched>& watched, const Outcome* after);

}  // namespace avrenk
