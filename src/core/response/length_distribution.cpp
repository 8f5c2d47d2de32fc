#include "core/response/length_distribution.h"

#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/quantity/quantity.h"

namespace avrenk {

using Complex = std::complex<double>;
using Eigen::VectorXd;

double probability_below(const VectorXd& variances, double length) {
  const double sum = variances.cwiseMax(0).sum();
  if (!(length > 0)) return 0;
  if (!(sum > 0)) return 1;
  constexpr int points = 24;
  constexpr double count = points;
  const VectorXd parts = variances.cwiseMax(0) / sum;
  const double t = length * length / sum;
  // f(t) = 1/(2πi) ∫ e^{zt} F(z) dz along z(θ) = N (0.5017 θ cot 0.6407θ − 0.6122 + 0.2645 iθ) / t; both halves are
  // conjugate.
  double probability = 0;
  for (int k = 1; k < points; k += 2) {
    const double theta = pi * k / count, cot = 1 / std::tan(0.6407 * theta), sine = std::sin(0.6407 * theta);
    const Complex z = count * Complex(0.5017 * theta * cot - 0.6122, 0.2645 * theta),
                  slope = count * Complex(0.5017 * (cot - 0.6407 * theta / (sine * sine)), 0.2645);
    Complex transform = 1.0 / z;  // F(z/t)/t
    for (const double part : parts) transform /= std::sqrt(1.0 + 2 * part * z / t);
    probability += 2 * (std::exp(z) * transform * slope).imag() / count;
  }
  return std::clamp(probability, 0.0, 1.0);
}

double length_below(const VectorXd& variances, double probability) {
  const double size = std::sqrt(variances.cwiseMax(0).sum());
  if (!(size > 0)) return 0;
  const VectorXd parts = variances.cwiseMax(0) / (size * size);
  const auto excess = [&](double x) { return probability_below(parts, x) - probability; };
  double high = 1;
  while (excess(high) < 0 && high < 100) high *= 2;
  std::uintmax_t steps = 100;
  const auto close = [](double a, double b) { return std::abs(a - b) <= 1e-12 * b; };
  const auto [a, b] = boost::math::tools::toms748_solve(excess, 0.0, high, -probability, excess(high), close, steps);
  return 0.5 * (a + b) * size;
}

double probability_within(double sigmas) { return std::erf(sigmas / std::numbers::sqrt2); }

}  // namespace avrenk
