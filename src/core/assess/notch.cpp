#include "core/assess/notch.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "core/excitation/envelope.h"
#include "core/response/place_envelope.h"
#include "core/response/random_run.h"

namespace avrenk {
namespace {

constexpr double deepest_ever = 1e-3;  // of what is specified: 60 dB
constexpr double within = 0.95;        // dB, between the lines and what is allowed; three digits add as much as these
constexpr double digits = 0.04;
constexpr double one_point = 1e-6;  // of a frequency: both sides of a step are one point
constexpr int finer = 8;            // times the points around each resonance

// A limit that asks for a notch, and what it leaves of the input.
struct SineDemand {
  const Limit* limit = nullptr;
  const Output* watched = nullptr;
  double room = 0;              // SI: of the response at its upper tolerance
  std::vector<double> largest;  // of the place under what is specified, times that tolerance
  [[nodiscard]] double lowest(double specified) const {
    const NotchRule& rule = *limit->response()->notch;
    return std::max({deepest_ever, rule.deepest, std::min(1.0, rule.floor / specified)});
  }
};

// What a static answer leaves of what is allowed.
double room_of(const Limit& limit, const std::vector<const CaseResults*>& at_rest, std::size_t watched) {
  double room = limit.allowable / limit.factor;
  for (const CaseResults* still : at_rest)
    if (still->environment().name == limit.response()->with) room -= still->at_rest()->rows[watched].value;
  return room;
}

std::vector<SineDemand> sine_demands_of(const CaseResponse& load, const std::vector<Limit>& limits,
                                        const std::vector<const CaseResults*>& at_rest,
                                        const std::vector<Output>& watched) {
  std::vector<SineDemand> demands;
  for (const Limit& limit : limits) {
    if (!limit.is_notching() || !covers(limit, *load.excitation)) continue;
    const Output* const found = find_output(watched, limit.response()->of);
    if (!found || !found->quantity->has_meaning(load.excitation->kind)) continue;
    SineDemand demand{&limit, found, room_of(limit, at_rest, static_cast<std::size_t>(found - watched.data())),
                      envelope_of_place(load, *found, load.grid)};
    if (limit.is_at_upper())
      for (double& each : demand.largest) each *= load.environment().upper;
    demands.push_back(std::move(demand));
  }
  return demands;
}

// The part of the input that is left at each point, and whose limit says so (nullptr: nobody's).
struct Gains {
  explicit Gains(std::size_t points) : gain(points, 1), lowest(points, 0), by(points, nullptr) {}
  std::vector<double> gain, lowest;  // the latter as depth and floor of the limit that counts allow it
  std::vector<const Limit*> by;
  std::set<const Limit*> cut;  // that depth or floor keep from being met
  // @param to  what a limit wants, @param allowed  how low it may have it
  void lower(std::size_t point, double to, double allowed, const Limit* limit) {
    if (to < allowed * (1 - 1e-9)) {
      cut.insert(limit);
      to = allowed;
    }
    if (to >= gain[point]) return;
    gain[point] = to;
    lowest[point] = allowed;
    by[point] = limit;
  }
};
Gains gains_of(const std::vector<SineDemand>& demands, const std::vector<double>& specified, double safety) {
  Gains gains(specified.size());
  for (const SineDemand& demand : demands)
    for (std::size_t k = 0; k < specified.size(); ++k) {
      if (!(demand.largest[k] > 0) || !(safety * demand.largest[k] > demand.room)) continue;
      gains.lower(k, std::max(0.0, demand.room) / (safety * demand.largest[k]), demand.lowest(specified[k]),
                  demand.limit);
    }
  return gains;
}

// First and last point of each notch: the points beside it, at which nothing is lowered, belong to it.
using Stretches = std::vector<std::pair<std::size_t, std::size_t>>;
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

// Straight lines on log-log paper above one over the gains and within so much of it: each goes as far as any line from
// the end of the one before can, and stays below one over the least gains but for the digits. Corners are rounded up to
// three of these.
LogLogTable lines_above(std::span<const double> grid, std::span<const double> gain, std::span<const double> least_gain,
                        double decibel_factor) {
  const double decibel = std::log(10.0) / decibel_factor;
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

std::vector<Notch> notches_of(const Stretches& stretches, const Gains& gains, const std::vector<double>& grid,
                              const std::vector<double>& specified, const LogLogTable& applied, double decibel_factor) {
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

// The specified table over the straight lines of all notches, and what they are.
void draw_lines(const Gains& gains, const std::vector<double>& levels, const LogLogTable& specified,
                double decibel_factor, NotchedInput& result) {
  const Stretches stretches = stretches_of(gains.gain);
  std::vector<LogLogTable> lines;
  lines.reserve(stretches.size());
  for (const auto& [first, last] : stretches) {
    const auto inside = [&, first = first, last = last](const std::vector<double>& all) {
      return std::span(all).subspan(first, last - first + 1);
    };
    lines.push_back(lines_above(inside(result.grid), inside(gains.gain), inside(gains.lowest), decibel_factor));
  }
  result.table = divided(specified, lines);
  result.notches = notches_of(stretches, gains, result.grid, levels, result.table, decibel_factor);
}

std::shared_ptr<const Excitation> applied_of(const std::shared_ptr<const Excitation>& specified,
                                             const LogLogTable& table) {
  auto made = std::make_shared<Excitation>(*specified);
  made->specified = specified;
  made->along += made->along.empty() ? "notched" : ".notched";
  for (std::string& input : made->inputs) input += ", notched";
  if (specified->is_random())
    made->spectrum = SpectralMatrix({table}, {}, specified->names);
  else
    made->drive = Drive(std::vector<Amplitude>(static_cast<std::size_t>(specified->drive.size()), Amplitude(table)));
  return made;
}

// Points closer than those of curves, so that lines between them are right.
std::shared_ptr<const Excitation> with_close_points(const Excitation& specified) {
  auto close = std::make_shared<Excitation>(specified);
  close->grid.points_per_resonance = finer * (specified.grid.points_per_resonance - 1) + 1;
  return close;
}

constexpr int most_attempts = 6;

std::optional<NotchedInput> notched_sine(const std::shared_ptr<const Excitation>& specified,
                                         const std::vector<Limit>& limits,
                                         const std::vector<const CaseResults*>& at_rest,
                                         const std::vector<Output>& watched, const System& system,
                                         const ModalBasis& basis, const ModalDamping& damping) {
  const CaseResponse load(with_close_points(*specified), system, basis, damping);
  const std::vector<SineDemand> demands = sine_demands_of(load, limits, at_rest, watched);
  NotchedInput result;
  result.specified = specified;
  result.grid = load.grid;
  std::vector<double> levels;
  levels.reserve(load.grid.size());
  for (const double f : load.grid) levels.push_back(specified->reference(f));
  double safety = 1;
  for (int attempt = 0; attempt < most_attempts; ++attempt) {
    const Gains gains = gains_of(demands, levels, safety);
    if (stretches_of(gains.gain).empty()) return std::nullopt;
    if (attempt == 0)
      for (std::size_t k = 0; k < levels.size(); ++k) result.highest.push_back(levels[k] * gains.gain[k]);
    draw_lines(gains, levels, result.full(), 20, result);
    result.applied = applied_of(specified, result.table);
    // The lines hold at the points of the grid: what lies between them is looked for.
    const CaseResponse applied(result.applied, system, basis, damping);
    double over = 0;
    result.not_kept.clear();
    for (const SineDemand& demand : demands) {
      if (gains.cut.contains(demand.limit) || !(demand.room > 0)) {
        result.not_kept.push_back(demand.limit);
        continue;
      }
      SineResponse::Curves curves(*applied.sine, *demand.watched->candidates);
      const double peak = applied.sine->worst({curves, demand.watched->first, demand.watched->count}).second.value;
      over = std::max(over, (demand.limit->is_at_upper() ? load.environment().upper : 1) * peak / demand.room);
    }
    if (over <= 1) break;
    safety *= over * (1 + 1e-6);
  }
  return result;
}

// A random input, whose PSD is lowered for PSDs of responses and for RMS values of theirs.
class RandomNotch {
 public:
  RandomNotch(const std::shared_ptr<const Excitation>& specified, const System& system, const ModalBasis& basis,
              const ModalDamping& damping)
      : system_(system),
        basis_(basis),
        damping_(damping),
        load_(with_close_points(*specified), system, basis, damping),
        levels_(specified->spectrum.levels().front().levels(load_.grid)),
        widths_(load_.grid.size(), 0) {
    result_.specified = specified;
    result_.grid = load_.grid;
    for (std::size_t k = 0; k + 1 < load_.grid.size(); ++k)
      for (const std::size_t end : {k, k + 1}) widths_[end] += 0.5 * (load_.grid[k + 1] - load_.grid[k]);
  }

  std::optional<NotchedInput> find(const std::vector<Limit>& limits, const std::vector<const CaseResults*>& at_rest,
                                   const std::vector<Output>& watched) {
    for (const Limit& limit : limits) {
      if (!limit.is_notching() || !covers(limit, *load_.excitation)) continue;
      const Output* const found = find_output(watched, limit.response()->of);
      if (!found || found->quantity->per_input()) continue;
      const double upper = limit.is_at_upper() ? load_.environment().upper : 1;
      if (limit.response()->allowed_psd) {
        std::vector<double> psd = envelope_of_place(load_, *found, load_.grid);
        for (double& each : psd) each *= upper * upper * limit.factor * limit.factor;
        peaks_.push_back({&limit, found, std::move(psd), 1});
        continue;
      }
      const double room = room_of(limit, at_rest, static_cast<std::size_t>(found - watched.data()));
      const double sigma =
          limit.response()->take_random.form == Take::Form::sigma ? limit.response()->take_random.sigma : 1;
      spreads_.push_back({&limit, found, std::max(0.0, room) / (sigma * upper), {}});
      look(load_, spreads_.back());
    }
    for (int attempt = 0; attempt < most_attempts; ++attempt) {
      const Gains gains = gains_now();
      if (stretches_of(gains.gain).empty()) return std::nullopt;
      if (attempt == 0)
        for (std::size_t k = 0; k < levels_.size(); ++k) result_.highest.push_back(levels_[k] * gains.gain[k]);
      draw_lines(gains, levels_, result_.full(), 10, result_);
      result_.applied = applied_of(result_.specified, result_.table);
      const CaseResponse applied(result_.applied, system_, basis_, damping_);
      bool over = false;
      for (Peak& peak : peaks_) over = look(applied, peak) || over;
      for (Spread& spread : spreads_) over = look(applied, spread) || over;
      result_.not_kept.assign(gains.cut.begin(), gains.cut.end());
      if (!over) break;
    }
    return std::move(result_);
  }

 private:
  // A limit on a PSD: of the place under what is specified, factors included.
  struct Peak {
    const Limit* limit = nullptr;
    const Output* watched = nullptr;
    std::vector<double> psd;
    double safety = 1;
  };
  // A limit on an RMS; the PSDs, per unit PSD of the input, of the candidates that were found to pass it.
  struct Spread {
    const Limit* limit = nullptr;
    const Output* watched = nullptr;
    double room = 0;  // of an RMS
    struct Place {
      std::size_t candidate = 0;
      std::vector<double> gain;
      double safety = 1;
    };
    std::vector<Place> places;
  };

  [[nodiscard]] double lowest(const Limit& limit, std::size_t k) const {
    constexpr double usual = 0.063;  // of a PSD, 12 dB: for an RMS all that is lowered is lowered so far
    const NotchRule& rule = *limit.response()->notch;
    const double deepest = rule.deepest > 0                ? rule.deepest * rule.deepest
                           : limit.response()->allowed_psd ? deepest_ever * deepest_ever
                                                           : usual;
    return std::max(deepest, std::min(1.0, rule.floor / levels_[k]));
  }

  [[nodiscard]] Gains gains_now() const {
    Gains gains(levels_.size());
    for (const Peak& peak : peaks_)
      for (std::size_t k = 0; k < levels_.size(); ++k) {
        const double allowed = peak.limit->response()->allowed_psd->at(load_.grid[k], levels_[k]);
        if (!(allowed > 0) || !(peak.safety * peak.psd[k] > allowed)) continue;
        gains.lower(k, allowed / (peak.safety * peak.psd[k]), lowest(*peak.limit, k), peak.limit);
      }
    // Where a unit of the input's area makes most of the variance it is lowered first, as far as it may be: no other
    // choice loses less area.
    for (const Spread& spread : spreads_)
      for (const Spread::Place& place : spread.places) {
        const auto part = [&](std::size_t k) { return place.gain[k] * levels_[k] * widths_[k]; };
        double variance = 0;
        std::vector<std::size_t> order(levels_.size());
        for (std::size_t k = 0; k < order.size(); ++k) {
          order[k] = k;
          variance += part(k) * gains.gain[k];
        }
        std::stable_sort(order.begin(), order.end(),
                         [&](std::size_t a, std::size_t b) { return place.gain[a] > place.gain[b]; });
        const double room = spread.room * spread.room / place.safety;
        for (const std::size_t k : order) {
          if (variance <= room) break;
          const double least = lowest(*spread.limit, k);
          if (least >= gains.gain[k]) continue;
          variance -= part(k) * (gains.gain[k] - least);
          gains.lower(k, least, least, spread.limit);
        }
        if (variance > room * (1 + 1e-9)) gains.cut.insert(spread.limit);
      }
    return gains;
  }

  // Whether it is passed under an input, and by so much more is to be lowered.
  [[nodiscard]] bool look(const CaseResponse& applied, Peak& peak) const {
    const std::vector<double> psd = envelope_of_place(applied, *peak.watched, load_.grid);
    const double factor = peak.limit->factor * (peak.limit->is_at_upper() ? load_.environment().upper : 1);
    double over = 0;
    for (std::size_t k = 0; k < psd.size(); ++k)
      if (const double allowed = peak.limit->response()->allowed_psd->at(load_.grid[k], levels_[k]); allowed > 0)
        over = std::max(over, factor * factor * psd[k] / allowed);
    if (over <= 1) return false;
    peak.safety *= over * (1 + 1e-6);
    return true;
  }
  bool look(const CaseResponse& applied, Spread& spread) const {
    const Candidates& candidates = *spread.watched->candidates;
    const Eigen::VectorXd rms = candidate_rms(
        *spread.watched,
        block_covariances(candidates.rows, candidates.base_width, *applied.covariance, applied.transfer->layout()));
    Eigen::Index worst = 0;
    if (rms.size() == 0 || rms.maxCoeff(&worst) <= spread.room) return false;
    const double over = rms[worst] / spread.room;
    for (Spread::Place& place : spread.places)
      if (place.candidate == static_cast<std::size_t>(worst)) {
        place.safety *= over * over * (1 + 1e-6);
        return true;
      }
    const SpectralRoots roots = load_.covariance->input.roots(load_.grid);
    const StateTable states(*load_.transfer, roots.frequencies, roots.columns);
    Spread::Place place{static_cast<std::size_t>(worst), {}, 1};
    place.gain = squares_of_points(states.times(spread.watched->measure(place.candidate).rows), roots.first);
    for (std::size_t k = 0; k < levels_.size(); ++k) place.gain[k] /= levels_[k];
    spread.places.push_back(std::move(place));
    return true;
  }

  const System& system_;
  const ModalBasis& basis_;
  const ModalDamping& damping_;
  CaseResponse load_;
  std::vector<double> levels_, widths_;
  std::vector<Peak> peaks_;
  std::vector<Spread> spreads_;
  NotchedInput result_;
};

}  // namespace

std::optional<NotchedInput> notched_input(const std::shared_ptr<const Excitation>& specified,
                                          const std::vector<Limit>& limits,
                                          const std::vector<const CaseResults*>& at_rest,
                                          const std::vector<Output>& watched, const System& system,
                                          const ModalBasis& basis, const ModalDamping& damping) {
  if (specified->is_random()) return RandomNotch(specified, system, basis, damping).find(limits, at_rest, watched);
  return notched_sine(specified, limits, at_rest, watched, system, basis, damping);
}

}  // namespace avrenk
