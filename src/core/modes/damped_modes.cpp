#include "core/modes/damped_modes.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dense.h"

namespace avrenk {
namespace {

using Eigen::ArrayXcd;
using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

constexpr Index block_of_triangle = 32;

double condition_of(const MatrixXcd& vectors, const MatrixXcd& inverse) {
  const double product = vectors.norm() * inverse.norm() / static_cast<double>(std::max<Index>(1, vectors.rows()));
  return std::isfinite(product) ? product : HUGE_VAL;
}

}  // namespace

DampedModes::DampedModes(const VectorXd& omega, const VectorXd& zeta, const VectorXd& eta)
    : poles_(omega.size()),
      natural2_(omega.array().square()),
      viscous_(2 * zeta.array() * omega.array()),
      loss_(eta.array() * natural2_) {
  for (Index r = 0; r < omega.size(); ++r) {  // s² + 2ζω s + (1 + iη)ω² = 0
    const Complex root = std::sqrt(Complex(zeta[r] * zeta[r] - 1, -eta[r]));
    const Complex one = omega[r] * (-zeta[r] + root), two = omega[r] * (-zeta[r] - root);
    poles_[r] = one.imag() > 0 ? one : two;
  }
}

DampedModes::DampedModes(const VectorXd& omega, const MatrixXd& viscous, const MatrixXd& hysteretic) {
  if (viscous.isZero(0))
    transform_hysteretic(omega, hysteretic);
  else
    transform_whole(omega, viscous, hysteretic);
}

// Eigenvalues of matrices whose entries fall from the first row on come out right relative to themselves, not only to
// the largest: modes are taken from the highest down, each with its velocity beside it.
void DampedModes::transform_hysteretic(const VectorXd& omega, const MatrixXd& hysteretic) {
  MatrixXcd matrix = imaginary * hysteretic.reverse();
  matrix.diagonal().array() += omega.reverse().array().square();
  const ComplexEigen eigen = complex_eigen(std::move(matrix));
  MatrixXcd vectors = eigen.vectors.colwise().reverse();
  MatrixXcd inverse = ComplexLu(vectors).solve(MatrixXcd::Identity(omega.size(), omega.size()));
  condition_ = condition_of(vectors, inverse);
  if (condition_ > largest_condition) {
    const double eigenvectors = condition_;
    transform_whole(omega, MatrixXd::Zero(omega.size(), omega.size()), hysteretic);
    condition_ = std::max(condition_, eigenvectors);
    return;
  }
  form_ = Form::hysteretic;
  squares_ = eigen.values.array();
  right_ = std::move(vectors);
  left_ = std::move(inverse);
  poles_ = imaginary * eigen.values.array().sqrt().matrix();  // s² = −μ, of the two the one that swings forward
}

void DampedModes::transform_whole(const VectorXd& omega, const MatrixXd& viscous, const MatrixXd& hysteretic) {
  const Index m = omega.size();
  // A free motion has no scale of its own: that of the fastest mode, so that nothing is divided by zero.
  const double largest = m > 0 ? omega.maxCoeff() : 1;
  const VectorXd scale = omega.unaryExpr([&](double w) { return w > 1e-9 * largest ? w : std::max(largest, 1.0); });
  MatrixXcd first_order = MatrixXcd::Zero(2 * m, 2 * m);
  const auto at = [m](Index r) { return 2 * (m - 1 - r); };  // of Ωq; the velocity follows
  for (Index r = 0; r < m; ++r) {
    first_order(at(r), at(r) + 1) = scale[r];
    first_order(at(r) + 1, at(r)) = -omega[r] * omega[r] / scale[r];
    for (Index j = 0; j < m; ++j) {
      first_order(at(r) + 1, at(j)) -= imaginary * hysteretic(r, j) / scale[j];
      first_order(at(r) + 1, at(j) + 1) = -viscous(r, j);
    }
  }
  const ComplexEigen eigen = complex_eigen(first_order);
  const MatrixXcd inverse = ComplexLu(eigen.vectors).solve(MatrixXcd::Identity(2 * m, 2 * m));
  condition_ = condition_of(eigen.vectors, inverse);
  MatrixXcd vectors = eigen.vectors, over = inverse;
  form_ = Form::poles;
  poles_ = eigen.values;
  if (condition_ > largest_condition) {
    ComplexSchur schur = complex_schur(std::move(first_order));
    form_ = Form::triangular;
    poles_ = schur.triangle.diagonal();
    triangle_ = std::move(schur.triangle);
    over = schur.vectors.adjoint();
    vectors = std::move(schur.vectors);
  }
  right_.resize(m, 2 * m);
  velocities_.resize(m, 2 * m);
  left_.resize(2 * m, m);
  for (Index r = 0; r < m; ++r) {
    right_.row(r) = vectors.row(at(r)) / scale[r];
    velocities_.row(r) = vectors.row(at(r) + 1);
    left_.col(r) = over.col(at(r) + 1);
  }
}

MatrixXcd DampedModes::forces(const MatrixXcd& modal) const {
  return left_.size() == 0 ? modal : MatrixXcd(left_ * modal);
}

MatrixXcd DampedModes::rows(const MatrixXcd& on_modes) const {
  return right_.size() == 0 ? on_modes : MatrixXcd(on_modes * right_);
}

MatrixXcd DampedModes::modal(const MatrixXcd& coordinates) const {
  return right_.size() == 0 ? coordinates : MatrixXcd(right_ * coordinates);
}

Complex DampedModes::other_pole(Index r) const {
  return form_ == Form::hysteretic ? -poles_[r] : Complex(-viscous_[r]) - poles_[r];
}

MatrixXcd DampedModes::velocity_rows(const MatrixXcd& on_velocities) const { return on_velocities * velocities_; }

ArrayXcd DampedModes::gain(double omega) const {
  if (form_ == Form::hysteretic) return (squares_ - omega * omega).inverse();
  if (form_ == Form::poles) return (imaginary * omega - poles_.array()).inverse();
  ArrayXcd h(natural2_.size());
  for (Index r = 0; r < h.size(); ++r) {
    const double real = natural2_[r] - omega * omega, damping = viscous_[r] * omega + loss_[r],
                 over = 1 / (real * real + damping * damping);
    h[r] = {real * over, -damping * over};
  }
  return h;
}

MatrixXcd DampedModes::respond(double omega, const MatrixXcd& b) const {
  if (form_ != Form::triangular) return gain(omega).matrix().asDiagonal() * b;
  MatrixXcd c = b;
  for (Index i = c.rows() - 1; i >= 0; --i) {  // (iω − T) c = b
    c.row(i) /= imaginary * omega - triangle_(i, i);
    c.topRows(i) += triangle_.col(i).head(i) * c.row(i);
  }
  return c;
}

MatrixXcd DampedModes::respond_slope(double omega, const MatrixXcd& c) const {
  if (form_ == Form::hysteretic) return (2 * omega * gain(omega)).matrix().asDiagonal() * c;
  if (form_ == Form::poles) return (-imaginary * gain(omega)).matrix().asDiagonal() * c;
  if (form_ == Form::triangular) return -imaginary * respond(omega, c);
  ArrayXcd stiffness_slope = ArrayXcd::Constant(natural2_.size(), -2 * omega);
  stiffness_slope += imaginary * viscous_;
  return (gain(omega) * -stiffness_slope).matrix().asDiagonal() * c;
}

void DampedModes::respond_each(std::span<const double> omegas, MatrixXcd& b) const {
  const auto points = static_cast<Index>(omegas.size());
  if (form_ != Form::triangular) {
    for (Index k = 0; k < points; ++k) b.col(k).array() *= gain(omegas[static_cast<std::size_t>(k)]);
    return;
  }
  for (Index last = b.rows(); last > 0;) {  // back substitution, a block of rows at a time for all frequencies
    const Index first = std::max<Index>(0, last - block_of_triangle);
    for (Index i = last - 1; i >= first; --i) {
      for (Index k = 0; k < points; ++k) b(i, k) /= imaginary * omegas[static_cast<std::size_t>(k)] - triangle_(i, i);
      b.middleRows(first, i - first).noalias() += triangle_.col(i).segment(first, i - first) * b.row(i);
    }
    b.topRows(first).noalias() += triangle_.block(0, first, first, last - first) * b.middleRows(first, last - first);
    last = first;
  }
}

std::vector<std::pair<double, double>> DampedModes::resonances() const {
  std::vector<std::pair<double, double>> all;
  for (const Complex& s : poles_)
    if (s.imag() > 1e-9 * std::abs(s)) all.emplace_back(std::abs(s) / (2 * std::numbers::pi), -s.real() / std::abs(s));
  std::sort(all.begin(), all.end());
  return all;
}

}  // namespace avrenk
