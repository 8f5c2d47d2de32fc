#include "core/excitation/pressure_field.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/parallel.h"
#include "core/quantity/quantity.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

namespace {

constexpr double tolerance = 1e-12;   // of the largest entry, in what is interpolated
constexpr int fewest = 8, most = 64;  // degrees of a panel
constexpr int most_halvings = 12;

std::complex<double> gamma_of(const PressureField& field, double omega, const Vector3& apart) {
  if (field.law == PressureField::Law::diffuse) {
    const double x = omega / field.speed * apart.norm();
    return x < 1e-4 ? 1 - x * x / 6 : std::sin(x) / x;
  }
  const double along = field.flow.dot(apart), across = (apart - along * field.flow).norm();
  const double size = std::exp(-omega / field.speed * (field.along * std::abs(along) + field.across * across));
  return std::polar(size, -omega / field.speed * along);
}

// Wᴴ γ W, stretch by stretch of the rows of γ; of each pair of stretches one half is computed.
MatrixXcd joint(const PressureField& field, const Eigen::Matrix3Xd& points, const MatrixXd& weights, double frequency,
                int threads) {
  constexpr Index at_once = 64;
  const Index faces = points.cols(), n = weights.cols();
  const bool turns = field.law != PressureField::Law::diffuse;
  const auto jobs = static_cast<std::size_t>((faces + at_once - 1) / at_once);
  constexpr std::size_t most_lanes = 8;  // sums of their own, whatever the threads: the digits do not depend on these
  const std::size_t lanes = std::min(most_lanes, jobs);
  std::vector<MatrixXcd> sums(lanes, MatrixXcd::Zero(n, n));
  run_jobs(lanes, threads, [&](std::size_t lane) {
    MatrixXd real, imaginary_part;  // γ_ab of x_a − x_b: S_ab
    for (std::size_t job = lane; job < jobs; job += lanes) {
      const Index first = static_cast<Index>(job) * at_once, count = std::min(at_once, faces - first),
                  rest = faces - first;
      real.resize(count, rest);
      if (turns) imaginary_part.resize(count, rest);
      for (Index b = 0; b < rest; ++b)
        for (Index a = 0; a < count; ++a) {
          const auto gamma = gamma_of(field, 2 * pi * frequency, points.col(first + a) - points.col(first + b));
          // Within the stretch half of each entry, its other half comes with the transposed.
          const double half = b < count ? 0.5 : 1;
          real(a, b) = half * gamma.real();
          if (turns) imaginary_part(a, b) = half * gamma.imag();
        }
      const auto own = weights.middleRows(first, count);
      sums[lane].real() += own.transpose() * (real * weights.bottomRows(rest));
      if (turns) sums[lane].imag() += own.transpose() * (imaginary_part * weights.bottomRows(rest));
    }
  });
  for (std::size_t lane = 1; lane < lanes; ++lane) sums[0] += sums[lane];
  return sums[0] + sums[0].adjoint();
}

}  // namespace

std::complex<double> PressureField::coherence(const Vector3& apart, double frequency) const {
  return gamma_of(*this, 2 * pi * frequency, apart);
}

double PressureField::length(double frequency) const {
  return law == Law::diffuse ? speed / frequency
                             : speed / frequency * std::min(1.0, 1 / (2 * pi * std::max(along, across)));
}

std::string PressureField::words() const {
  return law == Law::diffuse ? fmt::format("diffuse field, {:.4g} m/s", speed)
                             : fmt::format("boundary layer, {:.4g} m/s", speed);
}

JointAcceptances::JointAcceptances(const PressureField& field, std::span<const PressedFace> faces,
                                   const MatrixXd& weights, double from, double to, int threads)
    : size_(weights.cols()) {
  Eigen::Matrix3Xd points(3, std::ssize(faces));
  for (std::size_t f = 0; f < faces.size(); ++f) points.col(static_cast<Index>(f)) = faces[f].centre;
  add_panels([&](double frequency) { return joint(field, points, weights, frequency, threads); }, from, to, 0);
}

// Points of 8, 16, … 64 steps, each with those before among them, until the last Chebyshev coefficients are nothing and
// a further frequency is where it was expected; a band for which that does not suffice is halved.
template <typename Compute>
void JointAcceptances::add_panels(const Compute& compute, double from, double to, int halvings) {
  const auto point = [&](int k, int degree) {
    return 0.5 * (from + to) - 0.5 * (to - from) * std::cos(pi * k / degree);
  };
  const auto take = [&](double f) {
    ++frequencies_;
    MatrixXcd value = compute(f);
    largest_ = std::max(largest_, value.diagonal().real().maxCoeff());
    return value;
  };
  Panel panel{from, to, {}, {}};
  for (int degree = fewest; degree <= most; degree *= 2) {
    Panel finer{from, to, {}, {}};
    for (int k = 0; k <= degree; ++k) {
      finer.points.push_back(point(k, degree));
      const bool known = k % 2 == 0 && !panel.values.empty();
      finer.values.push_back(known ? std::move(panel.values[static_cast<std::size_t>(k / 2)])
                                   : take(finer.points.back()));
    }
    panel = std::move(finer);
    pack(panel);
    const bool last = halvings == most_halvings && degree == most;
    if (last_coefficients(panel) > tolerance * largest_ && !last) continue;
    const double between = point(1, 2 * degree);
    const double difference = (interpolated(panel, between) - take(between)).cwiseAbs().maxCoeff();
    if (difference > tolerance * largest_ && !last) continue;
    error_ = std::max(error_, largest_ > 0 ? difference / largest_ : 0);
    panel.values.resize(1);  // for its size
    panels_.push_back(std::move(panel));
    return;
  }
  const double middle = 0.5 * (from + to);
  add_panels(compute, from, middle, halvings + 1);
  add_panels(compute, middle, to, halvings + 1);
}

