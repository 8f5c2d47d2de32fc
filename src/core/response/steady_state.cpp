#include "core/response/steady_state.h"

#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <numeric>

#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::VectorXcd;
using Eigen::VectorXd;

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

}  // namespace

double largest_over_phase(const Eigen::Ref<const VectorXcd>& w) {
  if (w.size() == 1) return std::sqrt(std::norm(w[0]));
  const Complex n = w.transpose() * w;
  return std::sqrt(0.5 * (w.squaredNorm() + std::sqrt(std::norm(n))));
}

double phase_of_largest(const VectorXcd& w) {
  if (w.size() == 1) return std::arg(w[0]);
  const Complex n = w.transpose() * w;
  return 0.5 * std::arg(n);  // the instant ωt* = −½ arg(ŵᵀŵ)
}

LargestWithStatic largest_with_static(const VectorXd& constant, const VectorXcd& w) {
  if (w.size() == 1) {  // both along one line
    const double instant = constant[0] < 0 ? pi - std::arg(w[0]) : -std::arg(w[0]);
    return {std::abs(constant[0]) + std::abs(w[0]), instant};
  }
  // |v|² = c0 + Re(g e^{iθ} + h e^{2iθ}), g = 2 sᵀŵ, h = ½ ŵᵀŵ. With θ = x − ½ arg h it is c0 + p cos x − q sin x
  // + |h| cos 2x: reflections x → π − x and x → −x show that the largest value has p cos x ≥ 0 and −q sin x ≥ 0. In
  // that quadrant f' / (sin x cos x) falls all the way, from +∞ to −∞: there is one stationary point.
  const Complex g = 2.0 * (constant.cast<Complex>().transpose() * w)(0), h = 0.5 * (w.transpose() * w)(0);
  const double turn = -0.5 * std::arg(h);
  const Complex turned = g * std::polar(1.0, turn);
  const double p = std::abs(turned.real()), q = std::abs(turned.imag()), quadrant = 0.5 * pi;
  const double four = 4 * std::abs(h), scale = p + q + four;
  double x = 0;
  if (scale > 0) {
    const auto slope = [&](double at) {  // over the scale, and its derivative
      const double c = std::cos(at), s = std::sin(at);
      return std::pair{(q * c - p * s - four * s * c) / scale, (-q * s - p * c - four * (c * c - s * s)) / scale};
    };
    std::uintmax_t steps = 60;
    x = boost::math::tools::newton_raphson_iterate(slope, std::atan2(q, p + four), 0.0, quadrant, 50, steps);
  }
  const double instant = turn + (turned.imag() > 0 ? -1 : 1) * (turned.real() < 0 ? pi - x : x);
  return {at_instant(constant, w, instant).norm(), instant};
}

SineResponse::SineResponse(const Transfer& transfer, Drive drive, std::vector<double> grid, double near_enough)
    : transfer_(transfer),
      drive_(std::move(drive)),
      grid_(std::move(grid)),
      levels_(drive_.references(grid_)),
      states_(transfer, grid_, drive_.at(grid_)),
      near_enough_(near_enough),
      largest_states_{states_.largest_in_stretches({}), states_.largest_in_stretches(levels_)} {}

SineResponse::Curves::Curves(const SineResponse& response, const Candidates& candidates)
    : response_(response), candidates_(candidates), by_base_(candidates.base_labels.size()) {}

Eigen::MatrixXcd SineResponse::Curves::of(std::size_t candidate) {
  Eigen::MatrixXcd& of_base = by_base_[static_cast<std::size_t>(candidates_.items[candidate].base)];
  if (of_base.size() == 0) of_base = response_.curves(candidates_.base_of(candidates_.rows, candidate));
  const Eigen::MatrixXd* const mix = candidates_.mix_of(candidate);
  return mix ? Eigen::MatrixXcd(*mix * of_base) : of_base;
}

// |Σ_j c_j z_j| ≤ Σ_j |c_j| max|z_j|, stretch by stretch.
const VectorXd& SineResponse::Curves::bounds(bool per_input) {
  VectorXd& result = bounds_[per_input ? 1 : 0];
  if (result.size() == 0)
    result =
        (candidates_.rows.cwiseAbs2().cwiseSqrt() * response_.largest_states_[per_input ? 1 : 0]).rowwise().maxCoeff();
  return result;
}

