/// core/log_interpolation.h: tables over a positive number, straight lines over its logarithm, constant outside.
#pragma once

#include <utility>
#include <vector>

namespace avrenk {

/// x > 0, ascending, and what stands beside it.
using LogTable = std::vector<std::pair<double, double>>;

/// y at x. @pre there is a point
[[nodiscard]] double log_interpolation(const LogTable& points, double x);

/// dy/dx at x by the line that holds around `inside`.
[[nodiscard]] double log_interpolation_slope(const LogTable& points, double x, double inside);

}  // namespace avrenk
