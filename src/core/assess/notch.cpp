#include "core/assess/notch.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/assess/notch_lines.h"
#include "core/excitation/drawn_curve.h"
#include "core/response/place_envelope.h"
#include "core/response/random_run.h"

namespace avrenk {
namespace {

constexpr double deepest_ever = 1e-3;  // of what is specified: 60 dB
constexpr int finer = 8;               // times the points around each resonance
constexpr double safety = 1 + 4e-6;    // for what may still lie between points

// Points closer than those of curves, so that lines between them are nearly right.
std::shared_ptr<const Excitation> with_close_points(const Excitation& specified) {
  auto close = std::make_shared<Excitation>(specified);
  close->grid.points_per_resonance = finer * (specified.grid.points_per_resonance - 1) + 1;
  return close;
}

// A limit on what a response is at each frequency: the peak of a sine, the PSD of a random one.
struct PointDemand {
  const Limit* limit = nullptr;
  const Output* watched = nullptr;
  double room = 0;           // SI: of the peak of a sine
  std::vector<double> over;  // at each point under what is specified: what it looks at, over what is allowed
};

// A limit on an RMS, and the candidates that were found to pass it.
struct RmsDemand {
  const Limit* limit = nullptr;
  const Output* watched = nullptr;
  double room = 0;  // SI, of an RMS
  struct Place {
    std::size_t candidate = 0;
    double safety = 1;  // of a variance
    bool is_cut = false;
  };
  std::vector<Place> places;
};

class NotchSearch {
 public:
  NotchSearch(const NotchTask& task, const NotchModel& model)
      : task_(task), model_(model), random_(task.specified->is_random()) {
    for (const Limit& limit : task.limits) add(limit);
  }

  std::optional<NotchedInput> find(const std::optional<NotchApproach>& approach) {
    constexpr int most_attempts = 40;
    NotchedInput result;
    result.specified = task_.specified;
    look_at_specified();
    if (!approach && stretches_of(gains_now(1).gain).empty()) return std::nullopt;
    for (int attempt = 0; attempt < most_attempts; ++attempt) {
      const Gains gains = gains_now(safety);
      draw(gains, result);
      if (refine(gains, result.table)) continue;
      if (!lower_more(gains, CaseResponse(result.applied, task_.system, model_.basis, model_.damping))) break;
    }
    Gains gains = gains_now(safety);
    if (approach) {
      go_towards(*approach, gains);
      draw(gains, result);
    }
    result.grid = points_;
    const std::vector<double> highest = approach ? gains.gain : gains_now(1).gain;
    for (std::size_t k = 0; k < points_.size(); ++k) result.highest.push_back(levels_[k] * highest[k]);
    result.notches = notches_of(gains, points_, levels_, result.table, decibel_factor());
    result.cut = gains.cut;
    result.not_kept = passed(CaseResponse(result.applied, task_.system, model_.basis, model_.damping));
    return result;
  }

  // Limits that are passed under an input.
  [[nodiscard]] std::vector<NotKept> passed(const CaseResponse& applied) const {
    std::vector<NotKept> all;
    const auto take = [&](const Limit* limit, double over) {
      if (over > 1) all.push_back({limit, over});
    };
    for (const PointDemand& demand : point_demands_) take(demand.limit, largest(demand, applied).over);
    for (const RmsDemand& demand : rms_demands_) {
      const Eigen::VectorXd rms = rms_of(demand, applied);
      const double largest = rms.size() > 0 ? rms.maxCoeff() : 0;
      if (largest > 0) take(demand.limit, demand.room > 0 ? largest / demand.room : HUGE_VAL);
    }
    return all;
  }

 private:
  [[nodiscard]] double decibel_factor() const { return random_ ? 10 : 20; }

  // What a static answer leaves of what is allowed.
  [[nodiscard]] double room_of(const Limit& limit, const Output& watched) const {
    double room = limit.allowable / limit.factor;
    for (const CaseResults* still : task_.at_rest)
      if (still->environment().name == limit.response()->with)
        room -= still->at_rest()->rows[static_cast<std::size_t>(&watched - task_.watched.data())].value;
    return std::max(0.0, room);
  }

  void add(const Limit& limit) {
    if (!limit.is_notching() || !covers(limit, *task_.specified)) return;
    const Output* const found = find_output(task_.watched, limit.response()->of);
    if (!found || !found->quantity->has_meaning(task_.specified->kind) || found->quantity->per_input()) return;
    if (!random_ || limit.response()->allowed_psd) {
      point_demands_.push_back({&limit, found, room_of(limit, *found) / upper(limit), {}});
      return;
    }
    const Take& take = limit.response()->take_random;
    const double sigma = take.form == Take::Form::sigma ? take.sigma : 1;
    rms_demands_.push_back({&limit, found, room_of(limit, *found) / (sigma * upper(limit)), {}});
  }