double grid_shortfall(int points_per_resonance) {
  return 1 - 4 * (1 - std::cos(0.5 * pi / (points_per_resonance + 1)));
}

VectorXcd SineResponse::amplitudes(const Measure& measure, double frequency) const {
  if (measure.per_input && drive_.size() == 1) return VectorXcd::Ones(1);
  VectorXcd a = drive_.at(frequency);
  if (!measure.per_input) return a;
  return std::abs(a[0]) > 0 ? VectorXcd(a / std::abs(a[0])) : VectorXcd::Zero(a.size());
}

std::pair<VectorXcd, VectorXcd> SineResponse::with_slope(const Measure& measure, double frequency,
                                                         double inside) const {
  if (measure.per_input && drive_.size() == 1) return {VectorXcd::Ones(1), VectorXcd::Zero(1)};
  const auto [a, slope] = drive_.with_slope(frequency, inside);
  if (!measure.per_input) return {a, slope};
  const double r = std::abs(a[0]);
  if (!(r > 0)) return {VectorXcd::Zero(a.size()), VectorXcd::Zero(a.size())};
  const double r_slope = (std::conj(a[0]) * slope[0]).real() / r;
  return {a / r, slope / r - a * (r_slope / (r * r))};
}

VectorXcd SineResponse::state(const Measure& measure, double frequency) const {
  return transfer_.state(frequency) * amplitudes(measure, frequency);
}

VectorXcd SineResponse::at(const Measure& measure, double frequency) const {
  return Trace(transfer_, measure.rows).at(frequency, amplitudes(measure, frequency));
}

void SineResponse::to_ratios(Eigen::MatrixXcd& w) const {
  for (Index k = 0; k < w.cols(); ++k) {
    const double level = levels_[static_cast<std::size_t>(k)];
    w.col(k) *= level > 0 ? 1 / level : std::nan("");
  }
}

Eigen::MatrixXcd SineResponse::curve(const Measure& measure) const {
  Eigen::MatrixXcd w = curves(measure.rows);
  if (measure.per_input) to_ratios(w);
  return w;
}

SinePeak SineResponse::peak(const Measure& measure) const {
  const Eigen::MatrixXcd w = curve(measure);
  VectorXd magnitudes(w.cols());
  for (Index k = 0; k < w.cols(); ++k) {
    const double own = largest_over_phase(w.col(k));
    magnitudes[k] = own > 0 ? own : 0;  // of a ratio where the input is zero: none
  }
  return refine(measure, {}, 1, magnitudes);
}

SinePeak SineResponse::refine(const Measure& measure, const VectorXd& constant, double scale,
                              const VectorXd& magnitudes) const {
  const Trace trace(transfer_, measure.rows);
  const bool with_static = constant.size() > 0;
  const double highest = magnitudes.maxCoeff();
  SinePeak best{-1, 0, 0, false};
  const auto consider = [&](double frequency) {
    const VectorXcd w = scale * trace.at(frequency, amplitudes(measure, frequency));
    const LargestWithStatic largest =
        with_static ? largest_with_static(constant, w) : LargestWithStatic{largest_over_phase(w), -phase_of_largest(w)};
    if (largest.value > best.value) best = {largest.value, frequency, -largest.instant, false};
  };
  const auto is_near = [&](std::size_t i) { return magnitudes[static_cast<Index>(i)] >= near_enough_ * highest; };
  for (std::size_t i = 0; i < grid_.size(); ++i) {
    if (is_near(i)) consider(grid_[i]);
    if (i + 1 == grid_.size() || !(is_near(i) || is_near(i + 1))) continue;
    // Between two points, where the amplitudes follow one law, a top is a root of the derivative; it may lie between
    // two that rise.
    const double a = grid_[i], b = grid_[i + 1];
    const auto slope = [&](double f) {
      const double inside = 0.5 * (a + b);
      const auto [amplitude, amplitude_slope] = with_slope(measure, f, inside);
      const auto [unscaled, unscaled_slope] = trace.with_slope(f, inside, amplitude, amplitude_slope);
      const VectorXcd w = scale * unscaled, dw = scale * unscaled_slope;
      if (!with_static) return slope_of_square(w, dw);
      const double instant = largest_with_static(constant, w).instant;  // stationary: only dw counts
      return 2 * at_instant(constant, w, instant).dot((dw * std::polar(1.0, instant)).real());
    };
    const double slope_a = slope(a);
    if (!(slope_a > 0)) continue;
    const double slope_b = slope(b);
    if (!(slope_b < 0)) continue;
    std::uintmax_t steps = 100;
    const auto close = [](double x, double y) {
      return std::abs(x - y) <= 1e-3 * peak_frequency_tolerance * std::abs(x);
    };
    const auto [lower, upper] = boost::math::tools::toms748_solve(slope, a, b, slope_a, slope_b, close, steps);
    consider(0.5 * (lower + upper));
  }
  best.at_end = best.frequency == grid_.front() || best.frequency == grid_.back();
  return best;
}

