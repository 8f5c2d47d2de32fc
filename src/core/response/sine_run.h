/// core/response/sine_run.h: peaks of all that is watched under one sine input, and what explains them.
#pragma once

#include "core/response/environment.h"

namespace avrenk {

/// Adds one row for each watched quantity.
/// @param after  the outcome of the steady environment that acts at the same time, or nullptr
void run_sine(const Excited& excited, const std::vector<Watched>& watched, const Outcome* after, Outcome& outcome);

}  // namespace avrenk
