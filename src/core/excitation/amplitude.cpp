#include "core/excitation/amplitude.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

#include "core/error.h"
#include "core/excitation/steps.h"
#include "core/quantity/quantity.h"

namespace avrenk {

using Complex = std::complex<double>;

namespace {

// The first stretch that begins above a frequency: the one before it holds there, or none does.
template <typename Stretch>
auto first_above(const std::vector<Stretch>& stretches, double frequency) {
  return std::upper_bound(stretches.begin(), stretches.end(), frequency,
                          [](double f, const Stretch& stretch) { return f < stretch.f1; });
}

}  // namespace

Amplitude::Amplitude(const LogLogTable& levels) {
  for (const PowerLaw& law : levels.stretches())
    stretches_.push_back({law.f1, law.f2, law.v1, law.v2, 0, 0, BetweenPoints::power_law});
}

Amplitude::Amplitude(const std::vector<AmplitudePoint>& points, BetweenPoints between) {
  if (points.size() < 2) throw_input_error("", "a table needs two points or more", "give two different frequencies");
  for (std::size_t i = 0; i < points.size(); ++i) {
    const AmplitudePoint& point = points[i];
    if (!(point.frequency > 0)) throw_input_error("", "a frequency of a table must be positive", "leave 0 Hz out");
    if (!(point.level >= 0)) throw_input_error("", "an amplitude is not negative", "turn its phase by 180° instead");
    if (i > 0 && point.frequency < points[i - 1].frequency)
      throw_input_error("",
                        fmt::format("frequencies fall from {:g} to {:g} Hz", points[i - 1].frequency, point.frequency),
                        "order them so that they rise");
    if (i > 1 && point.frequency == points[i - 2].frequency)
      throw_input_error("", fmt::format("three points lie at {:g} Hz", point.frequency), "leave two: they make a step");
    if (between == BetweenPoints::power_law && point.level == 0)
      throw_input_error("", fmt::format("a level of 0 at {:g} Hz has no place on log-log paper", point.frequency),
                        "let straight lines or steps hold between the points");
    if (i == 0 || point.frequency == points[i - 1].frequency) continue;
    const AmplitudePoint& before = points[i - 1];
    const double end = between == BetweenPoints::steps ? before.level : point.level,
                 phase = between == BetweenPoints::steps ? before.phase : point.phase;
    stretches_.push_back({before.frequency, point.frequency, before.level, end, before.phase, phase, between});
  }
  if (stretches_.empty()) throw_input_error("", "the table spans no frequencies", "give two different frequencies");
}

Amplitude Amplitude::constant(double level, double from, double to) {
  return Amplitude({{from, level, 0}, {to, level, 0}}, BetweenPoints::straight);
}

std::pair<Complex, Complex> Amplitude::Stretch::at(double f) const {
  const double part = (f - f1) / (f2 - f1), phase_rate = (phase2 - phase1) / (f2 - f1);
  double level = v1, slope = 0;
  if (law == BetweenPoints::straight) {
    slope = (v2 - v1) / (f2 - f1);
    level = v1 + slope * (f - f1);
  } else if (law == BetweenPoints::power_law) {
    const PowerLaw own{f1, f2, v1, v2};
    level = own.at(f);
    slope = level * own.exponent() / f;
  }
  const Complex turn = phase1 == 0 && phase2 == 0 ? Complex(1) : std::polar(1.0, phase1 + part * (phase2 - phase1));
  return {level * turn, (slope + Complex(0, level * phase_rate)) * turn};
}

std::pair<Complex, Complex> Amplitude::scaled(const Stretch& stretch, double f) const {
  auto [value, slope] = stretch.at(f);
  if (omega_power_ != 0) {
    const double grown = std::pow(2 * pi * f, omega_power_);
    slope = grown * (slope + (omega_power_ / f) * value);
    value *= grown;
  }
  return {factor_ * value, factor_ * slope};
}

Complex Amplitude::at(double frequency) const {
  // Stretches follow one another: at most two of them hold a point, the later one begins there.
  const auto after = first_above(stretches_, frequency);
  Complex highest = 0;
  for (auto each = after; each != stretches_.begin() && std::distance(each, after) < 2;) {
    --each;
    if (frequency > each->f2) continue;
    const Complex value = scaled(*each, frequency).first;
    if (std::abs(value) > std::abs(highest) * (1 + 1e-15)) highest = value;
  }
  return highest;
}

std::pair<Complex, Complex> Amplitude::with_slope(double frequency, double inside) const {
  const auto after = first_above(stretches_, inside);
  if (after == stretches_.begin() || inside > std::prev(after)->f2) return {0, 0};
  return scaled(*std::prev(after), frequency);
}

std::vector<double> Amplitude::curve_points() const {
  return beside_steps(stretches_, [](const Stretch& before, const Stretch& after) {
    return after.v1 != before.v2 || after.phase1 != before.phase2;
  });
}

Amplitude Amplitude::stretched(double k) const {
  Amplitude result = *this;
  for (Stretch& stretch : result.stretches_) {
    stretch.f1 *= k;
    stretch.f2 *= k;
  }
  result.factor_ /= std::pow(k, omega_power_);
  return result;
}

Amplitude Amplitude::times(Complex factor, int omega_power) const {
  Amplitude result = *this;
  result.factor_ *= factor;
  result.omega_power_ += omega_power;
  return result;
}

Eigen::VectorXcd Drive::at(double frequency) const {
  Eigen::VectorXcd all(size());
  for (Eigen::Index k = 0; k < all.size(); ++k) all[k] = columns_[static_cast<std::size_t>(k)].at(frequency);
  return all;
}

std::pair<Eigen::VectorXcd, Eigen::VectorXcd> Drive::with_slope(double frequency, double inside) const {
  Eigen::VectorXcd values(size()), slopes(size());
  for (Eigen::Index k = 0; k < values.size(); ++k)
    std::tie(values[k], slopes[k]) = columns_[static_cast<std::size_t>(k)].with_slope(frequency, inside);
  return {values, slopes};
}

Eigen::MatrixXcd Drive::at(std::span<const double> frequencies) const {
  Eigen::MatrixXcd all(size(), static_cast<Eigen::Index>(frequencies.size()));
  for (Eigen::Index k = 0; k < all.cols(); ++k) all.col(k) = at(frequencies[static_cast<std::size_t>(k)]);
  return all;
}

std::vector<double> Drive::references(std::span<const double> frequencies) const {
  std::vector<double> all;
  all.reserve(frequencies.size());
  for (const double f : frequencies) all.push_back(reference(f));
  return all;
}

std::vector<double> Drive::curve_points() const {
  std::vector<double> all;
  for (const Amplitude& column : columns_)
    for (const double f : column.curve_points()) all.push_back(f);
  return all;
}

}  // namespace avrenk
