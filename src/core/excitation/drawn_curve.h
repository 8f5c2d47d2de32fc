/// core/excitation/drawn_curve.h: a curve between its points, as it is drawn.
#pragma once

#include <span>
#include <vector>

#include "core/excitation/profile.h"

namespace avrenk {

/// Straight lines on log-log paper between points; on plain paper where one of them is zero, which no such line
/// reaches. Zero outside. Holds references to the points: two at least, ascending.
class DrawnCurve {
 public:
  DrawnCurve(std::span<const double> grid, std::span<const double> values);
  [[nodiscard]] double at(double frequency) const;
  /// Area below it from its first point to a frequency.
  [[nodiscard]] double area_to(double frequency) const;

 private:
  [[nodiscard]] PowerLaw stretch(std::size_t k) const { return {grid_[k], grid_[k + 1], values_[k], values_[k + 1]}; }
  [[nodiscard]] std::size_t stretch_at(double frequency) const;
  std::span<const double> grid_, values_;
  std::vector<double> areas_;  // to each point
};

}  // namespace avrenk
