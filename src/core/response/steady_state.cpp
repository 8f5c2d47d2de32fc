#include "core/response/steady_state.h"

#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>

namespace avrenk {
namespace {

using Eigen::VectorXcd;

constexpr double near_enough = 0.7;  // grid maxima below this part of the highest cannot become the peak

// d(max²)/df with max² = ½(ŵᴴŵ + |ŵᵀŵ|).
double slope_of_square(const VectorXcd& w, const VectorXcd& dw) {
  const double hermitian = 2 * w.dot(dw).real();  // Eigen's dot conjugates the left
  const Complex n = w.transpose() * w;
  const Complex dn = 2.0 * (w.transpose() * dw)(0);
  return 0.5 * (hermitian + (std::abs(n) > 0 ? (std::conj(n) * dn).real() / std::abs(n) : 0));
}

}  // namespace

double largest_over_phase(const VectorXcd& w) {
  const Complex n = w.transpose() * w;
  return std::sqrt(0.5 * (w.squaredNorm() + std::abs(n)));
}

double phase_of_largest(const VectorXcd& w) {
  if (w.size() == 1) return std::arg(w[0]);
  const Complex n = w.transpose() * w;
  return 0.5 * std::arg(n);  // the instant ωt* = −½ arg(ŵᵀŵ)
}

SineResponse::SineResponse(const Transfer& transfer, LogLogTable amplitude, std::vector<double> grid)
    : transfer_(transfer), amplitude_(std::move(amplitude)), grid_(std::move(grid)) {
  states_.resize(transfer.layout().size(), static_cast<Eigen::Index>(grid_.size()));
  for (std::size_t i = 0; i < grid_.size(); ++i)
    states_.col(static_cast<Eigen::Index>(i)) = amplitude_.at(grid_[i]) * transfer.state(grid_[i]);
}

VectorXcd SineResponse::at(const Measure& measure, double frequency) const {
  return measure.rows * (amplitude_.at(frequency) * transfer_.state(frequency));
}

std::vector<double> SineResponse::magnitudes(const Measure& measure) const {
  const Eigen::MatrixXcd w = curve(measure);
  std::vector<double> values(grid_.size());
  for (std::size_t i = 0; i < values.size(); ++i) values[i] = largest_over_phase(w.col(static_cast<Eigen::Index>(i)));
  return values;
}

SinePeak SineResponse::peak(const Measure& measure) const { return refine(measure, magnitudes(measure)); }

SinePeak SineResponse::refine(const Measure& measure, const std::vector<double>& magnitudes) const {
  const double highest = *std::max_element(magnitudes.begin(), magnitudes.end());
  SinePeak best{-1, 0, 0, false};
  const auto consider = [&](double frequency) {
    const VectorXcd w = at(measure, frequency);
    const double value = largest_over_phase(w);
    if (value > best.value) best = {value, frequency, phase_of_largest(w), false};
  };
  for (std::size_t i = 0; i < grid_.size(); ++i) {
    const bool falls_before = i == 0 || magnitudes[i - 1] <= magnitudes[i];
    const bool falls_after = i + 1 == grid_.size() || magnitudes[i + 1] <= magnitudes[i];
    if (!falls_before || !falls_after || magnitudes[i] < near_enough * highest) continue;
    consider(grid_[i]);
    // On each side of the point, where the amplitude follows one power law, look for a root of the derivative.
    for (const std::size_t left : {i - 1, i}) {
      if (left >= grid_.size() || left + 1 >= grid_.size()) continue;  // also i − 1 of the first point
      const double a = grid_[left], b = grid_[left + 1];
      const PowerLaw* law = amplitude_.stretch_at(0.5 * (a + b));
      if (!law) continue;
      const double exponent = law->exponent();
      const auto slope = [&](double f) {
        const double level = law->at(f);
        const Eigen::VectorXcd z = transfer_.state(f);
        const VectorXcd w = measure.rows * (level * z);
        const VectorXcd dw = measure.rows * (level * (transfer_.state_slope(f) + (exponent / f) * z));
        return slope_of_square(w, dw);
      };
      const double slope_a = slope(a), slope_b = slope(b);
      if (!(slope_a > 0 && slope_b < 0)) continue;
      std::uintmax_t steps = 100;
      const auto close = [](double x, double y) {
        return std::abs(x - y) <= 0.1 * peak_frequency_tolerance * std::abs(x);
      };
      const auto [lower, upper] = boost::math::tools::toms748_solve(slope, a, b, slope_a, slope_b, close, steps);
      consider(0.5 * (lower + upper));
    }
  }
  best.at_end = best.frequency == grid_.front() || best.frequency == grid_.back();
  return best;
}

std::pair<std::size_t, SinePeak> SineResponse::worst(std::span<const Measure> measures) const {
  std::vector<std::vector<double>> magnitudes_of;
  double highest = 0;
  for (const Measure& measure : measures) {
    magnitudes_of.push_back(magnitudes(measure));
    highest = std::max(highest, *std::max_element(magnitudes_of.back().begin(), magnitudes_of.back().end()));
  }
  std::pair<std::size_t, SinePeak> result{0, {-1, 0, 0, false}};
  for (std::size_t k = 0; k < measures.size(); ++k) {
    const auto& own = magnitudes_of[k];
    if (*std::max_element(own.begin(), own.end()) < near_enough * highest) continue;
    const SinePeak peak = refine(measures[k], own);
    // Symmetric feet differ by rounding: the first of equals is named.
    if (peak.value > result.second.value * (1 + 1e-9)) result = {k, peak};
  }
  return result;
}

}  // namespace avrenk