  // What limits look at under what is specified: at close points and at the peaks between them.
  void look_at_specified() {
    load_.emplace(with_close_points(*task_.specified), task_.system, model_.basis, model_.damping);
    points_ = load_->grid;
    for (const double f : points_) levels_.push_back(task_.specified->reference(f));
    const CurveStates states(*load_, points_);
    std::vector<double> highest;
    for (PointDemand& demand : point_demands_) {
      demand.over = over_at(demand, states);
      highest.push_back(largest(demand, *load_).frequency);
    }
    insert(std::move(highest));
    for (RmsDemand& demand : rms_demands_) (void)lower_more(*load_, demand);
  }

  [[nodiscard]] double upper(const Limit& limit) const {
    return limit.is_at_upper() ? task_.specified->environment->upper : 1;
  }

  // What a limit on a PSD allows, over its factors; zero: nothing is limited there.
  [[nodiscard]] double allowed_psd(const Limit& limit, double frequency) const {
    const double factor = limit.factor * upper(limit);
    return limit.response()->allowed_psd->at(frequency, task_.specified->reference(frequency)) / (factor * factor);
  }

  [[nodiscard]] double over_of(const PointDemand& demand, double response, double frequency) const {
    if (!(response > 0)) return 0;
    if (!random_) return demand.room > 0 ? response / demand.room : HUGE_VAL;
    const double allowed = allowed_psd(*demand.limit, frequency);
    return allowed > 0 ? response / allowed : 0;
  }
  [[nodiscard]] std::vector<double> over_at(const PointDemand& demand, const CurveStates& states) const {
    std::vector<double> over = envelope_of_place(states, *demand.watched);
    for (std::size_t k = 0; k < over.size(); ++k) over[k] = over_of(demand, over[k], states.grid[k]);
    return over;
  }

  // Where a limit is passed most under an input, and how far.
  struct Largest {
    double frequency = 0, over = 0;
  };
  [[nodiscard]] Largest largest(const PointDemand& demand, const CaseResponse& applied) const {
    Largest found;
    const auto take = [&](double frequency, double over) {
      if (over > found.over) found = {frequency, over};
    };
    if (random_) {
      const std::vector<double> over = over_at(demand, CurveStates(applied, applied.grid));
      for (std::size_t k = 0; k < over.size(); ++k) take(applied.grid[k], over[k]);
      return found;
    }
    SineResponse::Curves curves(*applied.sine, *demand.watched->candidates);
    const SinePeak peak = applied.sine->worst({curves, demand.watched->first, demand.watched->count}).second;
    take(peak.frequency, over_of(demand, peak.value, peak.frequency));
    return found;
  }

  // How low a limit may have the input where that is so high, as a part of it.
  [[nodiscard]] double lowest(const Limit& limit, double level) const {
    constexpr double usual = 0.063;  // of a PSD, 12 dB: for an RMS all that is lowered is lowered so far
    const NotchRule& rule = *limit.response()->notch;
    const auto of_level = [&](double part) { return random_ ? part * part : part; };
    const double deepest = rule.deepest > 0                            ? of_level(rule.deepest)
                           : !random_ || limit.response()->allowed_psd ? of_level(deepest_ever)
                                                                       : usual;
    return std::max(deepest, std::min(1.0, rule.floor / level));
  }

  [[nodiscard]] Gains gains_now(double by_more) {
    Gains gains(points_.size());
    for (const PointDemand& demand : point_demands_)
      for (std::size_t k = 0; k < points_.size(); ++k)
        if (by_more * demand.over[k] > 1)
          gains.lower(k, 1 / (by_more * demand.over[k]), lowest(*demand.limit, levels_[k]), demand.limit);
    if (const bool any = std::any_of(rms_demands_.begin(), rms_demands_.end(),
                                     [](const RmsDemand& demand) { return !demand.places.empty(); });
        any) {
      const CurveStates states(*load_, points_);
      for (RmsDemand& demand : rms_demands_)
        for (RmsDemand::Place& place : demand.places) lower_for(demand, place, states, gains);
    }
    // Points beside a notch at which nothing is lowered are lines' own: they may have what its limits may.
    for (const auto& [first, last] : stretches_of(gains.gain)) {
      std::set<const Limit*> limits(gains.by.begin() + static_cast<std::ptrdiff_t>(first),
                                    gains.by.begin() + static_cast<std::ptrdiff_t>(last) + 1);
      limits.erase(nullptr);
      for (std::size_t k = first; k <= last; ++k)
        if (!gains.by[k])
          for (const Limit* limit : limits) gains.lowest[k] = std::max(gains.lowest[k], lowest(*limit, levels_[k]));
    }
    return gains;
  }

