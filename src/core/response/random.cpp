#include "core/response/random.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/quadrature/gauss.hpp>
#include <cmath>

#include "core/error.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;

constexpr int phase_panels = 8;  // panels over the half circle of each resonance
constexpr int most_halvings = 5;

struct Panel {
  double from, to;
  const PowerLaw* input;
};

// Boundaries: breakpoints, octaves, and f_r (1 + ζ tan θ) at equal steps of θ; the outermost step reaches tan = 1/ζ
// in powers of four, so that neighbouring panels never differ wildly in width.
std::vector<double> boundaries(const ModalBasis& basis, const ModalDamping& damping, const LogLogTable& input) {
  const double from = input.from(), to = input.to();
  std::vector<double> all = input.breakpoints();
  for (double f = from; f < to; f *= 2) all.push_back(f);
  for (int r = 0; r < basis.size(); ++r) {
    const double ratio = damping.effective_ratio(r), f = basis.frequency(r);
    all.push_back(f);
    for (int k = 1; k < phase_panels; ++k)
      all.push_back(f * (1 + ratio * std::tan(pi * (static_cast<double>(k) / phase_panels - 0.5))));
    for (double reach = 16; reach * ratio < 1; reach *= 4) {
      all.push_back(f * (1 + reach * ratio));
      all.push_back(f * (1 - reach * ratio));
    }
  }
  std::erase_if(all, [&](double f) { return !(f >= from && f <= to); });
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end(), [](double a, double b) { return b - a < 1e-12 * b; }), all.end());
  all.back() = to;
  return all;
}

// Calls `take` with √(weight S(f)) z(f) at every point of an eight-point Gauss–Legendre rule on each panel.
template <typename Take>
void visit_points(const Transfer& transfer, const std::vector<Panel>& panels, const Take& take) {
  using Rule = boost::math::quadrature::gauss<double, 8>;
  for (const Panel& panel : panels) {
    const double middle = 0.5 * (panel.from + panel.to), half = 0.5 * (panel.to - panel.from);
    for (std::size_t g = 0; g < Rule::abscissa().size(); ++g) {
      for (const double side : {-1.0, 1.0}) {
        const double f = middle + side * half * Rule::abscissa()[g];
        take(std::sqrt(half * Rule::weights()[g] * panel.input->at(f)) * transfer.state(f));
      }
    }
  }
}

Eigen::VectorXd integrate_diagonal(const Transfer& transfer, const std::vector<Panel>& panels) {
  Eigen::VectorXd diagonal = Eigen::VectorXd::Zero(transfer.layout().size());
  visit_points(transfer, panels, [&](const Eigen::MatrixXcd& z) { diagonal += z.col(0).cwiseAbs2(); });
  return diagonal;
}

MatrixXcd integrate(const Transfer& transfer, const std::vector<Panel>& panels) {
  const Index size = transfer.layout().size();
  constexpr Index chunk = 256;
  MatrixXcd gamma = MatrixXcd::Zero(size, size), block(size, chunk);
  Index filled = 0;
  const auto flush = [&] {
    gamma.noalias() += block.leftCols(filled) * block.leftCols(filled).adjoint();  // whole product: BLAS is faster so
    filled = 0;
  };
  visit_points(transfer, panels, [&](const Eigen::MatrixXcd& z) {
    block.col(filled++) = z;
    if (filled == chunk) flush();
  });
  flush();
  return gamma;
}

std::vector<Panel> halved(const std::vector<Panel>& panels) {
  std::vector<Panel> halves;
  for (const Panel& panel : panels) {
    const double middle = 0.5 * (panel.from + panel.to);
    halves.push_back({panel.from, middle, panel.input});
    halves.push_back({middle, panel.to, panel.input});
  }
  return halves;
}

}  // namespace

ModalCovariance integrate_covariance(const Transfer& transfer, const ModalBasis& basis, const ModalDamping& damping,
                                     const LogLogTable& input) {
  std::vector<Panel> panels;
  const std::vector<double> ends = boundaries(basis, damping, input);
  for (std::size_t i = 1; i < ends.size(); ++i)
    panels.push_back({ends[i - 1], ends[i], input.stretch_at(0.5 * (ends[i - 1] + ends[i]))});
  // The diagonal costs little: it says which panels are fine enough before the whole matrix is integrated once.
  ModalCovariance result;
  Eigen::VectorXd diagonal = integrate_diagonal(transfer, panels);
  for (int halving = 0; halving <= most_halvings; ++halving) {
    std::vector<Panel> halves = halved(panels);
    const Eigen::VectorXd finer = integrate_diagonal(transfer, halves);
    result.error = 0;
    for (Index i = 0; i < finer.size(); ++i)
      if (finer[i] > 0) result.error = std::max(result.error, std::abs(finer[i] - diagonal[i]) / finer[i]);
    if (result.error < covariance_tolerance) {
      result.points = static_cast<int>(8 * panels.size());
      result.gamma = integrate(transfer, panels);
      return result;
    }
    panels = std::move(halves);
    diagonal = finer;
  }
  throw NumericalError(
      fmt::format("the RMS integral did not settle: a change of {:.1e} is left where {:.0e} is asked for", result.error,
                  covariance_tolerance));
}

double root_mean_square(const Measure& measure, const ModalCovariance& covariance) {
  const double variance = (measure.rows * covariance.gamma).cwiseProduct(measure.rows.conjugate()).sum().real();
  return std::sqrt(std::max(0.0, variance));
}

Eigen::VectorXd variance_shares(const Measure& measure, const ModalCovariance& covariance, const StateLayout& layout) {
  const Eigen::RowVectorXd parts =
      (measure.rows * covariance.gamma).cwiseProduct(measure.rows.conjugate()).real().colwise().sum();
  Eigen::VectorXd shares = Eigen::VectorXd::Zero(layout.modes + 1);
  for (int derivative = 0; derivative < 3; ++derivative) {
    shares.head(layout.modes) += parts.segment(layout.modal(derivative), layout.modes).transpose();
    shares[layout.modes] += parts.segment(layout.base(derivative), 6).sum();
  }
  const double variance = shares.sum();
  if (variance > 0) shares /= variance;
  return shares;
}

std::pair<std::size_t, double> worst_rms(std::span<const Measure> measures, const ModalCovariance& covariance) {
  std::pair<std::size_t, double> worst{0, -1};
  for (std::size_t k = 0; k < measures.size(); ++k) {
    const double rms = root_mean_square(measures[k], covariance);
    if (rms > worst.second * (1 + 1e-9)) worst = {k, rms};  // the first of equals is named
  }
  return worst;
}

std::vector<double> response_psd(const Transfer& transfer, const Measure& measure, const LogLogTable& input,
                                 std::span<const double> grid) {
  std::vector<double> psd;
  psd.reserve(grid.size());
  for (const double f : grid) psd.push_back((measure.rows * transfer.state(f)).squaredNorm() * input.at(f));
  return psd;
}

double curve_rms(std::span<const double> grid, std::span<const double> psd) {
  double area = 0;
  for (std::size_t i = 1; i < grid.size(); ++i)
    if (psd[i - 1] > 0 && psd[i] > 0) area += PowerLaw{grid[i - 1], grid[i], psd[i - 1], psd[i]}.moment(0);
  return std::sqrt(area);
}

}  // namespace avrenk
