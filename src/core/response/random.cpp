#include "core/response/random.h"

#include <algorithm>
#include <boost/math/quadrature/gauss.hpp>
#include <cmath>
#include <numbers>

#include "core/dense.h"
#include "core/excitation/drawn_curve.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

// Values on the eight points to Legendre coefficients: (n + ½) P_n(x_i), row n.
using Eight = Eigen::Matrix<double, 8, 8>;
Eight legendre_of_points() {
  using Rule = boost::math::quadrature::gauss<double, 8>;
  constexpr int points = 8, half = 4;
  Eight eight;
  for (int i = 0; i < points; ++i) {
    const double x = i < half ? -Rule::abscissa()[static_cast<std::size_t>(half - 1 - i)]
                              : Rule::abscissa()[static_cast<std::size_t>(i - half)];
    for (int n = 0; n < points; ++n) eight(n, i) = (n + 0.5) * std::legendre(static_cast<unsigned>(n), x);
  }
  return eight;
}

}  // namespace

std::vector<double> rule_errors(std::span<const double> squares) {
  static const Eight legendre = legendre_of_points();
  constexpr std::size_t points = 8;
  double total = 0;
  std::vector<double> errors;
  for (std::size_t first = 0; first + points <= squares.size(); first += points) {
    // Coefficients (n + ½) Σ g_i h_i P_n(x_i) of the integrand; g_i h_i are the squares themselves.
    const Eigen::Matrix<double, 8, 1> coefficients =
        legendre.lazyProduct(Eigen::Map<const Eigen::Matrix<double, 8, 1>>(squares.data() + first));
    const double largest = coefficients.cwiseAbs().maxCoeff();
    const double tail = std::max(std::abs(coefficients[6]), std::abs(coefficients[7]));
    total += 2 * coefficients[0];
    // They fall as ρ⁻ⁿ; the rule errs by those from the sixteenth on.
    errors.push_back(largest > 0 ? 2 * largest * std::pow(tail / largest, 16 / 6.5) : 0);
  }
  for (double& error : errors) error = total > 0 ? error / total : 0;
  return errors;
}

namespace {

// Columns of the state that some row uses.
std::vector<Index> used_columns(const MatrixXcd& rows, const StateLayout& layout) {
  std::vector<Index> used;
  for (int block = 0; block < StateLayout::blocks; ++block) {
    const auto [first, count] = layout.block(block);
    if (rows.middleCols(first, count).isZero(0)) continue;
    for (Index k = 0; k < count; ++k) used.push_back(first + k);
  }
  return used;
}

}  // namespace

MatrixXd block_covariances(const MatrixXcd& rows, int width, const ModalCovariance& covariance,
                           const StateLayout& layout) {
  const std::vector<Index> used = used_columns(rows, layout);
  const MatrixXcd used_rows = rows(Eigen::all, used), gamma = covariance.gamma(used, used);
  const MatrixXd real = used_rows.real(), imag = used_rows.imag(), g = gamma.real();
  const bool all_real = imag.isZero(0);
  // With rows a + ib and Γ = G + iH: Re(ψΓψᴴ) = aGaᵀ + bGbᵀ + aHbᵀ − bHaᵀ.
  MatrixXd left = real * g, left_imaginary;
  if (!all_real) {
    const MatrixXd h = gamma.imag();
    left_imaginary = imag * g + real * h;
    left -= imag * h;
  }
  MatrixXd result(rows.rows(), width);
  for (Index first = 0; first < rows.rows(); first += width) {
    result.middleRows(first, width) = left.middleRows(first, width) * real.middleRows(first, width).transpose();
    if (!all_real)
      result.middleRows(first, width) +=
          left_imaginary.middleRows(first, width) * imag.middleRows(first, width).transpose();
  }
  return result;
}

MatrixXd covariance_factor(const MatrixXcd& gamma, const MatrixXcd& combinations) {
  const MatrixXd covariance = (combinations * gamma * combinations.adjoint()).real();
  const Eigen::VectorXd size = covariance.diagonal().cwiseMax(0).cwiseSqrt(),
                        inverse = size.unaryExpr([](double x) { return x > 0 ? 1 / x : 0.0; });
  const auto [values, vectors] = symmetric_eigen(MatrixXd(inverse.asDiagonal() * covariance * inverse.asDiagonal()));
  Index first = 0;  // what rounding leaves
  while (first + 1 < values.size() && values[first] <= 1e-15 * values[values.size() - 1]) ++first;
  const Index kept = values.size() - first;
  const MatrixXd factor =
      size.asDiagonal() * vectors.rightCols(kept) * values.tail(kept).cwiseMax(0).cwiseSqrt().asDiagonal();
  // Fᵀ = Q R: Rᵀ R = F Fᵀ as well, and rounding is that of each row by itself.
  return upper_factor(factor.transpose()).transpose();
}

