/// core/response/sine_run.h: peaks of all that is watched under one sine input, and what explains them.
#pragma once

#include <span>

#include "core/response/case_response.h"
#include "core/response/case_results.h"

namespace avrenk {

/// A watched quantity whose peak is wanted together with a static answer, which has the same candidates.
struct StaticSum {
  std::size_t watched = 0;
  const CaseResults* at_rest = nullptr;
  friend bool operator==(const StaticSum&, const StaticSum&) = default;
};

/// One row for each watched quantity.
[[nodiscard]] SineAnswers run_sine(const CaseResponse& excited, const std::vector<Output>& watched,
                                   std::span<const StaticSum> sums = {});

}  // namespace avrenk