  // Where a unit of the input's area makes most of the variance it is lowered first, as far as it may be: no other
  // choice loses less area.
  void lower_for(const RmsDemand& demand, RmsDemand::Place& place, const CurveStates& states, Gains& gains) {
    constexpr double near_least = 1.02;  // of the least variance that can be reached: a per cent of its RMS
    // |G|²: its PSD per unit PSD of the input.
    std::vector<double> gain =
        squares_of_points(states.states.times(demand.watched->measure(place.candidate).rows), states.roots.first);
    for (std::size_t k = 0; k < gain.size(); ++k) gain[k] /= levels_[k];
    std::vector<double> parts(points_.size(), 0);
    std::vector<std::size_t> order(points_.size());
    double variance = 0, least_variance = 0;
    for (std::size_t k = 0; k < points_.size(); ++k) {
      order[k] = k;
      if (k > 0) parts[k] += 0.5 * (points_[k] - points_[k - 1]);
      if (k + 1 < points_.size()) parts[k] += 0.5 * (points_[k + 1] - points_[k]);
      parts[k] *= gain[k] * levels_[k];
      variance += parts[k] * gains.gain[k];
      least_variance += parts[k] * std::min(gains.gain[k], lowest(*demand.limit, levels_[k]));
    }
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return gain[a] > gain[b]; });
    double room = demand.room * demand.room / place.safety;
    place.is_cut = least_variance > room;
    if (place.is_cut) {
      gains.cut.insert(demand.limit);
      room = near_least * least_variance;
    }
    for (const std::size_t k : order) {
      if (variance <= room) break;
      const double least = lowest(*demand.limit, levels_[k]);
      if (least >= gains.gain[k]) continue;
      variance -= parts[k] * (gains.gain[k] - least);
      gains.lower(k, least, least, demand.limit);
    }
  }

  [[nodiscard]] static Eigen::VectorXd rms_of(const RmsDemand& demand, const CaseResponse& applied) {
    const Candidates& candidates = *demand.watched->candidates;
    return candidate_rms(*demand.watched, block_covariances(candidates.rows, candidates.base_width, *applied.covariance,
                                                            applied.transfer->layout()));
  }

  void draw(const Gains& gains, NotchedInput& result) const {
    result.table = lowered(result.full(), points_, gains, decibel_factor());
    result.applied = applied_in_place_of(task_.specified, result.table);
  }

  // Points half way between those of a notch where a limit is passed under the lines and lower ones would do more,
  // until there are none. @return whether there were any
  bool refine(const Gains& gains, const LogLogTable& table) {
    std::vector<double> added = edges_of_cuts(gains), more;
    for (const auto& [first, last] : stretches_of(gains.gain))
      for (std::size_t k = first; k < last; ++k)
        if (const double middle = std::sqrt(points_[k] * points_[k + 1]); are_apart(k) && !middles_.contains(middle))
          more.push_back(middle);
    for (const double f : more) middles_[f] = {};
    const CurveStates states(*load_, more);
    for (const PointDemand& demand : point_demands_) {
      const std::vector<double> over = over_at(demand, states);
      for (std::size_t i = 0; i < more.size(); ++i) middles_[more[i]].push_back(over[i]);
    }
    for (const auto& [f, over] : middles_) {
      if (std::binary_search(points_.begin(), points_.end(), f)) continue;
      const double level = task_.specified->reference(f), part = table.at(f) / level;
      for (std::size_t d = 0; d < over.size(); ++d)
        if (over[d] * part > 1 && part > lowest(*point_demands_[d].limit, level) * (1 + 1e-9)) added.push_back(f);
    }
    insert(added);
    return !added.empty();
  }

  // Where depth or floor begin to keep a limit from being met, between points: lines turn there.
  [[nodiscard]] std::vector<double> edges_of_cuts(const Gains& gains) const {
    constexpr double close_enough = 1e-9;  // of a level
    std::vector<double> edges;
    for (const PointDemand& demand : point_demands_) {
      // What is wanted below what may be, on log paper.
      const auto wanted = [&](std::size_t k) {
        return std::log(std::max(demand.over[k], 1e-300) * lowest(*demand.limit, levels_[k]));
      };
      for (const auto& [first, last] : stretches_of(gains.gain))
        for (std::size_t k = first; k < last; ++k) {
          const double here = wanted(k), there = wanted(k + 1);
          if (!(here * there < 0) || std::min(std::abs(here), std::abs(there)) < close_enough || !are_apart(k))
            continue;
          edges.push_back(points_[k] * std::pow(points_[k + 1] / points_[k], here / (here - there)));
        }
    }
    return edges;
  }
  // Whether a point and the next are apart far enough for another one between them.
  [[nodiscard]] bool are_apart(std::size_t k) const { return points_[k + 1] > points_[k] * (1 + 1e-7); }

