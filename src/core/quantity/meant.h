/// core/quantity/meant.h: numbers that can be meant: others make squares and products that leave the range of all
/// numbers.
#pragma once

#include "core/algebra.h"

namespace avrenk {

/// Sizes in SI that some structure may have; zero may be meant too.
inline constexpr double most_meant = 1e30, least_meant = 1e-45;

/// Whether all entries are finite, and none is larger than can be meant.
template <typename Matrix>
[[nodiscard]] bool can_be_meant(const Matrix& matrix) {
  return matrix.size() == 0 || (matrix.allFinite() && matrix.cwiseAbs().maxCoeff() <= most_meant);
}

}  // namespace avrenk
