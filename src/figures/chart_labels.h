/// figures/chart_labels.h: where the labels of peaks stand.
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "figures/chart_layout.h"

namespace avrenk {

/// A label and the middle of its text, px; where that is far from its point, a line from the point to it.
struct PlacedLabel {
  const PeakLabel* peak = nullptr;
  double x = 0, y = 0;
  std::optional<std::array<double, 4>> leader{};  ///< x, y of the point, x, y at the text
};

/// Each text stands where it covers no other, no circle, no limit and as little of a curve as possible, near its point;
/// one that finds no room is left out, as the tables name it.
[[nodiscard]] std::vector<PlacedLabel> placed_labels(const Panel& panel, const Frame& frame);

}  // namespace avrenk
