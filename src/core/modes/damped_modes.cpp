#include "core/modes/damped_modes.h"

#include <algorithm>
#include <cmath>
#include <limits>
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
// Of what dashpots move without mass: less than this part of the largest, or of the stiffness, is rounding of none.
constexpr double rounding_of_dashpots = 1e-13;

double condition_of(const MatrixXcd& vectors, const MatrixXcd& inverse) {
  const double product = vectors.norm() * inverse.norm() / static_cast<double>(std::max<Index>(1, vectors.rows()));
  return std::isfinite(product) ? product : HUGE_VAL;
}

// One step of Newton's iteration on all eigenpairs of A: X⁻¹A X is diagonal but for rounding, of which each entry has
// its own part and not one of the largest, if A is graded. What is not above that part stays as it is.
void refine(const MatrixXcd& a, ComplexEigen& eigen, MatrixXcd& inverse) {
  constexpr double rounding = 4 * std::numeric_limits<double>::epsilon(), farthest = 1e-4;
  const MatrixXcd product = inverse * (a * eigen.vectors);
  if (!product.allFinite()) return;
  const MatrixXd noise = rounding * inverse.cwiseAbs() * (a.cwiseAbs() * eigen.vectors.cwiseAbs());
  MatrixXcd step = MatrixXcd::Identity(a.rows(), a.cols());
  for (Index r = 0; r < a.cols(); ++r)
    if (std::abs(product(r, r) - eigen.values[r]) > noise(r, r)) eigen.values[r] = product(r, r);
  for (Index r = 0; r < a.cols(); ++r)
    for (Index s = 0; s < a.rows(); ++s) {
      const double coupling = std::abs(product(s, r));
      const Complex gap = eigen.values[r] - eigen.values[s];
      if (s != r && coupling > noise(s, r) && coupling < farthest * std::abs(gap)) step(s, r) = product(s, r) / gap;
    }
  eigen.vectors *= step;
  inverse = ComplexLu(step).solve(inverse);
}

}  // namespace

DampedModes::DampedModes(const VectorXd& omega, const VectorXd& viscous, const VectorXd& hysteretic)
    : poles_(omega.size()),
      inertia_(omega.array().isFinite().cast<double>()),
      stiffness_(omega.array().isFinite().select(omega.array().square(), 1)),
      viscous_(viscous),
      loss_(hysteretic) {
  for (Index r = 0; r < omega.size(); ++r) {  // s² + V s + Λ + iD = 0
    const double half = 0.5 * viscous_[r];
    const Complex root = std::sqrt(Complex(half * half - stiffness_[r], -loss_[r]));
    poles_[r] = inertia_[r] == 0 ? Complex(0) : (-half + root).imag() > 0 ? -half + root : -half - root;
  }
}

// The equations with all shapes without mass but those that dashpots move eliminated: x = [q, b] of m modes and b of
// first order,
//
//     q̈ + V_qq q̇ + V_qb ḃ + S_qq q + S_qb b = p_q,   v ḃ + V_bq q̇ + S_bq q + S_bb b = p_b
//
// and q = shapes_of_states x + at_once p.
struct DampedModes::Equations {
  Equations(const VectorXd& frequencies, const MatrixXd& viscous, const MatrixXd& hysteretic);

  VectorXd omega;              // m
  MatrixXd on_rates;           // V_qq, V_qb: m x (m + b)
  VectorXd first_order;        // v
  MatrixXcd stiffness;         // S, (m + b) square
  MatrixXcd forces;            // p_x = forces · p: (m + b) x (m + g)
  MatrixXcd shapes_of_states;  // (m + g) x (m + b)
  MatrixXcd at_once;           // (m + g) x a
  MatrixXcd forces_at_once;    // a x (m + g)
};