namespace {

VectorXd constant_of(const SineResponse::Many& many, std::size_t k) {
  if (many.statics.size() == 0) return {};
  return many.curves.candidates().of(many.statics, k).middleRows(many.first, many.count).col(0);
}

}  // namespace

// |Σ_j m_ij w_j| ≤ Σ_j |m_ij| max|w_j| for each row, √Σ over the rows, and the static part beside it.
VectorXd SineResponse::bounds(const Many& many) const {
  const Candidates& candidates = many.curves.candidates();
  const VectorXd largest = many.scale * many.curves.bounds(many.per_input);
  VectorXd result(static_cast<Index>(candidates.items.size()));
  for (std::size_t k = 0; k < candidates.items.size(); ++k) {
    const auto of_base = candidates.base_of(largest, k);
    const Eigen::MatrixXd* const mix = candidates.mix_of(k);
    const VectorXd rows = mix ? VectorXd(mix->cwiseAbs() * of_base) : VectorXd(of_base);
    result[static_cast<Index>(k)] =
        rows.segment(many.first, many.count).norm() + (many.statics.size() > 0 ? constant_of(many, k).norm() : 0);
  }
  return result;
}

// Largest over phase at every point of the grid. With a static part it is exact where it comes near the highest, and
// elsewhere the bound |s| + |ŵ|.
VectorXd SineResponse::grid_magnitudes(const Many& many, std::size_t candidate) const {
  const Eigen::MatrixXcd block = many.curves.of(candidate).middleRows(many.first, many.count);
  const Eigen::MatrixXd a = block.real(), b = block.imag();
  VectorXd magnitudes;
  if (many.count == 1) {
    magnitudes = block.row(0).cwiseAbs2().cwiseSqrt().transpose();
  } else {
    const Eigen::ArrayXd aa = a.colwise().squaredNorm(), bb = b.colwise().squaredNorm(),
                         ab = a.cwiseProduct(b).colwise().sum();
    magnitudes = (0.5 * (aa + bb + ((aa - bb).square() + 4 * ab.square()).sqrt())).sqrt().matrix();
  }
  magnitudes *= many.scale;
  if (many.per_input)
    for (Index k = 0; k < magnitudes.size(); ++k) {
      const double level = levels_[static_cast<std::size_t>(k)];
      magnitudes[k] *= level > 0 ? 1 / level : 0;
    }
  const VectorXd constant = constant_of(many, candidate);
  if (constant.size() == 0) return magnitudes;
  magnitudes.array() += constant.norm();
  Index top = 0;
  magnitudes.maxCoeff(&top);
  const auto exact = [&](Index k) { return largest_with_static(constant, many.scale * block.col(k)).value; };
  const double reached = exact(top);
  for (Index k = 0; k < magnitudes.size(); ++k)
    if (magnitudes[k] >= near_enough_ * reached) magnitudes[k] = exact(k);
  return magnitudes;
}

