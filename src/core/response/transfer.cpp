#include "core/response/transfer.h"

#include "core/dense.h"
#include "core/quantity/quantity.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;

InputColumns base_inputs(const ModalBasis& basis, const ModalDamping& damping, const MatrixXcd& directions) {
  InputColumns inputs;
  inputs.base = directions;
  inputs.acceleration = -basis.participation * directions;
  if (basis.statics.moves_rigidly) return inputs;
  // (C_ff B + C_fb)ᵀΦ and its like are the rows of the bases' reactions.
  MatrixXcd velocity = MatrixXcd::Zero(basis.size(), directions.cols()), displacement = velocity;
  for (std::size_t b = 0; b < basis.bases.size(); ++b) {
    const SupportReaction& base = basis.bases[b];
    const MatrixXcd own = directions.middleRows(6 * static_cast<Index>(b), 6);
    velocity -= (base.viscous + damping.base_rate * base.general).transpose() * own;
    displacement -= (base.loss + damping.base_loss * base.general).transpose() * own;
  }
  inputs.velocity = velocity;
  inputs.displacement = displacement;
  return inputs;
}

// The modal coordinates and their derivative by ω.
struct Transfer::Point {
  double omega;
  MatrixXcd q, q_slope;  // m x n
};

Transfer::Transfer(const ModalBasis& basis, const ModalDamping& damping, InputColumns inputs)
    : basis_(basis),
      damping_(damping),
      inputs_(std::move(inputs)),
      layout_{basis.size(), static_cast<int>(inputs_.base.rows())},
      coupled_(damping.coupled),
      natural2_(basis.omega.array().square()),
      viscous_(2 * damping.zeta.array() * basis.omega.array()),
      hysteretic_(damping.eta.array() * natural2_),
      force_squares_(inputs_.acceleration.col(0).cwiseAbs2()) {}

Transfer Transfer::with_coupling() const {
  Transfer other = *this;
  other.coupled_ = damping_.couples();
  return other;
}

MatrixXcd Transfer::force_slope(double omega) const {
  return -inputs_.velocity / (imaginary * omega * omega) +
         2.0 * imaginary * inputs_.displacement / (omega * omega * omega);
}

MatrixXcd Transfer::modal_force(double frequency) const {
  if (inputs_.velocity.size() == 0) return inputs_.acceleration;
  const double omega = 2 * pi * frequency;  // u̇ = ü/(iω), u = −ü/ω²
  return inputs_.acceleration + inputs_.velocity / (imaginary * omega) -
         imaginary * inputs_.displacement / (omega * omega);
}

Transfer::Point Transfer::at(double frequency, bool slope) const {
  Point point;
  const double omega = point.omega = 2 * pi * frequency;
  const bool moving_force = inputs_.velocity.size() > 0;
  if (!coupled_) {
    Eigen::VectorXcd h(natural2_.size());
    for (Index r = 0; r < h.size(); ++r) {
      const double real = natural2_[r] - omega * omega, imaginary_part = viscous_[r] * omega + hysteretic_[r],
                   over = 1 / (real * real + imaginary_part * imaginary_part);
      h[r] = {real * over, -imaginary_part * over};
    }
    point.q = h.asDiagonal() * (moving_force ? modal_force(frequency) : inputs_.acceleration);
    if (!slope) return point;
    Eigen::VectorXcd stiffness_slope = Eigen::VectorXcd::Constant(h.size(), -2 * omega);
    stiffness_slope.imag() = viscous_.matrix();
    point.q_slope = -(h.cwiseProduct(stiffness_slope).asDiagonal() * point.q);
    if (moving_force) point.q_slope += h.asDiagonal() * force_slope(omega);
    return point;
  }
  MatrixXcd stiffness = imaginary * (omega * damping_.viscous + damping_.hysteretic);
  stiffness.diagonal().array() += natural2_ - omega * omega;
  const ComplexLu solver(std::move(stiffness));
  point.q = solver.solve(modal_force(frequency));
  if (!slope) return point;
  MatrixXcd right = 2 * omega * point.q - imaginary * (damping_.viscous * point.q);
  if (moving_force) right += force_slope(omega);
  point.q_slope = solver.solve(right);
  return point;
}

MatrixXcd Transfer::coordinates(double frequency) const { return at(frequency, false).q; }

Eigen::ArrayXd Transfer::squares(double frequency) const {
  if (coupled_ || inputs_.velocity.size() > 0) return coordinates(frequency).col(0).cwiseAbs2().array();
  const double omega = 2 * pi * frequency;
  return force_squares_ / ((natural2_ - omega * omega).square() + (viscous_ * omega + hysteretic_).square());
}

MatrixXcd Transfer::state(double frequency) const { return state(at(frequency, false)); }

MatrixXcd Transfer::state(const Point& point) const {
  const double omega = point.omega;
  const auto m = layout_.modes, n = layout_.motions;
  MatrixXcd z(layout_.size(), inputs_.base.cols());
  z.middleRows(layout_.modal(0), m) = point.q;
  z.middleRows(layout_.modal(1), m) = imaginary * omega * point.q;
  z.middleRows(layout_.modal(2), m) = -omega * omega * point.q;
  z.middleRows(layout_.base(0), n) = (-1 / (omega * omega)) * inputs_.base;
  z.middleRows(layout_.base(1), n) = inputs_.base / (imaginary * omega);
  z.middleRows(layout_.base(2), n) = inputs_.base;
  return z;
}