DampedModes::Equations::Equations(const VectorXd& frequencies, const MatrixXd& viscous, const MatrixXd& hysteretic) {
  const Index coordinates = frequencies.size(), m = frequencies.array().isFinite().count(), g = coordinates - m;
  omega = frequencies.head(m);
  // Shapes without mass are turned so that dashpots move each by itself, those that none moves last.
  MatrixXd rotation = MatrixXd::Identity(coordinates, coordinates);
  Index moved = 0;
  if (g > 0) {
    const SymmetricEigen eigen = symmetric_eigen(viscous.bottomRightCorner(g, g));
    rotation.bottomRightCorner(g, g) = eigen.vectors.rowwise().reverse();
    const double fastest = m > 0 && omega.maxCoeff() > 0 ? omega.maxCoeff() : 1;
    moved = (eigen.values.array() > rounding_of_dashpots * std::max(eigen.values.maxCoeff(), 1 / fastest)).count();
    first_order = eigen.values.reverse().head(moved);
  }
  const Index states = m + moved, still = g - moved;
  const MatrixXd v = rotation.transpose() * viscous * rotation;
  MatrixXcd s = imaginary * (rotation.transpose() * hysteretic * rotation);
  s.diagonal().head(m).array() += omega.array().square();
  s.diagonal().tail(g).array() += 1;
  on_rates = v.topLeftCorner(m, states);
  stiffness = s.topLeftCorner(states, states);
  forces = rotation.leftCols(states).transpose();
  shapes_of_states = rotation.leftCols(states);
  if (still == 0) return;
  // a = S_aa⁻¹ (p_a − S_ax x)
  const ComplexLu inner(s.bottomRightCorner(still, still));
  const MatrixXcd across = s.topRightCorner(states, still);
  const MatrixXcd followed = inner.solve(across.transpose());  // S_aa⁻¹ S_ax
  const MatrixXd ends = rotation.rightCols(still);
  stiffness -= across * followed;
  forces -= followed.transpose() * ends.transpose();
  shapes_of_states -= ends * followed;
  at_once = ends * inner.solve(MatrixXcd::Identity(still, still));
  forces_at_once = ends.transpose();
}

DampedModes::DampedModes(const VectorXd& omega, const MatrixXd& viscous, const MatrixXd& hysteretic) {
  const Equations equations(omega, viscous, hysteretic);
  if (viscous.isZero(0))
    transform_hysteretic(equations);
  else
    transform_whole(equations);
}

// R and L of all shapes from those of the states.
void DampedModes::set(const Equations& equations, const MatrixXcd& right, const MatrixXcd& left) {
  static_ = equations.at_once.cols();
  const Index states = equations.forces.cols(), k = right.cols();
  right_.resize(states, k + static_);
  left_.resize(k + static_, states);
  right_.leftCols(k) = equations.shapes_of_states * right;
  left_.topRows(k) = left * equations.forces;
  if (static_ > 0) {
    right_.rightCols(static_) = equations.at_once;
    left_.bottomRows(static_) = equations.forces_at_once;
  }
  poles_.conservativeResize(k + static_);
  poles_.tail(static_).setZero();
}

// Eigenvalues of matrices whose entries fall from the first row on come out right relative to themselves, not only to
// the largest: modes are taken from the highest down, each with its velocity beside it.
void DampedModes::transform_hysteretic(const Equations& equations) {
  const MatrixXcd graded = equations.stiffness.reverse();
  ComplexEigen eigen = complex_eigen(graded);
  MatrixXcd inverse = ComplexLu(eigen.vectors).solve(MatrixXcd::Identity(graded.rows(), graded.cols()));
  condition_ = condition_of(eigen.vectors, inverse);
  if (condition_ > largest_condition) {
    const double eigenvectors = condition_;
    transform_whole(equations);
    condition_ = std::max(condition_, eigenvectors);
    return;
  }
  refine(graded, eigen, inverse);
  form_ = Form::hysteretic;
  squares_ = eigen.values.array();
  poles_ = imaginary * eigen.values.array().sqrt().matrix();  // s² = −μ, of the two the one that swings forward
  set(equations, eigen.vectors.colwise().reverse(), inverse.rowwise().reverse());
}

