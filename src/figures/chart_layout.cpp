#include "figures/chart_layout.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "figures/text.h"

namespace avrenk {
namespace {

constexpr double widest_detour = 0.12;  // px: points nearer to the chord than this are not seen

bool has_legend(const Chart& chart) {
  return !chart.uprights_are.empty() || std::any_of(chart.panels.begin(), chart.panels.end(), [](const Panel& panel) {
    return panel.legend && std::any_of(panel.series.begin(), panel.series.end(),
                                       [](const Series& series) { return !series.label.empty(); });
  });
}

// 1, 2 or 5 times a power of ten.
double round_upwards(double value) {
  const double decade = std::pow(10, std::floor(std::log10(value)));
  for (const double step : {1.0, 2.0, 5.0})
    if (step * decade >= value * (1 - 1e-9)) return step * decade;
  return 10 * decade;
}

// The widest text beside the ticks of a linear axis, px: gnuplot takes steps of about a sixth of the range.
double widest_tick(const Chart& chart, const Panel& panel) {
  Frame frame{chart.x, 0, 0, 0, 0, false, 0, 0, 0, 0};
  fit_range(panel, frame);
  double widest = 0;
  for (const double part : {5.0, 10.0}) {
    const double step = round_upwards((frame.y_to - frame.y_from) / part);
    for (double k = std::ceil(frame.y_from / step); k * step <= frame.y_to; ++k)
      widest = std::max(widest, text_width(fmt::format("{:g}", k * step), 12));
  }
  return widest;
}

}  // namespace

Layout layout_of(const Chart& chart) {
  Layout layout;
  if (has_legend(chart)) layout.right = chart_width - legend_width - 40;
  double longest = 0;
  for (const Panel& panel : chart.panels) {
    for (const std::string& name : panel.y.names) {
      layout.names.push_back(wrapped_text(name, label_points, 300));
      for (const std::string& line : layout.names.back()) longest = std::max(longest, text_width(line, label_points));
    }
  }
  for (const Panel& panel : chart.panels)
    if (panel.y.scale == Axis::Scale::linear && panel.y.ticks.empty())
      longest = std::max(longest, widest_tick(chart, panel));
  layout.left = std::max(layout.left, longest + 56);
  const double room = chart_width - 102 - 24;
  layout.title_points = fitting_size(chart.title, 16, room, 1);
  layout.title = wrapped_text(chart.title, layout.title_points, room);
  layout.subtitle_points = fitting_size(chart.subtitle, 11, room, 2);
  layout.subtitle = wrapped_text(chart.subtitle, layout.subtitle_points, room);
  layout.top -= 16.0 * static_cast<double>(layout.title.size() + layout.subtitle.size() - 2);
  if (!chart.uprights.empty()) layout.top -= 14;
  if (chart.x.scale == Axis::Scale::named) {
    double widest = 0;
    for (const std::string& name : chart.x.names) widest = std::max(widest, text_width(name, label_points));
    layout.bottom = 60 + widest;
  }
  return layout;
}

void fit_range(const Panel& panel, Frame& frame) {
  frame.y_from = panel.y.from;
  frame.y_to = panel.y.to;
  if (panel.y.scale == Axis::Scale::named) {
    frame.y_from = 0.4;
    frame.y_to = static_cast<double>(panel.y.names.size()) + 0.6;
  }
  if (frame.y_from < frame.y_to) return;
  double lowest = HUGE_VAL, highest = -HUGE_VAL, input = HUGE_VAL;
  const auto take = [&](double y) {
    if (!std::isfinite(y) || (frame.log_y && y <= 0)) return;
    lowest = std::min(lowest, y);
    highest = std::max(highest, y);
  };
  for (const Series& series : panel.series) {
    std::for_each(series.y.begin(), series.y.end(), take);
    if (series.style == Series::Style::input)
      for (const double y : series.y)
        if (y > 0) input = std::min(input, y);
    std::for_each(series.y2.begin(), series.y2.end(), take);
    for (const auto& bar : series.bars) {
      take(bar[2]);
      take(bar[3]);
    }
  }
  if (!(lowest <= highest)) lowest = highest = 1;
  if (frame.log_y) {
    frame.y_to = round_upwards(3 * highest);  // room for labels
    frame.y_from = 1 / round_upwards(1.5 / lowest);
    if (panel.y.lowest_counts) {
      frame.y_from = 1 / round_upwards(3 / lowest);
      frame.y_to = std::min(frame.y_to, std::pow(10, std::floor(std::log10(frame.y_from)) + 5));
    } else {
      // An input that is not much too low for it stands in the picture.
      constexpr double most_decades = 7;
      double cut = std::pow(10, std::ceil(std::log10(frame.y_to)) - 5);
      if (input > highest * std::pow(10, -most_decades)) cut = std::min(cut, 1 / round_upwards(1.5 / input));
      frame.y_from = std::max(frame.y_from, cut);
    }
  } else {
    const bool is_flat = highest - lowest <= 1e-6 * std::max(std::abs(highest), std::abs(lowest));
    const double room = !is_flat ? 0.08 * (highest - lowest) : highest == 0 ? 1 : 0.5 * std::abs(highest);
    frame.y_from = lowest >= 0 && lowest < 0.3 * highest ? 0 : lowest - room;
    frame.y_to = highest + room;
  }
}

bool drawable(const Series& series, const Frame& frame, std::size_t i) {
  return std::isfinite(series.y[i]) && !(frame.log_y && series.y[i] <= 0);
}

std::vector<std::size_t> visible_points(const Series& series, const Frame& frame) {
  std::vector<std::size_t> kept;
  const std::size_t n = series.x.size();
  if (series.style == Series::Style::band) {
    kept.resize(n);
    std::iota(kept.begin(), kept.end(), 0);
    return kept;
  }
  std::vector<double> x(n), y(n);  // px, made once: each point is looked at many times
  for (std::size_t i = 0; i < n; ++i) {
    if (!drawable(series, frame, i)) continue;
    x[i] = frame.px(series.x[i]);
    y[i] = frame.py(series.y[i]);
  }
  std::size_t anchor = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (kept.empty() || !drawable(series, frame, i) || !drawable(series, frame, i - 1)) {
      kept.push_back(i);
      anchor = i;
      continue;
    }
    if (i + 1 < n && drawable(series, frame, i + 1)) {
      const double x0 = x[anchor], y0 = y[anchor];
      const double dx = x[i + 1] - x0, dy = y[i + 1] - y0, length = std::hypot(dx, dy);
      bool straight = i - anchor < 200;
      for (std::size_t k = anchor + 1; straight && k <= i; ++k)
        straight = std::abs((x[k] - x0) * dy - (y[k] - y0) * dx) <= widest_detour * length;
      if (straight) continue;
    }
    kept.push_back(i);
    anchor = i;
  }
  return kept;
}

}  // namespace avrenk
