/// core/response/run_case.h: one case of an environment, from what it does to the model to the answers of all that is
/// watched.
#pragma once

#include "core/response/outcome.h"
#include "core/response/sine_run.h"

namespace avrenk {

/// Peaks, RMS or static values of all that is watched. A covariance is refined where they need it. Of a static case
/// motions are relative to the base, which stands still; nodes have no velocity and no acceleration.
/// @param sums  peaks of a sine that are wanted together with static answers as well
[[nodiscard]] Outcome run_case(Excited& excited, const std::vector<Watched>& watched,
                               std::span<const StaticSum> sums = {});

}  // namespace avrenk
