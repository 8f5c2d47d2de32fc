#include "core/assess/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/assess/clearance.h"
#include "core/assess/formula.h"
#include "core/model/mass_properties.h"
#include "core/modes/modal_basis.h"
#include "core/response/length_distribution.h"

namespace avrenk {
namespace {

double margin_of(double allowable, double value) {
  return value > 0 ? allowable / value - 1 : std::numeric_limits<double>::infinity();
}

// The value that a limit looks at, at the level applied and at its upper tolerance, and where it occurs.
struct Taken {
  double value = 0, upper = 0;
  std::string where;
  bool gaussian = true, upper_bound = false;
  double gap = 0;         // of a clearance
  double allowable = -1;  // of a PSD, where it is nearest to it
};

double sigma_of(const ResponseLimit& limit) {
  const Take& take = limit.take_random;
  return take.form == Take::Form::sigma || take.form == Take::Form::probability ? take.sigma : 1;
}

// What closes a gap counts, not what opens it.
Taken take_clearance(const ResponseLimit& limit, const Output& watched, std::size_t index, const CaseResults& outcome,
                     const CaseResults* still) {
  const double sigma = outcome.random() ? sigma_of(limit) : 1;
  const Clearance clearance = clearance_of(watched, index, outcome, still, sigma),
                  upper = clearance_of(watched, index, outcome, still, sigma * outcome.environment().upper);
  Taken taken{clearance.closing, upper.closing, clearance.where};
  taken.gap = clearance.gap;
  taken.upper_bound = still && outcome.random();
  return taken;
}

// measure(s₀) + n·RMS of the worst candidate: an upper bound.
Taken random_with_static(const Output& watched, const RandomRow& row, const StaticRow& still, double sigma,
                         double upper) {
  Taken taken{-1, 0, "", watched.is_gaussian(), true};
  for (std::size_t k = 0; k < watched.candidates->items.size(); ++k) {
    const double constant = watched.candidates->of(still.rows, k).middleRows(watched.first, watched.count).norm();
    const double spread = sigma * row.candidate_rms[static_cast<Eigen::Index>(k)];
    taken.upper = std::max(taken.upper, constant + upper * spread);  // another candidate may be the worst there
    if (constant + spread <= taken.value * (1 + 1e-9)) continue;
    taken.value = constant + spread;
    taken.where = watched.candidates->label(k);
  }
  return taken;
}

// The PSD of a place where it is highest beside what is allowed there.
Taken take_psd(const AllowedPsd& allowed, const CaseResults& outcome, const RandomRow& row) {
  const std::vector<double>& psd = row.of_place.empty() ? row.psd : row.of_place;
  const double upper = outcome.environment().upper;
  Taken taken{0, 0, "", true};
  const Excitation& excitation = *outcome.excitation;
  const SpectralMatrix& input = (excitation.specified ? *excitation.specified : excitation).spectrum;
  double highest = -1;
  for (std::size_t k = 0; k < psd.size(); ++k) {
    const double f = outcome.grid()[k], here = allowed.at(f, input.level(0, f));
    if (!(here > 0) || psd[k] / here <= highest) continue;
    highest = psd[k] / here;
    taken.value = psd[k];
    taken.upper = upper * upper * psd[k];
    taken.allowable = here;
    taken.where = fmt::format("{}, {:.5g} Hz", row.where, f);
  }
  return taken;
}

Taken take_from(const ResponseLimit& limit, const Output& watched, std::size_t index, const CaseResults& outcome,
                const CaseResults* still) {
  const double upper = outcome.environment().upper;
  if (watched.quantity->keyword == "clearance") return take_clearance(limit, watched, index, outcome, still);
  if (outcome.at_rest()) {
    const StaticRow& row = outcome.at_rest()->rows[index];
    return {row.value, row.value, row.where};
  }
  if (outcome.sine()) {
    const SineRow& row = outcome.sine()->rows[index];
    if (still)
      if (const WithStatic* const both = row.together_with(limit.with))
        return {both->value, both->upper_value, both->where};
    return {row.peak.value, (watched.quantity->per_input() ? 1 : upper) * row.peak.value, row.where};
  }
  const RandomRow& row = outcome.random()->rows[index];
  const double sigma = sigma_of(limit);
  if (limit.allowed_psd) return take_psd(*limit.allowed_psd, outcome, row);
  const Take& take = limit.take_random;
  if (take.form == Take::Form::probability || take.form == Take::Form::largest) {
    const double own =
        take.form == Take::Form::probability ? row.within[static_cast<std::size_t>(std::lround(take.sigma) - 1)]
        : take.quantile > 0
            ? row.rms * largest_below(row.moments.zero_crossings(), *outcome.environment().duration, take.quantile)
            : row.largest;
    const double constant = still ? still->at_rest()->rows[index].value : 0;
    return {constant + own, constant + upper * own, row.where, true, still != nullptr};
  }
  if (still) return random_with_static(watched, row, still->at_rest()->rows[index], sigma, upper);
  return {sigma * row.rms, upper * sigma * row.rms, row.where, watched.is_gaussian()};
}

// RMS of both, or what both stay below; at the upper tolerance as if both were at the larger of theirs.
Taken take_together(const ResponseLimit& limit, const OnRandomRow& row, const CaseResults& outcome,
                    const OnRandom& both) {
  const bool within = limit.take_random.form == Take::Form::probability;
  const double value =
      within ? row.within[static_cast<std::size_t>(std::lround(limit.take_random.sigma) - 1)] : row.rms;
  const double upper = std::max(outcome.environment().upper, both.random->environment->upper);
  return {value, upper * value, "", true, false};
}

// Where a curve of positive values is above a level, with edges on the straight lines in log-log between its points.
std::vector<std::pair<double, double>> bands_above(double level, const std::vector<double>& grid,
                                                   const std::vector<double>& values) {
  std::vector<std::pair<double, double>> bands;
  const auto edge = [&](std::size_t below, std::size_t above) {
    if (!(values[below] > 0 && values[above] > 0)) return grid[above];
    const double part = std::log(level / values[below]) / std::log(values[above] / values[below]);
    return grid[below] * std::pow(grid[above] / grid[below], part);
  };
  bool inside = false;
  for (std::size_t k = 0; k < grid.size(); ++k) {
    const bool above = values[k] > level;
    if (above && !inside) bands.emplace_back(k == 0 ? grid[0] : edge(k - 1, k), grid[k]);
    if (above) bands.back().second = grid[k];
    if (!above && inside) bands.back().second = edge(k, k - 1);
    inside = above;
  }
  return bands;
}

std::vector<double> amplitudes_of(const SineRow& row) {
  if (!row.of_place.empty()) return row.of_place;
  std::vector<double> all;
  all.reserve(static_cast<std::size_t>(row.curve.cols()));
  for (Eigen::Index k = 0; k < row.curve.cols(); ++k) all.push_back(largest_over_phase(row.curve.col(k)));
  return all;
}

// Which mode makes a response by itself; of a sine at which frequency, and where it exceeds what is allowed.
void add_cause(LimitResult& result, const CaseResults& outcome, const Output& watched, std::size_t index) {
  if (const auto& shares = outcome.shares(index); !shares.empty()) result.mode = shares.front().first;
  if (!outcome.sine() || outcome.is_root_sum()) return;
  const SineRow& row = outcome.sine()->rows[index];
  result.frequency = row.peak.frequency;
  if (result.margin < 0 && !watched.quantity->is_reciprocal && !result.limit->response()->at_least)
    result.bands = bands_above(result.allowable / result.limit->factor, outcome.grid(), amplitudes_of(row));
}

std::optional<LimitResult> check_response(const Limit& limit, const std::vector<CaseResults>& outcomes,
                                          const std::vector<Output>& watched, const std::vector<OnRandom>& on_random,
                                          const std::vector<std::vector<bool>>& real) {
  const ResponseLimit& response = *limit.response();
  const Output* const found = find_output(watched, response.of);
  if (!found) return std::nullopt;
  const auto index = static_cast<std::size_t>(found - watched.data());
  const auto still = std::find_if(outcomes.begin(), outcomes.end(), [&](const CaseResults& outcome) {
    return !response.with.empty() && outcome.environment().name == response.with;
  });
  std::optional<LimitResult> worst;
  for (const CaseResults& outcome : outcomes) {
    if (!covers(limit, *outcome.excitation) || is_replaced(*outcome.excitation, outcomes)) continue;
    const bool on = !outcome.environment().superposed_on.empty();
    const auto both = std::find_if(on_random.begin(), on_random.end(),
                                   [&](const OnRandom& each) { return each.acting == outcome.excitation; });
    if (on && both == on_random.end()) continue;  // what it acts on was not run
    const CaseResults* const beside = still == outcomes.end() ? nullptr : &*still;
    Taken taken = on ? take_together(response, both->rows[index], outcome, *both)
                     : take_from(response, *found, index, outcome, beside);
    if (!on && !beside && !found->quantity->is_reciprocal && std::isfinite(taken.value) &&
        !real[static_cast<std::size_t>(&outcome - outcomes.data())][index])
      taken.value = taken.upper = 0;  // rounding
    LimitResult result;
    result.limit = &limit;
    const Take& take = outcome.random() || on ? response.take_random : response.take;
    result.what = fmt::format("{}, {}, {}{}", found->name,
                              outcome.at_rest()                ? "static"
                              : found->quantity->is_reciprocal ? "smallest"
                                                               : take.words(),
                              outcome.name(),
                              on                      ? " on " + both->random->name()
                              : response.with.empty() ? ""
                                                      : " with " + response.with);
    result.where = taken.where;
    result.kind = found->quantity->kind;
    result.value = taken.value;
    result.gaussian = taken.gaussian;
    result.upper_bound = taken.upper_bound;
    result.allowable = limit.allowable;
    if (response.at_least) result.allowable = taken.gap - *response.at_least;
    result.is_psd = response.allowed_psd && outcome.random();
    if (result.is_psd) result.allowable = taken.allowable;
    const auto margin = [&](double value) {
      if (result.is_psd) return std::sqrt(1 + margin_of(taken.allowable, value)) / limit.factor - 1;
      return found->quantity->is_reciprocal ? value / (limit.factor * limit.allowable) - 1
                                            : margin_of(result.allowable, limit.factor * value);
    };
    result.margin = margin(taken.value);
    result.upper_margin =
        outcome.environment().upper > 1 || (on && taken.upper > taken.value) ? margin(taken.upper) : std::nan("");
    result.met = result.deciding() >= 0;
    if (const auto& duration = outcome.environment().duration; outcome.random() && !outcome.is_combined() && !on &&
                                                               !result.is_psd && duration && found->is_gaussian() &&
                                                               response.with.empty() && !response.at_least) {
      const RandomRow& row = outcome.random()->rows[index];
      if (row.rms > 0)
        result.exceeded =
            probability_exceeded(row.moments.zero_crossings(), *duration, limit.allowable / limit.factor / row.rms);
    }
    if (worst && !(result.deciding() < worst->deciding())) continue;
    if (!on && !beside && !result.is_psd && taken.value != 0) add_cause(result, outcome, *found, index);
    worst = std::move(result);
  }
  return worst;
}

// Fills in the margin of a number that must lie above or below a bound.
void compare(LimitResult& result, bool below) {
  const Limit& limit = *result.limit;
  result.allowable = limit.allowable;
  result.margin = below ? limit.allowable / (limit.factor * result.value) - 1 : result.value / limit.allowable - 1;
  result.upper_margin = std::nan("");
  result.met = result.margin >= 0;
}

// Of a mode, over the total.
double mass_fraction(int r, int direction, const ModalBasis& basis, std::span<const SpringMode> with_springs) {
  const double mass =
      with_springs.empty()
          ? basis.effective_mass(r, direction)
          : std::pow(basis.rigid_participation.col(direction).dot(with_springs[static_cast<std::size_t>(r)].shape), 2);
  return mass / basis.rigid_mass(direction, direction);
}

LimitResult check_frequency(const Limit& limit, const FrequencyLimit& wanted, const ModalBasis& basis,
                            std::span<const SpringMode> with_springs) {
  LimitResult result;
  result.limit = &limit;
  result.kind = &kind::frequency;
  const bool any = wanted.effective_mass_above <= 0;
  const std::string along =
      any ? ""
          : fmt::format(" along {}, {:.3g} % of the mass", axis_names[static_cast<std::size_t>(wanted.direction)],
                        100 * wanted.effective_mass_above);
  if (const int r = limited_mode(wanted, basis, with_springs); r >= 0) {
    result.what = "frequency" + along;
    result.where =
        fmt::format("mode {}, {:.1f} %", r + 1, 100 * mass_fraction(r, wanted.direction, basis, with_springs));
    result.value = with_springs.empty() ? basis.frequency(r) : with_springs[static_cast<std::size_t>(r)].frequency;
    compare(result, wanted.below);
    return result;
  }
  // No such mode below the highest frequency that is proven complete: the true value lies above that.
  result.what = fmt::format("no mode{}, up to", along);
  result.where = fmt::format("{} modes", basis.modes);
  result.value = basis.proven_below;
  compare(result, wanted.below);
  if (wanted.below) {  // the first such mode lies above, so that this is the most that the margin can be
    result.met = false;
    result.margin = std::min(result.margin, 0.0);
  }
  return result;
}

LimitResult check_mass(const Limit& limit, const MassLimit& wanted, const Assembly& assembly) {
  LimitResult result;
  result.limit = &limit;
  result.kind = &kind::mass;
  result.what = wanted.part.empty() ? "mass" : "mass of " + wanted.part;
  for (const auto& [name, properties] : mass_breakdown(assembly))
    if (wanted.part.empty() || name == wanted.part) result.value += properties.mass;
  compare(result, wanted.below);
  return result;
}

// The worst subject of the lives named; none where none of them is known.
std::optional<LimitResult> check_life(const Limit& limit, const LifeLimit& wanted, const std::vector<Life>& lives) {
  std::optional<LimitResult> worst;
  for (const Life& life : lives) {
    if (std::find(wanted.lives.begin(), wanted.lives.end(), life.request->name) == wanted.lives.end()) continue;
    const bool times = !wanted.of_damage;
    LimitResult result;
    result.limit = &limit;
    result.kind = &kind::number;
    result.what = fmt::format("{} of {}, {}", times ? "life" : "damage", life.subject->of, life.request->name);
    result.where = life.where;
    result.value = times ? life.times() : life.counted_damage();
    compare(result, wanted.below);
    result.margin = std::pow(1 + result.margin, 1 / life.subject->line.slope) - 1;
    if (!worst || result.margin < worst->margin) worst = result;
  }
  return worst;
}

// What limits that were judged make together; none where one of them was not.
std::optional<LimitResult> check_interaction(const Limit& limit, const InteractionLimit& wanted,
                                             const std::vector<LimitResult>& judged) {
  std::vector<std::string> names;
  std::vector<double> values;
  std::string of;
  for (const auto& [name, other] : wanted.ratios) {
    const auto found = std::find_if(judged.begin(), judged.end(),
                                    [&, &other = other](const LimitResult& each) { return each.limit->name == other; });
    if (found == judged.end()) return std::nullopt;
    names.push_back(name);
    values.push_back(std::max(0.0, 1 / (1 + found->deciding())));
    of += fmt::format("{}{} {:.3g} of {}", of.empty() ? "" : ", ", name, values.back(), other);
  }
  const Formula formula(wanted.formula, names);
  LimitResult result;
  result.limit = &limit;
  result.kind = &kind::number;
  result.what = wanted.formula;
  result.where = of;
  result.value = formula.at(values);
  result.allowable = 1;
  result.margin = load_factor(formula, values) - 1;
  result.upper_margin = std::nan("");
  result.met = result.margin >= 0;
  return result;
}

}  // namespace

void LimitResult::refuse() {
  met = false;
  margin = -std::numeric_limits<double>::infinity();
  upper_margin = std::nan("");
}

void sort_worst_first(std::vector<LimitResult>& results) {
  std::stable_sort(results.begin(), results.end(),
                   [](const LimitResult& a, const LimitResult& b) { return a.deciding() < b.deciding(); });
}

int limited_mode(const FrequencyLimit& wanted, const ModalBasis& basis, std::span<const SpringMode> with_springs) {
  for (int r = 0; r < basis.modes; ++r)
    if (!(mass_fraction(r, wanted.direction, basis, with_springs) < wanted.effective_mass_above)) return r;
  return -1;
}

bool covers(const Limit& limit, const Excitation& excitation) {
  return limit.response() && excitation.is_among(limit.response()->environments);
}

std::string Take::words() const {
  if (form == Form::peak) return "peak";
  if (form == Form::probability) return fmt::format("{:.4g} %", 100 * probability_within(sigma));
  if (form == Form::largest)
    return quantile > 0 ? fmt::format("largest {:.4g} %", 100 * quantile) : std::string("expected largest");
  if (form == Form::psd) return "PSD";
  return form == Form::rms ? "RMS" : fmt::format("{:g}σ", sigma);
}

std::vector<StaticSum> sums_for(const std::vector<Limit>& limits, const Excitation& excitation,
                                const std::vector<const CaseResults*>& at_rest, const std::vector<Output>& watched) {
  std::vector<StaticSum> sums;
  if (!excitation.is_sine() || excitation.is_combined) return sums;
  for (const Limit& limit : limits) {
    if (!covers(limit, excitation) || limit.response()->with.empty()) continue;
    const Output* const found = find_output(watched, limit.response()->of);
    if (!found) continue;
    for (const CaseResults* still : at_rest) {
      const StaticSum sum{static_cast<std::size_t>(found - watched.data()), still};
      if (still->environment().name == limit.response()->with && std::find(sums.begin(), sums.end(), sum) == sums.end())
        sums.push_back(sum);
    }
  }
  return sums;
}

std::vector<LimitResult> check_limits(const std::vector<Limit>& limits, const std::vector<CaseResults>& outcomes,
                                      const std::vector<Output>& watched, const ModalBasis& basis,
                                      const Assembly& assembly, const std::vector<OnRandom>& on_random,
                                      const std::vector<Life>& lives, std::span<const SpringMode> with_springs) {
  std::vector<LimitResult> results;
  const auto add = [&](std::optional<LimitResult> result) {
    if (!result) return;
    if (std::isnan(result->value) || std::isnan(result->deciding())) result->refuse();  // no number meets nothing
    results.push_back(std::move(*result));
  };
  std::vector<std::vector<bool>> real;  // of each outcome by itself: the rest is rounding
  real.reserve(outcomes.size());
  for (const CaseResults& outcome : outcomes) real.push_back(real_answers(outcome, watched));
  for (const Limit& limit : limits) {
    if (limit.response()) add(check_response(limit, outcomes, watched, on_random, real));
    if (const auto* wanted = std::get_if<FrequencyLimit>(&limit.kind))
      add(check_frequency(limit, *wanted, basis, with_springs));
    if (const auto* wanted = std::get_if<MassLimit>(&limit.kind)) add(check_mass(limit, *wanted, assembly));
    if (const auto* wanted = std::get_if<LifeLimit>(&limit.kind)) add(check_life(limit, *wanted, lives));
  }
  const std::vector<LimitResult> judged = results;
  for (const Limit& limit : limits)  // of the others
    if (const auto* wanted = std::get_if<InteractionLimit>(&limit.kind)) add(check_interaction(limit, *wanted, judged));
  sort_worst_first(results);
  return results;
}

}  // namespace avrenk