// Largest of the last two coefficients of any entry.
double JointAcceptances::last_coefficients(const Panel& panel) {
  const auto degree = static_cast<int>(panel.points.size()) - 1;
  double largest = 0;
  for (const int n : {degree - 1, degree}) {
    MatrixXcd sum = MatrixXcd::Zero(panel.values.front().rows(), panel.values.front().cols());
    for (int k = 0; k <= degree; ++k)
      sum += (k == 0 || k == degree ? 1.0 : 2.0) / degree * std::cos(pi * n * k / degree) *
             panel.values[static_cast<std::size_t>(k)];
    largest = std::max(largest, sum.cwiseAbs().maxCoeff());
  }
  return largest;
}

// The barycentric formula for Chebyshev's points (Berrut & Trefethen, SIAM Rev. 46, 2004).
Eigen::VectorXd JointAcceptances::weights_at(const Panel& panel, double frequency) {
  Eigen::VectorXd weights(std::ssize(panel.points));
  for (Index k = 0; k < weights.size(); ++k) {
    const double apart = frequency - panel.points[static_cast<std::size_t>(k)];
    if (apart == 0) return Eigen::VectorXd::Unit(weights.size(), k);
    const bool end = k == 0 || k + 1 == weights.size();
    weights[k] = (k % 2 == 0 ? 1.0 : -1.0) * (end ? 0.5 : 1.0) / apart;
  }
  return weights / weights.sum();
}

// Hermitian: the lower triangles side by side, so that a frequency is one product.
void JointAcceptances::pack(Panel& panel) {
  const Index n = panel.values.front().rows(), points = std::ssize(panel.points);
  panel.real.resize(n * (n + 1) / 2, points);
  panel.imaginary.resize(panel.real.rows(), points);
  for (Index k = 0; k < points; ++k)
    for (Index b = 0, at = 0; b < n; ++b)
      for (Index a = b; a < n; ++a, ++at) {
        const std::complex<double> value = panel.values[static_cast<std::size_t>(k)](a, b);
        panel.real(at, k) = value.real();
        panel.imaginary(at, k) = value.imag();
      }
  if (panel.imaginary.isZero(0)) panel.imaginary.resize(0, points);
}

MatrixXcd JointAcceptances::interpolated(const Panel& panel, double frequency) {
  const Index n = panel.values.front().rows();
  const Eigen::VectorXd weights = weights_at(panel, frequency), real = panel.real * weights;
  // Of a diffuse field there is none, and a product without rows is none that BLAS knows.
  const Eigen::VectorXd imaginary_part =
      panel.imaginary.rows() > 0 ? Eigen::VectorXd(panel.imaginary * weights) : Eigen::VectorXd();
  MatrixXcd value(n, n);
  for (Index b = 0, at = 0; b < n; ++b)
    for (Index a = b; a < n; ++a, ++at) {
      value(a, b) = {real[at], imaginary_part.size() > 0 ? imaginary_part[at] : 0.0};
      value(b, a) = std::conj(value(a, b));
    }
  return value;
}

MatrixXcd JointAcceptances::at(double frequency) const {
  const auto own = std::find_if(panels_.begin(), panels_.end(), [&](const Panel& p) { return frequency <= p.to; });
  return interpolated(own == panels_.end() ? panels_.back() : *own, frequency);
}

MatrixXcd JointAcceptances::root(double frequency) const { return pivoted_root(at(frequency), left_out * largest_); }

MatrixXcd pivoted_root(const MatrixXcd& a, double negligible) {
  const Index n = a.rows();
  Eigen::VectorXd left = a.diagonal().real();
  MatrixXcd factor(n, n);
  Index rank = 0;
  for (; rank < n; ++rank) {
    Index pivot = 0;
    const double largest = left.maxCoeff(&pivot);
    if (!(largest > negligible)) break;
    auto column = factor.col(rank);
    column = a.col(pivot);
    if (rank > 0) column -= factor.leftCols(rank) * factor.row(pivot).head(rank).adjoint();
    column /= std::sqrt(largest);
    column[pivot] = std::sqrt(largest);
    left -= column.cwiseAbs2();
    left[pivot] = 0;
  }
  return factor.leftCols(rank);
}

}  // namespace avrenk