std::pair<std::size_t, SinePeak> SineResponse::worst(const Many& many) const {
  const VectorXd most = bounds(many);
  std::vector<std::size_t> order(static_cast<std::size_t>(most.size()));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return most[static_cast<Index>(a)] > most[static_cast<Index>(b)];
  });
  std::vector<std::pair<double, std::size_t>> looked_at;
  double highest = 0;
  for (const std::size_t k : order) {
    if (most[static_cast<Index>(k)] < near_enough_ * highest) break;
    looked_at.emplace_back(grid_magnitudes(many, k).maxCoeff(), k);
    highest = std::max(highest, looked_at.back().first);
  }
  // Symmetric feet differ by rounding: the first of equals is named, and one of them is refined.
  constexpr double equal = 1e-9;
  std::sort(looked_at.begin(), looked_at.end(), [](const auto& a, const auto& b) {
    return a.first > b.first || (a.first == b.first && a.second < b.second);
  });
  std::pair<std::size_t, SinePeak> result{0, {-1, 0, 0, false}};
  double refined_from = 0;
  for (const auto& [on_grid, k] : looked_at) {
    if (on_grid < near_enough_ * highest || on_grid < near_enough_ * result.second.value) break;
    if (result.second.value >= 0 && std::abs(on_grid - refined_from) <= equal * on_grid) {
      result.first = std::min(result.first, k);
      continue;
    }
    const Candidates& candidates = many.curves.candidates();
    const Measure measure{"", candidates.of(candidates.rows, k).middleRows(many.first, many.count), many.per_input};
    const SinePeak peak = refine(measure, constant_of(many, k), many.scale, grid_magnitudes(many, k));
    if (peak.value > result.second.value * (1 + equal)) {
      result = {k, peak};
      refined_from = on_grid;
    }
  }
  return result;
}

std::optional<HalfPower> SineResponse::half_power(const Measure& measure, const SinePeak& peak,
                                                  const Eigen::MatrixXcd& curve) const {
  const Measure per_unit{"", measure.rows, true};
  const Trace trace(transfer_, measure.rows);
  const auto magnitude = [&](double f) { return largest_over_phase(trace.at(f, amplitudes(per_unit, f))); };
  const auto points = static_cast<std::ptrdiff_t>(grid_.size());
  VectorXd on_grid(curve.cols());
  for (Index i = 0; i < curve.cols(); ++i) {
    const double level = measure.per_input ? 1 : levels_[static_cast<std::size_t>(i)];
    on_grid[i] = level > 0 ? largest_over_phase(curve.col(i)) / level : 0;
  }
  // Where the input has a slope the response per unit input peaks beside the response: the nearest top uphill from
  // there.
  auto top_at = std::lower_bound(grid_.begin(), grid_.end(), peak.frequency) - grid_.begin();
  top_at = std::min(top_at, points - 1);
  if (top_at > 0 && on_grid[top_at - 1] > on_grid[top_at]) --top_at;
  while (top_at > 0 && on_grid[top_at - 1] > on_grid[top_at]) --top_at;
  while (top_at + 1 < points && on_grid[top_at + 1] > on_grid[top_at]) ++top_at;
  if (top_at == 0 || top_at + 1 == points) return std::nullopt;
  VectorXd around = VectorXd::Zero(on_grid.size());
  around.segment(top_at - 1, 3) = on_grid.segment(top_at - 1, 3);
  const SinePeak sine_peak = refine(per_unit, {}, 1, around);
  const double half = sine_peak.value / std::numbers::sqrt2;
  const auto side = [&](int step) -> std::optional<double> {
    const auto above = std::upper_bound(grid_.begin(), grid_.end(), sine_peak.frequency) - grid_.begin();
    double inner = sine_peak.frequency;
    for (auto i = step > 0 ? above : above - 1; i >= 0 && i < points; i += step) {
      const double outer = grid_[static_cast<std::size_t>(i)], value = on_grid[i];
      if (outer == inner) continue;
      if (value > sine_peak.value * (1 + 1e-6)) return std::nullopt;
      if (value <= half) {
        std::uintmax_t steps = 60;
        const auto excess = [&](double f) { return magnitude(f) - half; };
        const double at_inner = excess(inner), at_outer = excess(outer);
        if (at_outer >= 0) return outer;  // the point is the half-power point itself, and rounding says otherwise
        if (at_inner <= 0) return inner;
        const double left = std::min(inner, outer), right = std::max(inner, outer);
        const auto [a, b] = boost::math::tools::toms748_solve(excess, left, right, step > 0 ? at_inner : at_outer,
                                                              step > 0 ? at_outer : at_inner,
                                                              boost::math::tools::eps_tolerance<double>(40), steps);
        return 0.5 * (a + b);
      }
      inner = outer;
    }
    return std::nullopt;
  };
  const auto from = side(-1), to = side(+1);
  if (!from || !to) return std::nullopt;
  return HalfPower{*from, *to, sine_peak.frequency / (*to - *from)};
}

}  // namespace avrenk
