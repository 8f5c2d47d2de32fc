#include "core/assess/notch_lines.h"

#include <algorithm>
#include <cmath>

namespace avrenk {
namespace {

constexpr double within = 0.95;     // dB, between the lines and what is allowed
constexpr double rounding = 1e-12;  // of a level, where nothing lies between what is allowed and the least
constexpr double one_point = 1e-6;  // of a frequency: both sides of a step are one point

// Straight lines on log-log paper above one over the gains and within so much of it: each goes as far as any line from
// the end of the one before can, and stays below one over the least gains.
LogLogTable lines_above(std::span<const double> grid, std::span<const double> gain, std::span<const double> least_gain,
                        double decibel_factor) {
  const double decibel = std::log(10.0) / decibel_factor;
  std::vector<double> x(grid.size()), lowest(grid.size()), highest(grid.size());
  for (std::size_t k = 0; k < grid.size(); ++k) {
    x[k] = std::log(grid[k]);
    lowest[k] = -std::log(gain[k]);
    highest[k] = lowest[k] + within * decibel;
    if (least_gain[k] > 0) highest[k] = std::clamp(-std::log(least_gain[k]), lowest[k] + rounding, highest[k]);
  }
  std::vector<Breakpoint> corners;
  double y = lowest.front();
  const auto add = [&](std::size_t k) { corners.push_back({grid[k], std::exp(y), {}}); };
  add(0);
  for (std::size_t start = 0; start + 1 < x.size();) {
    double least = -HUGE_VAL, most = HUGE_VAL;  // slopes
    std::size_t end = start;
    for (std::size_t k = start + 1; k < x.size(); ++k) {
      const double above = std::max(least, (lowest[k] - y) / (x[k] - x[start])),
                   below = std::min(most, (highest[k] - y) / (x[k] - x[start]));
      if (above > below) break;
      least = above;
      most = below;
      end = k;
    }
    y += (end + 1 == x.size() ? least : 0.5 * (least + most)) * (x[end] - x[start]);
    add(end);
    start = end;
  }
  return {corners, 20};
}

// The specified table over the lines of all notches.
LogLogTable divided(const LogLogTable& specified, const std::vector<LogLogTable>& notches) {
  std::vector<Breakpoint> points;
  const auto add = [&](double frequency, double level) {
    if (!points.empty() && points.back().frequency == frequency && std::abs(*points.back().level / level - 1) < 1e-12)
      return;
    points.push_back({frequency, level, {}});
  };
  for (const PowerLaw& stretch : specified.stretches()) {
    std::vector<double> edges{stretch.f1, stretch.f2};
    for (const LogLogTable& lines : notches)
      for (const double f : lines.breakpoints())
        if (f > stretch.f1 * (1 + one_point) && f < stretch.f2 * (1 - one_point)) edges.push_back(f);
    std::sort(edges.begin(), edges.end());
    edges.erase(std::unique(edges.begin(), edges.end()), edges.end());
    for (std::size_t k = 0; k + 1 < edges.size(); ++k) {
      const double middle = std::sqrt(edges[k] * edges[k + 1]);
      const PowerLaw* line = nullptr;
      for (const LogLogTable& lines : notches)
        if (const PowerLaw* const here = lines.stretch_at(middle)) line = here;
      for (const double f : {edges[k], edges[k + 1]}) add(f, stretch.at(f) / (line ? line->at(f) : 1));
    }
  }
  return {points, 20};
}

}  // namespace

void Gains::lower(std::size_t point, double to, double allowed, const Limit* limit) {
  if (to < allowed * (1 - 1e-9)) {
    cut.insert(limit);
    to = allowed;
  }
  if (to >= gain[point]) return;
  gain[point] = to;
  lowest[point] = allowed;
  by[point] = limit;
}

Stretches stretches_of(const std::vector<double>& gain) {
  Stretches stretches;
  for (std::size_t k = 0; k < gain.size(); ++k) {
    if (!(gain[k] < 1)) continue;
    const std::size_t first = k > 0 ? k - 1 : 0;
    while (k + 1 < gain.size() && gain[k + 1] < 1) ++k;
    const std::size_t last = std::min(k + 1, gain.size() - 1);
    if (!stretches.empty() && first <= stretches.back().second)
      stretches.back().second = last;
    else
      stretches.emplace_back(first, last);
  }
  return stretches;
}

LogLogTable lowered(const LogLogTable& specified, std::span<const double> grid, const Gains& gains,
                    double decibel_factor) {
  const Stretches stretches = stretches_of(gains.gain);
  std::vector<LogLogTable> lines;
  lines.reserve(stretches.size());
  for (const auto& [first, last] : stretches) {
    const auto inside = [first = first, last = last](std::span<const double> all) {
      return all.subspan(first, last - first + 1);
    };
    lines.push_back(lines_above(inside(grid), inside(gains.gain), inside(gains.lowest), decibel_factor));
  }
  return divided(specified, lines);
}

std::vector<Notch> notches_of(const Gains& gains, const std::vector<double>& grid, const std::vector<double>& specified,
                              const LogLogTable& applied, double decibel_factor) {
  const Stretches stretches = stretches_of(gains.gain);
  std::vector<Notch> notches;
  notches.reserve(stretches.size());
  for (const auto& [first, last] : stretches) {
    std::size_t k = first;  // the deepest
    for (std::size_t i = first; i <= last; ++i)
      if (gains.gain[i] < gains.gain[k]) k = i;
    Notch notch{grid[first], grid[last], grid[k], specified[k], applied.at(grid[k])};
    notch.depth = decibel_factor * std::log10(notch.specified / notch.applied);
    const auto take = [&](const Limit* limit) {
      if (limit && std::find(notch.limits.begin(), notch.limits.end(), limit) == notch.limits.end())
        notch.limits.push_back(limit);
    };
    take(gains.by[k]);
    for (std::size_t i = first; i <= last; ++i) take(gains.by[i]);
    notches.push_back(std::move(notch));
  }
  return notches;
}

}  // namespace avrenk