  void insert(std::vector<double> frequencies) {
    std::sort(frequencies.begin(), frequencies.end());
    frequencies.erase(std::unique(frequencies.begin(), frequencies.end()), frequencies.end());
    std::erase_if(frequencies, [&](double f) { return std::binary_search(points_.begin(), points_.end(), f); });
    std::vector<std::vector<double>> over;
    const CurveStates states(*load_, frequencies);
    for (const PointDemand& demand : point_demands_) over.push_back(over_at(demand, states));
    for (std::size_t i = 0; i < frequencies.size(); ++i) {
      const auto at = std::lower_bound(points_.begin(), points_.end(), frequencies[i]) - points_.begin();
      points_.insert(points_.begin() + at, frequencies[i]);
      levels_.insert(levels_.begin() + at, task_.specified->reference(frequencies[i]));
      for (std::size_t d = 0; d < over.size(); ++d)
        point_demands_[d].over.insert(point_demands_[d].over.begin() + at, over[d][i]);
    }
  }

  // Whether a limit that can be kept is passed under an input; then more is lowered for it.
  bool lower_more(const Gains& gains, const CaseResponse& applied) {
    std::vector<double> added;
    for (const PointDemand& demand : point_demands_) {
      if (gains.cut.contains(demand.limit)) continue;
      const Largest found = largest(demand, applied);
      if (found.over > 1 && !std::binary_search(points_.begin(), points_.end(), found.frequency))
        added.push_back(found.frequency);
    }
    insert(added);
    bool more = !added.empty();
    for (RmsDemand& demand : rms_demands_) more = lower_more(applied, demand) || more;
    return more;
  }
  [[nodiscard]] static bool lower_more(const CaseResponse& applied, RmsDemand& demand) {
    const Eigen::VectorXd rms = rms_of(demand, applied);
    RmsDemand::Place* place = nullptr;
    std::size_t worst = 0;
    double over = 1;
    for (Eigen::Index i = 0; i < rms.size(); ++i) {
      const double own = demand.room > 0 ? rms[i] / demand.room : HUGE_VAL;
      if (!(rms[i] > 0) || !(own > over)) continue;
      const auto known = std::find_if(demand.places.begin(), demand.places.end(), [&](const RmsDemand::Place& each) {
        return each.candidate == static_cast<std::size_t>(i);
      });
      if (known != demand.places.end() && known->is_cut) continue;
      place = known == demand.places.end() ? nullptr : &*known;
      worst = static_cast<std::size_t>(i);
      over = own;
    }
    if (!(over > 1)) return false;
    if (place)
      place->safety *= over * over * (1 + 1e-6);
    else
      demand.places.push_back({worst});
    return true;
  }

  // From what was found with other springs towards these gains.
  void go_towards(const NotchApproach& approach, Gains& gains) const {
    const DrawnCurve before(approach.before.grid, approach.before.highest);
    for (std::size_t k = 0; k < points_.size(); ++k) {
      const double earlier = std::clamp(before.at(points_[k]) / levels_[k], deepest_ever * deepest_ever, 1.0);
      const double gain = std::pow(gains.gain[k], approach.part) * std::pow(earlier, 1 - approach.part);
      gains.gain[k] = gain < 1 ? std::max(gain / approach.margin, gains.lowest[k]) : 1;
    }
  }

  const NotchTask& task_;
  const NotchModel& model_;
  bool random_;
  std::optional<CaseResponse> load_;               // what is specified
  std::vector<double> points_, levels_;            // Hz; specified
  std::map<double, std::vector<double>> middles_;  // half way between points: what each point demand is over there
  std::vector<PointDemand> point_demands_;
  std::vector<RmsDemand> rms_demands_;
};

}  // namespace

std::optional<NotchedInput> notched_input(const NotchTask& task, const NotchModel& model,
                                          const std::optional<NotchApproach>& approach) {
  return NotchSearch(task, model).find(approach);
}

std::vector<NotKept> passed_under(const NotchedInput& input, const NotchTask& task, const NotchModel& model) {
  return NotchSearch(task, model).passed(CaseResponse(input.applied, task.system, model.basis, model.damping));
}

std::shared_ptr<const Excitation> applied_in_place_of(std::shared_ptr<const Excitation> specified,
                                                      const LogLogTable& table) {
  auto made = std::make_shared<Excitation>(*specified);
  made->along += made->along.empty() ? "notched" : ".notched";
  for (std::string& input : made->inputs) input += ", notched";
  if (specified->is_random())
    made->spectrum = SpectralMatrix({table}, {}, specified->names);
  else
    made->drive = Drive(std::vector<Amplitude>(static_cast<std::size_t>(specified->drive.size()), Amplitude(table)));
  made->specified = std::move(specified);
  return made;
}

}  // namespace avrenk
