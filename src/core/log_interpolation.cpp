#include "core/log_interpolation.h"

#include <algorithm>
#include <cmath>

namespace avrenk {

namespace {

// The stretch that holds `inside`: its ends, nullptr beyond the first and the last point.
std::pair<const std::pair<double, double>*, const std::pair<double, double>*> stretch_around(const LogTable& points,
                                                                                             double inside) {
  const auto above =
      std::upper_bound(points.begin(), points.end(), inside, [](double x, const auto& row) { return x < row.first; });
  if (above == points.begin() || above == points.end()) return {nullptr, nullptr};
  return {&*(above - 1), &*above};
}

}  // namespace

double log_interpolation(const LogTable& points, double x) {
  if (x <= points.front().first) return points.front().second;
  const auto [below, above] = stretch_around(points, x);
  if (!below) return points.back().second;
  const double part = std::log(x / below->first) / std::log(above->first / below->first);
  return below->second + part * (above->second - below->second);
}

double log_interpolation_slope(const LogTable& points, double x, double inside) {
  const auto [below, above] = stretch_around(points, inside);
  return below ? (above->second - below->second) / (std::log(above->first / below->first) * x) : 0;
}

}  // namespace avrenk