void DampedModes::transform_whole(const Equations& equations) {
  const VectorXd& omega = equations.omega;
  const Index m = omega.size(), b = equations.first_order.size(), n = 2 * m + b;
  // A free motion has no scale of its own: that of the fastest mode, so that nothing is divided by zero.
  const double largest = m > 0 ? omega.maxCoeff() : 1;
  VectorXd scale = VectorXd::Ones(m + b);
  scale.head(m) = omega.unaryExpr([&](double w) { return w > 1e-9 * largest ? w : std::max(largest, 1.0); });
  // Where each state stands: modes from the highest down, what is of first order among them by its own rate.
  std::vector<std::pair<double, Index>> order;
  for (Index r = 0; r < m + b; ++r) order.emplace_back(r < m ? -omega[r] : -1 / equations.first_order[r - m], r);
  std::sort(order.begin(), order.end());
  std::vector<Index> at(static_cast<std::size_t>(m + b)), rate_at(static_cast<std::size_t>(m));
  Index next = 0;
  for (const auto& [rate, r] : order) {
    at[static_cast<std::size_t>(r)] = next++;
    if (r < m) rate_at[static_cast<std::size_t>(r)] = next++;
  }
  // ẋ = [q̇, ḃ] on [q, b] and q̇, and on the forces p_x.
  const VectorXd inverse_first = equations.first_order.cwiseInverse();
  const MatrixXd across = equations.on_rates.rightCols(b), over = across * inverse_first.asDiagonal();  // V_qb v⁻¹
  MatrixXcd on_shapes(m + b, m + b), on_forces = MatrixXcd::Zero(m + b, m + b);
  MatrixXd on_rates(m + b, m);
  on_shapes.topRows(m) = -(equations.stiffness.topRows(m) - over * equations.stiffness.bottomRows(b));
  on_shapes.bottomRows(b) = -(inverse_first.asDiagonal() * equations.stiffness.bottomRows(b));
  on_rates.topRows(m) = -(equations.on_rates.leftCols(m) - over * across.transpose());
  on_rates.bottomRows(b) = -over.transpose();
  on_forces.topLeftCorner(m, m).setIdentity();
  on_forces.topRightCorner(m, b) = -over;
  on_forces.bottomRightCorner(b, b) = inverse_first.asDiagonal();
  MatrixXcd first_order = MatrixXcd::Zero(n, n);
  for (Index r = 0; r < m; ++r)
    first_order(at[static_cast<std::size_t>(r)], rate_at[static_cast<std::size_t>(r)]) = scale[r];
  const auto row_of = [&](Index r) {
    return r < m ? rate_at[static_cast<std::size_t>(r)] : at[static_cast<std::size_t>(r)];
  };
  for (Index r = 0; r < m + b; ++r) {
    for (Index j = 0; j < m + b; ++j)
      first_order(row_of(r), at[static_cast<std::size_t>(j)]) += on_shapes(r, j) / scale[j];
    for (Index j = 0; j < m; ++j) first_order(row_of(r), rate_at[static_cast<std::size_t>(j)]) = on_rates(r, j);
  }
  ComplexEigen eigen = complex_eigen(first_order);
  MatrixXcd inverse = ComplexLu(eigen.vectors).solve(MatrixXcd::Identity(n, n));
  condition_ = condition_of(eigen.vectors, inverse);
  MatrixXcd vectors, over_vectors;
  if (condition_ <= largest_condition) {
    refine(first_order, eigen, inverse);
    form_ = Form::poles;
    poles_ = std::move(eigen.values);
    vectors = std::move(eigen.vectors);
    over_vectors = std::move(inverse);
  } else {
    ComplexSchur schur = complex_schur(std::move(first_order));
    form_ = Form::triangular;
    poles_ = schur.triangle.diagonal();
    triangle_ = std::move(schur.triangle);
    over_vectors = schur.vectors.adjoint();
    vectors = std::move(schur.vectors);
  }
  MatrixXcd right(m + b, n), left(n, m + b);
  for (Index r = 0; r < m + b; ++r) {
    right.row(r) = vectors.row(at[static_cast<std::size_t>(r)]) / scale[r];
    left.col(r) = over_vectors.col(row_of(r));
  }
  set(equations, right, left * on_forces);
  velocities_ = MatrixXcd::Zero(right_.rows(), right_.cols());
  for (Index r = 0; r < m; ++r) velocities_.row(r).head(n) = vectors.row(rate_at[static_cast<std::size_t>(r)]);
}

