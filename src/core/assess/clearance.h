/// core/assess/clearance.h: how much of a gap a motion takes up, and how much it opens.
#pragma once

#include "core/response/case_results.h"

namespace avrenk {

/// Of the pair of nodes of a clearance that is left the least. A vibration closes a gap as far as it opens it; a static
/// motion does one of the two.
struct Clearance {
  double gap = 0;      ///< m, before anything moves
  double closing = 0;  ///< m, motion that takes it up; negative where a static motion leaves it wider at all times
  double opening = 0;  ///< m
  std::string where;
  [[nodiscard]] double left() const { return gap - closing; }
};

/// @param watched  a clearance, `index` its row in the outcome
/// @param still    the static environment that acts at the same time, or nullptr
/// @param scale    factor on the vibration: n of n sigma, an upper tolerance
/// Of a sine with several pairs the motion of the worst is taken for each of them, which is never low.
[[nodiscard]] Clearance clearance_of(const Output& watched, std::size_t index, const CaseResults& outcome,
                                     const CaseResults* still, double scale);

}  // namespace avrenk