std::pair<MatrixXcd, MatrixXcd> Transfer::state_and_slope(double frequency) const {
  const Point point = at(frequency, true);
  const double omega = point.omega;
  const auto m = layout_.modes, n = layout_.motions;
  MatrixXcd z(layout_.size(), inputs_.base.cols());
  z.middleRows(layout_.modal(0), m) = point.q_slope;
  z.middleRows(layout_.modal(1), m) = imaginary * point.q + imaginary * omega * point.q_slope;
  z.middleRows(layout_.modal(2), m) = -2 * omega * point.q - omega * omega * point.q_slope;
  z.middleRows(layout_.base(0), n) = (2 / (omega * omega * omega)) * inputs_.base;
  z.middleRows(layout_.base(1), n) = -inputs_.base / (imaginary * omega * omega);
  z.middleRows(layout_.base(2), n).setZero();
  return {state(point), 2 * pi * z};
}

StateTable::StateTable(const Transfer& transfer, std::span<const double> frequencies, std::span<const double> levels)
    : layout_(transfer.layout()), points_(static_cast<Index>(frequencies.size())) {
  const Eigen::Map<const Eigen::RowVectorXd> level(levels.data(), points_);
  const Eigen::RowVectorXd omega = 2 * pi * Eigen::Map<const Eigen::RowVectorXd>(frequencies.data(), points_);
  MatrixXd& q = parts_[0];
  q.resize(layout_.modes, 2 * points_);
  for (Index k = 0; k < points_; ++k) {
    const MatrixXcd value = transfer.coordinates(frequencies[static_cast<std::size_t>(k)]);
    q.col(k) = level[k] * value.col(0).real();
    q.col(points_ + k) = level[k] * value.col(0).imag();
  }
  const Eigen::VectorXcd base = transfer.inputs().base.col(0);
  const Eigen::RowVectorXd displacement = -level.cwiseQuotient(omega.cwiseAbs2());
  parts_[3].resize(layout_.motions, 2 * points_);
  parts_[3] << base.real() * displacement, base.imag() * displacement;
  const Eigen::RowVectorXd twice = omega.replicate(1, 2);
  for (const std::size_t block : {0U, 3U}) {
    MatrixXd& velocity = parts_[block + 1];
    velocity.resize(parts_[block].rows(), 2 * points_);  // iω(a + ib) = −ωb + iωa
    velocity.leftCols(points_) = -parts_[block].rightCols(points_);
    velocity.rightCols(points_) = parts_[block].leftCols(points_);
    velocity.array().rowwise() *= twice.array();
    parts_[block + 2] = -parts_[block];
    parts_[block + 2].array().rowwise() *= twice.cwiseAbs2().array();
  }
}

MatrixXcd StateTable::times(const MatrixXcd& rows, Index first, Index count) const {
  MatrixXd real = MatrixXd::Zero(rows.rows(), count), imaginary_sum = real;
  for (int block = 0; block < 6; ++block) {
    const MatrixXd& part = parts_[static_cast<std::size_t>(block)];
    const auto on_real = part.middleCols(first, count), on_imaginary = part.middleCols(points_ + first, count);
    const auto own = rows.middleCols(block < 3 ? layout_.modal(block) : layout_.base(block - 3), part.rows());
    const MatrixXd a = own.real(), b = own.imag();
    if (!a.isZero(0)) {
      real.noalias() += a * on_real;
      imaginary_sum.noalias() += a * on_imaginary;
    }
    if (!b.isZero(0)) {
      real.noalias() -= b * on_imaginary;
      imaginary_sum.noalias() += b * on_real;
    }
  }
  MatrixXcd result(rows.rows(), count);
  result.real() = real;
  result.imag() = imaginary_sum;
  return result;
}

MatrixXd StateTable::largest_in_stretches(std::span<const double> over) const {
  constexpr Index stretches = 32;
  MatrixXd largest = MatrixXd::Zero(layout_.size(), stretches);
  for (int block = 0; block < 6; ++block) {
    const MatrixXd& part = parts_[static_cast<std::size_t>(block)];
    const Index first = block < 3 ? layout_.modal(block) : layout_.base(block - 3);
    for (Index k = 0; k < points_; ++k) {
      auto column = largest.col(k * stretches / points_).segment(first, part.rows());
      const double scale = over.empty() ? 1 : std::pow(over[static_cast<std::size_t>(k)], -2);
      column = column.cwiseMax(scale * (part.col(k).cwiseAbs2() + part.col(points_ + k).cwiseAbs2()));
    }
  }
  return largest.cwiseSqrt();
}

MatrixXcd StateTable::coordinates() const {
  MatrixXcd q(layout_.modes, points_);
  q.real() = parts_[0].leftCols(points_);
  q.imag() = parts_[0].rightCols(points_);
  return q;
}

}  // namespace avrenk
