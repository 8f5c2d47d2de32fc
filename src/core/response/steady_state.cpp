#include "core/response/steady_state.h"

#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <numbers>

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::VectorXcd;
using Eigen::VectorXd;

constexpr double near_enough = 0.7;  // grid maxima below this part of the highest cannot become the peak

// d(max²)/df with max² = ½(ŵᴴŵ + |ŵᵀŵ|).
double slope_of_square(const VectorXcd& w, const VectorXcd& dw) {
  const double hermitian = 2 * w.dot(dw).real();  // Eigen's dot conjugates the left
  const Complex n = w.transpose() * w;
  const Complex dn = 2.0 * (w.transpose() * dw)(0);
  return 0.5 * (hermitian + (std::abs(n) > 0 ? (std::conj(n) * dn).real() / std::abs(n) : 0));
}

VectorXd at_instant(const VectorXd& constant, const VectorXcd& w, double instant) {
  return constant + (w * std::polar(1.0, instant)).real();
}

std::vector<double> levels_on(const LogLogTable& amplitude, const std::vector<double>& grid) {
  std::vector<double> levels;
  levels.reserve(grid.size());
  for (const double f : grid) levels.push_back(amplitude.at(f));
  return levels;
}

}  // namespace

double largest_over_phase(const VectorXcd& w) {
  if (w.size() == 1) return std::abs(w[0]);
  const Complex n = w.transpose() * w;
  return std::sqrt(0.5 * (w.squaredNorm() + std::abs(n)));
}

double phase_of_largest(const VectorXcd& w) {
  if (w.size() == 1) return std::arg(w[0]);
  const Complex n = w.transpose() * w;
  return 0.5 * std::arg(n);  // the instant ωt* = −½ arg(ŵᵀŵ)
}

LargestWithStatic largest_with_static(const VectorXd& constant, const VectorXcd& w) {
  if (w.size() == 1) {  // both along one line
    const double instant = constant[0] < 0 ? std::numbers::pi - std::arg(w[0]) : -std::arg(w[0]);
    return {std::abs(constant[0]) + std::abs(w[0]), instant};
  }
  // |v|² = c0 + Re(g z + h z²) with z = e^{iθ}, g = 2 sᵀŵ, h = ½ ŵᵀŵ; its derivative vanishes where
  // 2h z⁴ + g z³ − ḡ z − 2h̄ = 0.
  const Complex g = 2.0 * (constant.cast<Complex>().transpose() * w)(0), h = 0.5 * (w.transpose() * w)(0);
  LargestWithStatic best{-1, 0};
  const auto consider = [&](double instant) {
    const double value = at_instant(constant, w, instant).norm();
    if (value > best.value) best = {value, instant};
  };
  if (std::abs(h) > 1e-14 * (std::abs(g) + std::abs(h))) {
    Eigen::Matrix4cd companion = Eigen::Matrix4cd::Zero();
    companion(1, 0) = companion(2, 1) = companion(3, 2) = 1;
    companion(0, 3) = std::conj(h) / h;
    companion(1, 3) = 0.5 * std::conj(g) / h;
    companion(3, 3) = -0.5 * g / h;
    const Eigen::ComplexEigenSolver<Eigen::Matrix4cd> solver(companion, false);
    for (const Complex& z : solver.eigenvalues()) consider(std::arg(z));
  }
  consider(-std::arg(g));
  consider(-0.5 * std::arg(h));
  return best;
}

SineResponse::SineResponse(const Transfer& transfer, LogLogTable amplitude, std::vector<double> grid)
    : transfer_(transfer),
      amplitude_(std::move(amplitude)),
      grid_(std::move(grid)),
      levels_(levels_on(amplitude_, grid_)),
      states_(transfer, grid_, levels_) {}

double SineResponse::level(const Measure& measure, double frequency) const {
  return measure.per_input ? 1 : amplitude_.at(frequency);
}

VectorXcd SineResponse::at(const Measure& measure, double frequency) const {
  return measure.rows * (level(measure, frequency) * transfer_.state(frequency).col(0));
}

Eigen::MatrixXcd SineResponse::curve(const Measure& measure) const {
  Eigen::MatrixXcd w = curves(measure.rows);
  if (measure.per_input)
    for (Index k = 0; k < w.cols(); ++k) w.col(k) /= levels_[static_cast<std::size_t>(k)];
  return w;
}

SinePeak SineResponse::peak(const Measure& measure) const {
  const Eigen::MatrixXcd w = curve(measure);
  std::vector<double> magnitudes;
  for (Index k = 0; k < w.cols(); ++k) magnitudes.push_back(largest_over_phase(w.col(k)));
  return refine(measure, {}, 1, magnitudes);
}

