#include "figures/chart_labels.h"

#include <algorithm>
#include <cmath>

#include "core/algebra.h"
#include "figures/text.h"

namespace avrenk {
namespace {

struct LabelBox {
  double x0, y0, x1, y1;
  [[nodiscard]] bool meets(const LabelBox& o) const { return x0 < o.x1 && o.x0 < x1 && y0 < o.y1 && o.y0 < y1; }
  [[nodiscard]] bool holds(double x, double y) const { return x > x0 && x < x1 && y > y0 && y < y1; }
};

class Placing {
 public:
  Placing(const Panel& panel, const Frame& frame) : panel_(panel), frame_(frame) {
    for (const PeakLabel& peak : panel.peaks) {
      const double x = frame.px(peak.x), y = frame.py(peak.y);
      if (peak.circle) taken_.push_back({x - 7, y - 7, x + 7, y + 7});
    }
    for (const FixedText& text : panel.texts) {
      const double x = frame.px(text.x), y = frame.py(text.y), wide = text_width(text.text, label_points) + 12;
      const double from = text.side == FixedText::Side::right  ? x
                          : text.side == FixedText::Side::left ? x - wide
                                                               : x - wide / 2;
      taken_.push_back({from, y - 10, from + wide, y + (text.side == FixedText::Side::above ? 24 : 10)});
    }
    for (const Series& series : panel.series) {
      if (series.style == Series::Style::bars) continue;
      if (series.style == Series::Style::limit && !series.y.empty())
        taken_.push_back({0, frame.py(series.y.front()) - 2, chart_width, frame.py(series.y.front()) + 2});
      for (std::size_t i = 0; i < series.x.size(); ++i) {
        if (!drawable(series, frame, i)) continue;
        const Eigen::Vector2d at(frame.px(series.x[i]), frame.py(series.y[i]));
        curves_.emplace_back(at.x(), at.y());
        if (i == 0 || !drawable(series, frame, i - 1)) continue;
        const Eigen::Vector2d step = at - Eigen::Vector2d(frame.px(series.x[i - 1]), frame.py(series.y[i - 1]));
        for (double back = 6; back < step.norm(); back += 6) {  // between points that lie far apart
          const Eigen::Vector2d between = at - step * (back / step.norm());
          curves_.emplace_back(between.x(), between.y());
        }
      }
    }
    std::sort(curves_.begin(), curves_.end());
  }

  std::vector<PlacedLabel> place() {
    std::vector<PlacedLabel> placed;
    for (const PeakLabel& peak : panel_.peaks) {
      const double x = frame_.px(peak.x), y = frame_.py(peak.y), half = 0.5 * text_width(peak.text, label_points) + 4;
      const auto found = find(x, y, half);
      if (!found) continue;  // the tables name it
      const auto [cx, cy] = *found;
      taken_.push_back({cx - half, cy - 10, cx + half, cy + 10});
      placed.push_back({&peak, cx, cy, std::nullopt});
      if (std::hypot(cx - x, cy - y) > 26)
        placed.back().leader = {
            {x, y + (cy > y ? 5 : -5), std::clamp(x, cx - half + 4, cx + half - 4), cy > y ? cy - 9 : cy + 9}};
    }
    return placed;
  }

 private:
  [[nodiscard]] std::optional<std::pair<double, double>> find(double x, double y, double half) const {
    std::optional<std::pair<double, double>> best;
    double least = HUGE_VAL;
    for (int row = -20; row <= 40; ++row) {
      const double cy = y + 10 * row;
      if (cy < frame_.bottom + 14 || cy > frame_.top - 12 || std::abs(row) < 2) continue;
      for (int column = -8; column <= 8; ++column) {
        const double cx = std::clamp(x + 0.5 * half * column, frame_.left + half + 2, frame_.right - half - 2);
        const double distance = std::hypot(cx - x, row > 0 ? cy - y : 1.6 * (cy - y));
        if (distance >= least) continue;
        const LabelBox box{cx - half, cy - 10, cx + half, cy + 10};
        if (std::any_of(taken_.begin(), taken_.end(), [&](const LabelBox& other) { return box.meets(other); }))
          continue;
        const double cost = distance + (covers_curve(box) ? 300 : 0);
        if (cost >= least) continue;
        least = cost;
        best = {cx, cy};
      }
    }
    return best;
  }
  [[nodiscard]] bool covers_curve(const LabelBox& box) const {
    const auto first = std::lower_bound(curves_.begin(), curves_.end(), std::pair{box.x0, -HUGE_VAL});
    for (auto at = first; at != curves_.end() && at->first < box.x1; ++at)
      if (box.holds(at->first, at->second)) return true;
    return false;
  }

  const Panel& panel_;
  const Frame& frame_;
  std::vector<LabelBox> taken_;
  std::vector<std::pair<double, double>> curves_;
};

}  // namespace

std::vector<PlacedLabel> placed_labels(const Panel& panel, const Frame& frame) { return Placing(panel, frame).place(); }

}  // namespace avrenk
