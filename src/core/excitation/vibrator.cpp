#include "core/excitation/vibrator.h"

#include <cmath>

namespace avrenk {
namespace {

// Where a law reaches a level; none if it does not between its ends.
std::optional<double> crossing(const PowerLaw& law, double level) {
  const double n = law.exponent();
  if (n == 0) return std::nullopt;
  const double f = law.f1 * std::pow(level / law.v1, 1 / n);
  return f > law.f1 && f < law.f2 ? std::optional(f) : std::nullopt;
}

Demand largest_of(Demand::Of of, const LogLogTable& table, double factor, const std::optional<double>& limit) {
  Demand demand{of, 0, limit};
  const auto over = [&](double f) {
    if (demand.from == 0 || f < demand.from) demand.from = f;
    demand.to = std::max(demand.to, f);
  };
  for (const PowerLaw& law : table.stretches()) {
    for (const auto& [f, v] : {std::pair{law.f1, law.v1}, {law.f2, law.v2}}) {
      if (factor * v > demand.value) {
        demand.value = factor * v;
        demand.at = f;
      }
      if (limit && factor * v > *limit) over(f);
    }
    if (!limit || (factor * law.v1 > *limit) == (factor * law.v2 > *limit)) continue;
    if (const auto f = crossing(law, *limit / factor)) over(*f);
  }
  return demand;
}

}  // namespace

std::vector<Demand> demands_of(const LogLogTable& input, bool random, const Vibrator& vibrator) {
  using Of = Demand::Of;
  if (!random)
    return {largest_of(Of::force, input, vibrator.mass(), vibrator.force),
            largest_of(Of::velocity, input.times_omega(-1), 1, vibrator.velocity),
            largest_of(Of::stroke, input.times_omega(-2), 2, vibrator.stroke)};
  constexpr double sigmas = 3;
  const auto rms = [&](int power) { return std::sqrt(input.times_omega(power).area()); };
  return {{Of::force, vibrator.mass() * rms(0), vibrator.random_force},
          {Of::velocity, sigmas * rms(-2), vibrator.velocity},
          {Of::stroke, 2 * sigmas * rms(-4), vibrator.stroke}};
}

}  // namespace avrenk