SinePeak SineResponse::refine(const Measure& measure, const VectorXd& constant, double scale,
                              const std::vector<double>& magnitudes) const {
  const bool with_static = constant.size() > 0;
  const double highest = *std::max_element(magnitudes.begin(), magnitudes.end());
  SinePeak best{-1, 0, 0, false};
  const auto consider = [&](double frequency) {
    const VectorXcd w = scale * at(measure, frequency);
    const LargestWithStatic largest =
        with_static ? largest_with_static(constant, w) : LargestWithStatic{largest_over_phase(w), -phase_of_largest(w)};
    if (largest.value > best.value) best = {largest.value, frequency, -largest.instant, false};
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
      const double exponent = measure.per_input ? 0 : law->exponent();
      const auto slope = [&](double f) {
        const double level = scale * (measure.per_input ? 1 : law->at(f));
        const VectorXcd z = transfer_.state(f).col(0);
        const VectorXcd w = measure.rows * (level * z);
        const VectorXcd dw = measure.rows * (level * (transfer_.state_slope(f).col(0) + (exponent / f) * z));
        if (!with_static) return slope_of_square(w, dw);
        const double instant = largest_with_static(constant, w).instant;  // stationary: only dw counts
        return 2 * at_instant(constant, w, instant).dot((dw * std::polar(1.0, instant)).real());
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

std::pair<std::size_t, SinePeak> SineResponse::worst(const Many& many) const {
  const std::size_t number = many.candidates.items.size();
  const auto constant = [&](std::size_t k) -> VectorXd {
    return many.statics.size() > 0 ? many.candidates.of(many.statics, k).middleRows(many.first, many.count).col(0)
                                   : VectorXd();
  };
  std::vector<double> own(grid_.size()), highest_of(number, 0);
  const auto magnitudes = [&](std::size_t k) {
    const Eigen::MatrixXcd block = many.candidates.of(many.curves, k).middleRows(many.first, many.count);
    const VectorXd still = constant(k);
    for (std::size_t i = 0; i < own.size(); ++i) {
      const auto column = static_cast<Index>(i);
      const double scale = many.scale / (many.per_input ? levels_[i] : 1);
      own[i] = still.size() > 0  ? largest_with_static(still, scale * block.col(column)).value
               : many.count == 1 ? scale * std::abs(block(0, column))
                                 : scale * largest_over_phase(block.col(column));
    }
  };
  double highest = 0;
  for (std::size_t k = 0; k < number; ++k) {
    magnitudes(k);
    highest_of[k] = *std::max_element(own.begin(), own.end());
    highest = std::max(highest, highest_of[k]);
  }
  std::pair<std::size_t, SinePeak> result{0, {-1, 0, 0, false}};
  for (std::size_t k = 0; k < number; ++k) {
    if (highest_of[k] < near_enough * highest || highest_of[k] < near_enough * result.second.value) continue;
    magnitudes(k);
    const Measure measure{"", many.candidates.of(many.candidates.rows, k).middleRows(many.first, many.count),
                          many.per_input};
    const SinePeak peak = refine(measure, constant(k), many.scale, own);
    // Symmetric feet differ by rounding: the first of equals is named.
    if (peak.value > result.second.value * (1 + 1e-9)) result = {k, peak};
  }
  return result;
}

std::optional<HalfPower> SineResponse::half_power(const Measure& measure, const SinePeak& peak) const {
  if (peak.at_end) return std::nullopt;
  const Measure per_unit{"", measure.rows, true};
  const auto magnitude = [&](double f) { return largest_over_phase(at(per_unit, f)); };
  const double top = magnitude(peak.frequency), half = top / std::numbers::sqrt2;
  const auto side = [&](int step) -> std::optional<double> {
    const auto above = std::upper_bound(grid_.begin(), grid_.end(), peak.frequency) - grid_.begin();
    double inner = peak.frequency;
    for (auto i = step > 0 ? above : above - 1; i >= 0 && i < static_cast<std::ptrdiff_t>(grid_.size()); i += step) {
      const double outer = grid_[static_cast<std::size_t>(i)], value = magnitude(outer);
      if (outer == inner) continue;
      if (value > top * (1 + 1e-6)) return std::nullopt;
      if (value <= half) {
        std::uintmax_t steps = 60;
        const auto excess = [&](double f) { return magnitude(f) - half; };
        const auto [a, b] = boost::math::tools::toms748_solve(excess, std::min(inner, outer), std::max(inner, outer),
                                                              boost::math::tools::eps_tolerance<double>(30), steps);
        return 0.5 * (a + b);
      }
      inner = outer;
    }
    return std::nullopt;
  };
  const auto from = side(-1), to = side(+1);
  if (!from || !to) return std::nullopt;
  return HalfPower{*from, *to, peak.frequency / (*to - *from)};
}

}  // namespace avrenk
