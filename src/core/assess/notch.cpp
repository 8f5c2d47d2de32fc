#include "core/assess/notch.h"

#include <algorithm>
#include <cmath>

#include "core/excitation/envelope.h"
#include "core/response/place_envelope.h"

namespace avrenk {
namespace {

constexpr double deepest_ever = 1e-3;  // of what is specified: 60 dB
constexpr double within = 0.95;        // dB, between the lines and what is allowed; three digits add as much as these
constexpr double digits = 0.04;
constexpr double one_point = 1e-6;  // of a frequency: both sides of a step are one point
constexpr int finer = 8;            // times the points around each resonance

// A limit that asks for a notch, and what it leaves of the input.
struct Demand {
  const Limit* limit = nullptr;
  const Watched* watched = nullptr;
  double room = 0;              // SI: of the response at its upper tolerance
  std::vector<double> largest;  // of the place under what is specified, times that tolerance
  [[nodiscard]] double lowest(double specified) const {
    const NotchRule& rule = *limit->notch;
    return std::max({deepest_ever, rule.deepest, std::min(1.0, rule.floor / specified)});
  }
};

std::vector<Demand> demands_of(const Excited& load, const std::vector<Limit>& limits,
                               const std::vector<const Outcome*>& at_rest, const std::vector<Watched>& watched) {
  std::vector<Demand> demands;
  for (const Limit& limit : limits) {
    if (!limit.notch || limit.subject != Limit::Of::response || !covers(limit, *load.excitation)) continue;
    const Watched* const found = find_watched(watched, limit.of);
    if (!found || !found->quantity->has_meaning(load.excitation->kind)) continue;
    Demand demand{&limit, found, limit.allowable / limit.factor, envelope_of_place(load, *found, load.grid)};
    for (const Outcome* still : at_rest)
      if (still->environment().name == limit.with)
        demand.room -= still->at_rest()->rows[static_cast<std::size_t>(found - watched.data())].value;
    if (limit.at_upper)
      for (double& each : demand.largest) each *= load.environment().upper;
    demands.push_back(std::move(demand));
  }
  return demands;
}

// The part of the input that all demands leave at each point, and whose limit says so (−1: nobody's).
struct Gains {
  std::vector<double> gain, lowest;  // the latter as depth and floor of the limit that counts allow it
  std::vector<int> by;
  std::vector<bool> cut;  // demands that depth or floor keep from being met
};
Gains gains_of(const std::vector<Demand>& demands, const std::vector<double>& specified, double safety) {
  Gains all{std::vector<double>(specified.size(), 1), std::vector<double>(specified.size(), 0),
            std::vector<int>(specified.size(), -1), std::vector<bool>(demands.size(), false)};
  for (std::size_t d = 0; d < demands.size(); ++d)
    for (std::size_t k = 0; k < specified.size(); ++k) {
      const Demand& demand = demands[d];
      if (!(demand.largest[k] > 0) || !(safety * demand.largest[k] > demand.room)) continue;
      const double lowest = demand.lowest(specified[k]);
      double wanted = std::max(0.0, demand.room) / (safety * demand.largest[k]);
      if (wanted < lowest * (1 - 1e-9)) {
        all.cut[d] = true;
        wanted = lowest;
      }
      if (wanted >= all.gain[k]) continue;
      all.gain[k] = wanted;
      all.lowest[k] = lowest;
      all.by[k] = static_cast<int>(d);
    }
  return all;
}

// First and last point of each notch: the points beside it, at which nothing is lowered, belong to it.
using Stretches = std::vector<std::pair<std::size_t, std::size_t>>;
Stretches stretches_of(const std::vector<double>& gain) {
  Stretches all;
  for (std::size_t k = 0; k < gain.size(); ++k) {
    if (!(gain[k] < 1)) continue;
    const std::size_t first = k > 0 ? k - 1 : 0;
    while (k + 1 < gain.size() && gain[k + 1] < 1) ++k;
    const std::size_t last = std::min(k + 1, gain.size() - 1);
    if (!all.empty() && first <= all.back().second)
      all.back().second = last;
    else
      all.emplace_back(first, last);
  }
  return all;
}

// Straight lines on log-log paper above one over the gains and within so much of it: each goes as far as any line from
// the end of the one before can, and stays below one over the least gains but for the digits. Corners are rounded up to
// three of these.
LogLogTable lines_above(std::span<const double> grid, std::span<const double> gain,
                        std::span<const double> least_gain) {
  const double decibel = std::log(10.0) / 20;
  std::vector<double> x(grid.size()), lowest(grid.size()), highest(grid.size());
  for (std::size_t k = 0; k < grid.size(); ++k) {
    x[k] = std::log(grid[k]);
    lowest[k] = -std::log(gain[k]);
    highest[k] = lowest[k] + within * decibel;
    if (least_gain[k] > 0) highest[k] = std::clamp(-std::log(least_gain[k]), lowest[k] + digits * decibel, highest[k]);
  }
  std::vector<Breakpoint> corners;
  const auto add = [&](std::size_t k, double y) { corners.push_back({grid[k], rounded_up(std::exp(y)), {}}); };
  double y = lowest.front();
  add(0, y);
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
    add(end, y);
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

std::vector<Notch> notches_of(const Stretches& stretches, const Gains& gains, const std::vector<Demand>& demands,
                              const std::vector<double>& grid, const std::vector<double>& specified,
                              const LogLogTable& applied) {
  std::vector<Notch> notches;
  notches.reserve(stretches.size());
  for (const auto& [first, last] : stretches) {
    std::size_t k = first;  // the deepest
    for (std::size_t i = first; i <= last; ++i)
      if (gains.gain[i] < gains.gain[k]) k = i;
    Notch notch{grid[first], grid[last], grid[k], specified[k], applied.at(grid[k])};
    notch.depth = 20 * std::log10(notch.specified / notch.applied);
    const auto take = [&](int demand) {
      if (demand < 0) return;
      const Limit* const limit = demands[static_cast<std::size_t>(demand)].limit;
      if (std::find(notch.limits.begin(), notch.limits.end(), limit) == notch.limits.end())
        notch.limits.push_back(limit);
    };
    take(gains.by[k]);
    for (std::size_t i = first; i <= last; ++i) take(gains.by[i]);
    notches.push_back(std::move(notch));
  }
  return notches;
}

std::shared_ptr<const Excitation> applied_of(const std::shared_ptr<const Excitation>& specified,
                                             const LogLogTable& table) {
  auto made = std::make_shared<Excitation>(*specified);
  made->specified = specified;
  made->along += made->along.empty() ? "notched" : ".notched";
  for (std::string& input : made->inputs) input += ", notched";
  made->drive = Drive(std::vector<Amplitude>(static_cast<std::size_t>(specified->drive.size()), Amplitude(table)));
  return made;
}

}  // namespace

std::optional<NotchedInput> notched_input(const std::shared_ptr<const Excitation>& specified,
                                          const std::vector<Limit>& limits, const std::vector<const Outcome*>& at_rest,
                                          const std::vector<Watched>& watched, const System& system,
                                          const ModalBasis& basis, const ModalDamping& damping) {
  auto close = std::make_shared<Excitation>(*specified);
  close->grid.points_per_resonance = finer * (specified->grid.points_per_resonance - 1) + 1;
  const Excited load(close, system, basis, damping);
  const std::vector<Demand> demands = demands_of(load, limits, at_rest, watched);
  NotchedInput result;
  result.specified = specified;
  result.grid = load.grid;
  std::vector<double> levels;
  levels.reserve(load.grid.size());
  for (const double f : load.grid) levels.push_back(specified->reference(f));
  double safety = 1;
  constexpr int most_attempts = 6;
  for (int attempt = 0; attempt < most_attempts; ++attempt) {
    const Gains gains = gains_of(demands, levels, safety);
    const auto stretches = stretches_of(gains.gain);
    if (stretches.empty()) return std::nullopt;
    std::vector<LogLogTable> lines;
    lines.reserve(stretches.size());
    for (const auto& [first, last] : stretches)
      lines.push_back(lines_above(std::span(load.grid).subspan(first, last - first + 1),
                                  std::span(gains.gain).subspan(first, last - first + 1),
                                  std::span(gains.lowest).subspan(first, last - first + 1)));
    if (attempt == 0)
      for (std::size_t k = 0; k < levels.size(); ++k) result.highest.push_back(levels[k] * gains.gain[k]);
    result.table = divided(specified->environment->input, lines);
    result.applied = applied_of(specified, result.table);
    result.notches = notches_of(stretches, gains, demands, load.grid, levels, result.table);
    // The lines hold at the points of the grid: what lies between them is looked for.
    const Excited applied(result.applied, system, basis, damping);
    double over = 0;
    result.not_kept.clear();
    for (std::size_t d = 0; d < demands.size(); ++d) {
      const Demand& demand = demands[d];
      if (gains.cut[d] || !(demand.room > 0)) {
        result.not_kept.push_back(demand.limit);
        continue;
      }
      SineResponse::Curves curves(*applied.sine, *demand.watched->candidates);
      const double peak = applied.sine->worst({curves, demand.watched->first, demand.watched->count}).second.value;
      over = std::max(over, (demand.limit->at_upper ? load.environment().upper : 1) * peak / demand.room);
    }
    if (over <= 1) break;
    safety *= over * (1 + 1e-6);
  }
  return result;
}

}  // namespace avrenk
