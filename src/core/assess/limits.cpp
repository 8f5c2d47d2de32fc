#include "core/assess/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

namespace avrenk {
namespace {

double margin_of(double allowable, double value) {
  return value > 0 ? allowable / value - 1 : std::numeric_limits<double>::infinity();
}

bool covers(const Limit& limit, const Outcome& outcome) {
  return std::any_of(limit.environments.begin(), limit.environments.end(), [&](const std::string& name) {
    return name == outcome.environment->name || name == outcome.name();
  });
}

std::optional<LimitResult> check_response(const Limit& limit, const std::vector<Outcome>& outcomes,
                                          const std::vector<Watched>& watched) {
  const Watched* const found = find_watched(watched, limit.of);
  if (!found) return std::nullopt;
  const auto index = static_cast<std::size_t>(found - watched.data());
  std::optional<LimitResult> worst;
  for (const Outcome& outcome : outcomes) {
    if (!covers(limit, outcome)) continue;
    LimitResult result{&limit, fmt::format("{}, {}, {}", found->name, limit.take.words(), outcome.name()),
                       "",     found->quantity->kind,
                       0,      limit.allowable,
                       0,      false,
                       true};
    if (outcome.sine.empty()) {
      const RandomRow& row = outcome.random[index];
      result.value = row.rms * (limit.take.form == Take::Form::sigma ? limit.take.sigma : 1);
      result.where = row.where;
      result.gaussian = !found->is_magnitude();
    } else {
      result.value = outcome.sine[index].peak.value;
      result.where = outcome.sine[index].where;
    }
    result.margin = margin_of(limit.allowable, limit.factor * result.value);
    result.met = limit.factor * result.value <= limit.allowable;
    if (!worst || result.margin < worst->margin) worst = result;
  }
  return worst;
}

LimitResult check_frequency(const Limit& limit, const ModalBasis& basis) {
  const double total = basis.base.mass(limit.direction, limit.direction);
  LimitResult result;
  result.limit = &limit;
  result.kind = &kind::frequency;
  result.allowable = limit.above ? *limit.above : *limit.below;
  const bool any = limit.effective_mass_above <= 0;
  const std::string along =
      any ? ""
          : fmt::format(" along {}, {:.3g} % of the mass", axis_names[static_cast<std::size_t>(limit.direction)],
                        100 * limit.effective_mass_above);
  for (int r = 0; r < basis.modes; ++r) {
    const double fraction = basis.effective_mass(r, limit.direction) / total;
    if (fraction < limit.effective_mass_above) continue;
    result.what = "frequency" + along;
    result.where = fmt::format("mode {}, {:.1f} %", r + 1, 100 * fraction);
    result.value = basis.frequency(r);
    result.margin = limit.above ? result.value / *limit.above - 1 : *limit.below / result.value - 1;
    result.met = result.margin >= 0;
    return result;
  }
  // No such mode below the highest frequency that is proven complete: the true value lies above that.
  result.what = fmt::format("no mode{}, up to", along);
  result.where = fmt::format("{} modes", basis.modes);
  result.value = basis.proven_below;
  result.margin = limit.above ? result.value / *limit.above - 1 : *limit.below / result.value - 1;
  result.met = limit.above && result.value >= *limit.above;
  return result;
}

}  // namespace

std::string Take::words() const {
  if (form == Form::peak) return "peak";
  return form == Form::rms ? "RMS" : fmt::format("{:g}σ", sigma);
}

std::vector<LimitResult> check_limits(const std::vector<Limit>& limits, const std::vector<Outcome>& outcomes,
                                      const std::vector<Watched>& watched, const ModalBasis& basis) {
  std::vector<LimitResult> results;
  for (const Limit& limit : limits) {
    if (limit.is_frequency()) {
      results.push_back(check_frequency(limit, basis));
    } else if (auto result = check_response(limit, outcomes, watched)) {
      results.push_back(std::move(*result));
    }
  }
  std::stable_sort(results.begin(), results.end(),
                   [](const LimitResult& a, const LimitResult& b) { return a.margin < b.margin; });
  return results;
}

}  // namespace avrenk
