#include "core/assess/fatigue.h"

#include <boost/math/distributions/normal.hpp>
#include <cmath>

namespace avrenk {

double counted_cycles(const FatigueLine& line) {
  if (line.scatter == 0 || line.survival == 0.5) return line.cycles;
  const double z = boost::math::quantile(boost::math::normal_distribution<double>(), line.survival);
  return line.cycles * std::pow(10, -z * line.scatter);
}

double mean_stress_factor(const FatigueLine& line, double mean) {
  if (line.mean == MeanStressRule::none || !(mean > 0)) return 1;
  const double part = mean / line.ultimate;
  if (part >= 1) return HUGE_VAL;
  return 1 / (1 - (line.mean == MeanStressRule::goodman ? part : part * part));
}

std::array<double, 3> random_damage_rates(const FatigueLine& line, const SpectralMoments& moments) {
  const auto [m0, m1, m2, m4] = moments;
  if (!(m0 > 0 && m2 > 0)) return {};
  constexpr double narrow = 1e-9;  // 1 − α₂ below this is rounding of the moments
  const double k = line.slope, alpha1 = m1 / std::sqrt(m0 * m2), alpha2 = m2 / std::sqrt(m0 * m4);
  // Γ(1 + k/2) √2^k, and with it what is common to all: (σ/S₁)^k/N₁, as logarithms so that none overflows.
  const double common = k * std::log(std::sqrt(m0) / line.strength) - std::log(counted_cycles(line)),
               rayleigh = std::lgamma(1 + k / 2) + 0.5 * k * std::log(2.0);
  const double narrow_band = moments.zero_crossings() * std::exp(common + rayleigh);
  if (!(1 - alpha2 > narrow)) return {narrow_band, narrow_band, narrow_band};

  const double x = m1 / m0 * std::sqrt(m2 / m4);
  const double d1 = 2 * (x - alpha2 * alpha2) / (1 + alpha2 * alpha2);
  const double r = (alpha2 - x - d1 * d1) / (1 - alpha2 - d1 + d1 * d1);
  const double d2 = (1 - alpha2 - d1 + d1 * d1) / (1 - r), d3 = 1 - d1 - d2;
  const double q = 1.25 * (alpha2 - d3 - d2 * r) / d1;
  const double exponential = d1 > 0 && q > 0 ? d1 * std::exp(common + k * std::log(q) + std::lgamma(1 + k)) : 0;
  const double dirlik =
      moments.maxima() * (exponential + std::exp(common + rayleigh) * (d2 * std::pow(std::abs(r), k) + d3));

  const double sum = 1.112 * (1 + alpha1 * alpha2 - alpha1 - alpha2) * std::exp(2.11 * alpha2) + alpha1 - alpha2;
  const double b = (alpha1 - alpha2) * sum / ((alpha2 - 1) * (alpha2 - 1));
  return {narrow_band, dirlik, (b + (1 - b) * std::pow(alpha2, k - 1)) * narrow_band};
}

}  // namespace avrenk
