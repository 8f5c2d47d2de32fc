/// core/response/sine_run.h: peaks of all that is watched under one sine input, and what explains them.
#pragma once

#include <span>

#include "core/response/excited.h"
#include "core/response/outcome.h"

namespace avrenk {

/// A watched quantity whose peak is wanted together with a static answer, which has the same candidates.
struct StaticSum {
  std::size_t watched = 0;
  const Outcome* at_rest = nullptr;
  friend bool operator==(const StaticSum&, const StaticSum&) = default;
};

/// One row for each watched quantity.
[[nodiscard]] SineAnswers run_sine(const Excited& excited, const std::vector<Watched>& watched,
                                   std::span<const StaticSum> sums = {});

}  // namespace avrenk
