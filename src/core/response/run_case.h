/// core/response/run_case.h: one case of an environment, from what it does to the model to the answers of all that is
/// watched.
#pragma once

#include "core/response/case_results.h"
#include "core/response/sine_run.h"

namespace avrenk {

/// Peaks, RMS or static values of all that is watched. A covariance is refined where they need it. Of a static case
/// motions are relative to the base, which stands still; nodes have no velocity and no acceleration.
/// @param sums  peaks of a sine that are wanted together with static answers as well
/// @throws NumericalError  an answer is not finite: says which, and where
[[nodiscard]] CaseResults run_case(CaseResponse& excited, const std::vector<Output>& watched,
                                   std::span<const StaticSum> sums = {});

}  // namespace avrenk