void DampedModes::change_coordinates(const MatrixXd& y) {
  right_ = y * right_;
  left_ *= y.transpose();
  if (velocities_.size() > 0) velocities_ = y * velocities_;
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
  ArrayXcd h = ArrayXcd::Ones(coordinates());
  const Index moving = coordinates() - static_;
  if (form_ == Form::hysteretic) {
    h.head(moving) = (squares_ - omega * omega).inverse();
  } else if (form_ == Form::poles) {
    h.head(moving) = (imaginary * omega - poles_.head(moving).array()).inverse();
  } else {
    for (Index r = 0; r < h.size(); ++r) {
      const double real = stiffness_[r] - inertia_[r] * omega * omega, damping = viscous_[r] * omega + loss_[r],
                   over = 1 / (real * real + damping * damping);
      h[r] = {real * over, -damping * over};
    }
  }
  return h;
}

MatrixXcd DampedModes::denominators() const {
  MatrixXcd result = MatrixXcd::Zero(coordinates(), 3);
  result.col(0).setOnes();
  const Index moving = coordinates() - static_;
  if (form_ == Form::hysteretic) {
    result.col(0).head(moving) = squares_.matrix();
    result.col(2).head(moving).setConstant(-1);
  } else if (form_ == Form::uncoupled) {
    result.col(0) = stiffness_.matrix() + imaginary * loss_.matrix();
    result.col(1) = imaginary * viscous_.matrix();
    result.col(2) = -inertia_.matrix().cast<Complex>();
  } else {
    result.col(0).head(moving) = -poles_.head(moving);
    result.col(1).head(moving).setConstant(imaginary);
  }
  return result;
}

MatrixXcd DampedModes::respond(double omega, const MatrixXcd& b) const {
  if (form_ != Form::triangular) return gain(omega).matrix().asDiagonal() * b;
  MatrixXcd c = b;
  for (Index i = triangle_.rows() - 1; i >= 0; --i) {  // (iω − T) c = b
    c.row(i) /= imaginary * omega - triangle_(i, i);
    c.topRows(i) += triangle_.col(i).head(i) * c.row(i);
  }
  return c;
}

MatrixXcd DampedModes::resistance(double omega) const {
  if (form_ != Form::triangular) return gain(omega).inverse().matrix().asDiagonal();
  MatrixXcd all = -triangle_;
  all.diagonal().array() += imaginary * omega;
  return all;
}

MatrixXcd DampedModes::slope_forces(double omega, const MatrixXcd& c) const {
  ArrayXcd factor = ArrayXcd::Constant(coordinates(), form_ == Form::hysteretic ? Complex(2 * omega) : -imaginary);
  if (form_ == Form::uncoupled) {
    factor = 2 * omega * inertia_ + 0.0 * imaginary;
    factor -= imaginary * viscous_;
  }
  factor.tail(static_).setZero();
  return factor.matrix().asDiagonal() * c;
}

void DampedModes::respond_each(std::span<const double> omegas, MatrixXcd& b) const {
  const auto points = static_cast<Index>(omegas.size());
  if (form_ != Form::triangular) {
    for (Index k = 0; k < points; ++k) b.col(k).array() *= gain(omegas[static_cast<std::size_t>(k)]);
    return;
  }
  for (Index last = triangle_.rows(); last > 0;) {  // back substitution, a block of rows at a time for all frequencies
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
