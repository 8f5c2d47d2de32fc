/// figures/chart_layout.h: where in a chart's picture what stands: panels, ranges, and which points of a curve are
/// seen.
#pragma once

#include <cmath>
#include <string>
#include <vector>

#include "figures/chart.h"

namespace avrenk {

// Pixels from the lower left corner of a chart.
inline constexpr double chart_width = 1280, chart_height = 800, legend_width = 300, legend_sample = 30;
inline constexpr double label_points = 11, legend_line = 18;

/// Where the panels stand, and the texts around them.
struct Layout {
  double left = 102, right = 1240, top = 720, bottom = 76;
  std::vector<std::string> title, subtitle;
  double title_points = 16, subtitle_points = 11;
  std::vector<std::vector<std::string>> names;  // of a named y axis
};
[[nodiscard]] Layout layout_of(const Chart& chart);

/// One panel: its ranges and its corners in pixels.
struct Frame {
  const Axis& x;
  double x_from, x_to, y_from, y_to;
  bool log_y;
  double left, right, bottom, top;  // px
  [[nodiscard]] static double part(double value, double from, double to, bool logarithmic) {
    return logarithmic ? std::log(value / from) / std::log(to / from) : (value - from) / (to - from);
  }
  [[nodiscard]] double px(double at) const {
    return left + (right - left) * part(at, x_from, x_to, x.scale == Axis::Scale::logarithmic);
  }
  [[nodiscard]] double py(double at) const { return bottom + (top - bottom) * part(at, y_from, y_to, log_y); }
};

/// Sets the y range: as the panel says, else from the data; a logarithmic one shows five decades at most.
void fit_range(const Panel& panel, Frame& frame);

/// False of a gap, and of what a logarithmic scale cannot show.
[[nodiscard]] bool drawable(const Series& series, const Frame& frame, std::size_t i);

/// Greedy thinning: a point is dropped while all dropped ones stay within a detour of the chord that is not seen.
[[nodiscard]] std::vector<std::size_t> visible_points(const Series& series, const Frame& frame);

}  // namespace avrenk