VectorXd variance_shares(const Measure& measure, const ModalCovariance& covariance, const StateLayout& layout) {
  const VectorXd parts =
      (measure.rows * covariance.gamma).cwiseProduct(measure.rows.conjugate()).real().colwise().sum().transpose();
  VectorXd shares = layout.by_cause(parts);
  const double variance = shares.sum();
  if (variance > 0) shares /= variance;
  return shares;
}

MatrixXd variance_share_pairs(const Measure& measure, const ModalCovariance& covariance, const StateLayout& layout) {
  const Index m = layout.modes;
  MatrixXd pairs = MatrixXd::Zero(m + 2, m + 2);
  for (Index row = 0; row < measure.rows.rows(); ++row) {
    const VectorXcd own = measure.rows.row(row).transpose();
    const MatrixXd parts = (own.asDiagonal() * covariance.gamma * own.conjugate().asDiagonal()).real();
    pairs += layout.by_cause(layout.by_cause(parts).transpose());
  }
  const double variance = pairs.sum();
  if (variance > 0) pairs /= variance;
  return pairs;
}

double SpectralMoments::zero_crossings() const { return m0 > 0 ? std::sqrt(m2 / m0) : std::nan(""); }

double SpectralMoments::maxima() const { return m2 > 0 ? std::sqrt(m4 / m2) : std::nan(""); }

SpectralMoments spectral_moments(const IntegrationRule& rule, std::span<const double> squares) {
  SpectralMoments moments;
  for (std::size_t k = 0; k < squares.size(); ++k) {
    const double f = rule.frequency[k], part = rule.weight[k] * squares[k];
    moments.m0 += part;
    moments.m1 += f * part;
    moments.m2 += f * f * part;
    moments.m4 += f * f * f * f * part;
  }
  return moments;
}

double expected_largest(double zero_crossings, double duration) {
  const double cycles = 2 * zero_crossings * duration;
  if (!(cycles >= fewest_cycles)) return std::nan("");
  const double root = std::sqrt(2 * std::log(cycles));
  return root + std::numbers::egamma / root;
}

double largest_below(double zero_crossings, double duration, double probability) {
  const double cycles = 2 * zero_crossings * duration;
  if (!(cycles >= fewest_cycles)) return std::nan("");
  return std::sqrt(2 * std::log(cycles / -std::log(probability)));
}

double probability_exceeded(double zero_crossings, double duration, double multiple) {
  if (!(multiple > 0)) return 1;
  return -std::expm1(-2 * zero_crossings * duration * std::exp(-0.5 * multiple * multiple));
}

std::vector<DominatingBand> dominating_bands(std::span<const double> grid, std::span<const double> psd,
                                             const IntegrationRule& rule, std::span<const double> squares) {
  std::vector<DominatingBand> bands;
  DominatingBand current{grid.front(), grid.front(), grid.front(), 0};
  double highest = psd.front();
  for (std::size_t i = 1; i < grid.size(); ++i) {
    if (psd[i] > highest) {
      highest = psd[i];
      current.frequency = grid[i];
    }
    const bool minimum = i + 1 < grid.size() && psd[i] <= psd[i - 1] && psd[i] < psd[i + 1] && highest > 1.5 * psd[i];
    if (!minimum && i + 1 < grid.size()) continue;
    current.to = grid[i];
    bands.push_back(current);
    current = {grid[i], grid[i], grid[i], 0};
    highest = psd[i];
  }
  double sum = 0;
  std::size_t band = 0;
  for (std::size_t k = 0; k < squares.size(); ++k) {
    while (band + 1 < bands.size() && rule.frequency[k] > bands[band].to) ++band;
    const double part = rule.weight[k] * squares[k];
    bands[band].share += part;
    sum += part;
  }
  if (sum > 0)
    for (DominatingBand& each : bands) each.share /= sum;
  std::stable_sort(bands.begin(), bands.end(),
                   [](const DominatingBand& a, const DominatingBand& b) { return a.share > b.share; });
  return bands;
}

std::vector<double> running_rms(std::span<const double> grid, std::span<const double> psd) {
  std::vector<double> result(grid.size(), 0);
  if (grid.size() < 2) return result;
  const DrawnCurve curve(grid, psd);
  for (std::size_t i = 0; i < grid.size(); ++i) result[i] = std::sqrt(curve.area_to(grid[i]));
  return result;
}

double curve_rms(std::span<const double> grid, std::span<const double> psd) {
  return grid.empty() ? 0 : running_rms(grid, psd).back();
}

}  // namespace avrenk
