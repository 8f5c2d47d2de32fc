#include "core/response/tone_distribution.h"

#include <algorithm>
#include <boost/math/quadrature/gauss.hpp>
#include <boost/math/special_functions/bessel.hpp>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <numbers>

namespace avrenk {
namespace {

// Noise this far below the tones is none: the integrals would need more points than it is worth.
constexpr double no_noise = 1e-4;

double quiet(const TonesOnNoise& x) { return std::max(x.sigma, no_noise * x.highest()); }

// ∫ g(t) e^{−σ²t²/2} Π J₀(A_k t) dt from 0 on, where g turns at a rate `turning`.
template <typename Function>
double integral(const TonesOnNoise& x, double turning, const Function& g) {
  const double sigma = quiet(x), end = 9 / sigma;  // e^{−40}
  const double rate = turning + x.highest() + sigma;
  constexpr double angle = 8;  // of a panel of sixteen points
  const auto panels = static_cast<int>(std::ceil(end * rate / angle));
  double sum = 0;
  for (int k = 0; k < panels; ++k)
    sum += boost::math::quadrature::gauss<double, 16>::integrate(
        [&](double t) {
          double product = std::exp(-0.5 * sigma * sigma * t * t);
          for (const double amplitude : x.amplitudes) product *= boost::math::cyl_bessel_j(0, amplitude * t);
          return product * g(t);
        },
        end * k / panels, end * (k + 1) / panels);
  return sum;
}

}  // namespace

double TonesOnNoise::rms() const {
  double sum = sigma * sigma;
  for (const double each : amplitudes) sum += 0.5 * each * each;
  return std::sqrt(sum);
}

double TonesOnNoise::highest() const {
  double sum = 0;
  for (const double each : amplitudes) sum += each;
  return sum;
}

double share_within(const TonesOnNoise& x, double level) {
  if (!(level > 0)) return 0;
  if (!(quiet(x) > 0)) return 1;
  const double share = 2 / std::numbers::pi * integral(x, level, [&](double t) { return std::sin(level * t) / t; });
  return std::clamp(share, 0.0, 1.0);
}

double envelope_below(const TonesOnNoise& x, double level) {
  if (!(level > 0)) return 0;
  if (!(quiet(x) > 0)) return 1;
  const double probability =
      level * integral(x, level, [&](double t) { return boost::math::cyl_bessel_j(1, level * t); });
  return std::clamp(probability, 0.0, 1.0);
}

double level_within(const TonesOnNoise& x, double share) {
  if (!(quiet(x) > 0)) return 0;
  const double high = x.highest() + 9 * quiet(x);
  std::uintmax_t most = 100;
  const auto bracket =
      boost::math::tools::toms748_solve([&](double level) { return share_within(x, level) - share; }, 0.0, high, -share,
                                        1 - share, boost::math::tools::eps_tolerance<double>(36), most);
  return 0.5 * (bracket.first + bracket.second);
}

}  // namespace avrenk
