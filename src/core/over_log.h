/// core/over_log.h: tables over a positive number, straight lines over its logarithm, constant outside.
#pragma once

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

namespace avrenk {

/// x > 0, ascending, and what stands beside it.
using PointsOverLog = std::vector<std::pair<double, double>>;

namespace detail {

/// The stretch that holds `inside`: its ends, nullptr beyond the first and the last point.
inline std::pair<const std::pair<double, double>*, const std::pair<double, double>*> stretch_around(
    const PointsOverLog& points, double inside) {
  const auto above =
      std::upper_bound(points.begin(), points.end(), inside, [](double x, const auto& row) { return x < row.first; });
  if (above == points.begin() || above == points.end()) return {nullptr, nullptr};
  return {&*(above - 1), &*above};
}

}  // namespace detail

/// y at x. @pre there is a point
[[nodiscard]] inline double over_log(const PointsOverLog& points, double x) {
  if (x <= points.front().first) return points.front().second;
  const auto [below, above] = detail::stretch_around(points, x);
  if (!below) return points.back().second;
  const double part = std::log(x / below->first) / std::log(above->first / below->first);
  return below->second + part * (above->second - below->second);
}

/// dy/dx at x by the line that holds around `inside`.
[[nodiscard]] inline double slope_over_log(const PointsOverLog& points, double x, double inside) {
  const auto [below, above] = detail::stretch_around(points, inside);
  return below ? (above->second - below->second) / (std::log(above->first / below->first) * x) : 0;
}

}  // namespace avrenk
