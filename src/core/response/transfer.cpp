#include "core/response/transfer.h"

#include "core/dense.h"
#include "core/quantity/quantity.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;

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

Transfer::Transfer(const ModalBasis& basis, const ModalDamping& damping, InputColumns inputs)
    : basis_(basis),
      damping_(damping),
      inputs_(std::move(inputs)),
      layout_{basis.size(), static_cast<int>(inputs_.base.rows())},
      acceleration_(damping.modes.forces(inputs_.acceleration)) {
  if (inputs_.velocity.size() == 0) return;
  velocity_ = damping.modes.forces(inputs_.velocity);
  displacement_ = damping.modes.forces(inputs_.displacement);
}

Transfer Transfer::with_coupling() const {
  Transfer other = *this;
  other.directly_ = damping_.couples() && !damping_.coupled();
  return other;
}

namespace {

// u̇ = ü/(iω), u = −ü/ω², and their derivatives by ω.
MatrixXcd force_at(const MatrixXcd& acceleration, const MatrixXcd& velocity, const MatrixXcd& displacement,
                   double omega) {
  if (velocity.size() == 0) return acceleration;
  return acceleration + velocity / (imaginary * omega) - imaginary * displacement / (omega * omega);
}
MatrixXcd force_slope_at(const MatrixXcd& velocity, const MatrixXcd& displacement, double omega) {
  return -velocity / (imaginary * omega * omega) + 2.0 * imaginary * displacement / (omega * omega * omega);
}

// (iω)^derivative
Complex power(double omega, int derivative) {
  return derivative == 0 ? Complex(1) : derivative == 1 ? Complex(0, omega) : Complex(-omega * omega);
}

}  // namespace

MatrixXcd Transfer::modal_force(double frequency) const {
  return force_at(inputs_.acceleration, inputs_.velocity, inputs_.displacement, 2 * pi * frequency);
}

MatrixXcd Transfer::damped_force(double omega) const {
  return force_at(acceleration_, velocity_, displacement_, omega);
}

MatrixXcd Transfer::coordinates(double frequency) const {
  const double omega = 2 * pi * frequency;
  if (!directly_) return damping_.modes.modal(damping_.modes.respond(omega, damped_force(omega)));
  MatrixXcd stiffness = imaginary * (omega * damping_.viscous + damping_.hysteretic);
  stiffness.diagonal() += basis_.stiffness();
  stiffness.diagonal().head(basis_.with_mass()).array() -= omega * omega;
  return ComplexLu(std::move(stiffness)).solve(modal_force(frequency));
}

MatrixXcd Transfer::coordinates(std::span<const double> frequencies) const {
  const auto points = static_cast<Index>(frequencies.size());
  if (directly_) {
    MatrixXcd q(layout_.modes, points);
    for (Index k = 0; k < points; ++k) q.col(k) = coordinates(frequencies[static_cast<std::size_t>(k)]).col(0);
    return q;
  }
  std::vector<double> omegas;
  for (const double f : frequencies) omegas.push_back(2 * pi * f);
  MatrixXcd c(damping_.modes.coordinates(), points);
  for (Index k = 0; k < points; ++k) c.col(k) = damped_force(omegas[static_cast<std::size_t>(k)]).col(0);
  damping_.modes.respond_each(omegas, c);
  return damping_.modes.modal(c);
}

VectorXcd Transfer::damped(double frequency) const {
  const double omega = 2 * pi * frequency;
  return damping_.modes.respond(omega, damped_force(omega).leftCols(1)).col(0);
}

VectorXcd Transfer::damped_slope(double frequency, const VectorXcd& c) const {
  const double omega = 2 * pi * frequency;
  VectorXcd slope = damping_.modes.respond_slope(omega, c).col(0);
  if (velocity_.size() > 0)
    slope += damping_.modes.respond(omega, force_slope_at(velocity_, displacement_, omega).leftCols(1)).col(0);
  return slope;
}

Eigen::ArrayXd Transfer::squares(double frequency) const {
  constexpr double well_conditioned = 100;
  const DampedModes& modes = damping_.modes;
  const bool cheap = !directly_ && modes.is_diagonal() && modes.condition() <= well_conditioned;
  return (cheap ? damped(frequency) : VectorXcd(coordinates(frequency).col(0))).cwiseAbs2().array();
}

MatrixXcd Transfer::state(double frequency) const {
  const double omega = 2 * pi * frequency;
  const MatrixXcd q = coordinates(frequency);
  MatrixXcd z(layout_.size(), inputs_.base.cols());
  for (int derivative = 0; derivative < 3; ++derivative) {
    z.middleRows(layout_.modal(derivative), layout_.modes) = power(omega, derivative) * q;
    z.middleRows(layout_.base(derivative), layout_.motions) =
        power(omega, derivative) * (-1 / (omega * omega)) * inputs_.base;
  }
  return z;
}

Trace::Trace(const Transfer& transfer, const MatrixXcd& rows) : transfer_(transfer) {
  const StateLayout& layout = transfer.layout();
  for (int derivative = 0; derivative < 3; ++derivative) {
    const auto k = static_cast<std::size_t>(derivative);
    const MatrixXcd on_modes = rows.middleCols(layout.modal(derivative), layout.modes);
    if (!on_modes.isZero(0)) on_modes_[k] = transfer.damping().modes.rows(on_modes);
    on_base_[k] = rows.middleCols(layout.base(derivative), layout.motions) * transfer.inputs().base.col(0);
  }
}

VectorXcd Trace::at(double frequency) const {
  const double omega = 2 * pi * frequency;
  return from(transfer_.damped(frequency), omega);
}

VectorXcd Trace::from(const VectorXcd& c, double omega) const {
  VectorXcd w = VectorXcd::Zero(on_base_[0].size());
  for (int derivative = 0; derivative < 3; ++derivative) {
    const auto k = static_cast<std::size_t>(derivative);
    const Complex factor = power(omega, derivative);
    if (on_modes_[k].size() > 0) w += factor * (on_modes_[k] * c);
    w += factor * (-1 / (omega * omega)) * on_base_[k];
  }
  return w;
}

std::pair<VectorXcd, VectorXcd> Trace::with_slope(double frequency) const {
  const double omega = 2 * pi * frequency;
  const VectorXcd c = transfer_.damped(frequency), c_slope = transfer_.damped_slope(frequency, c);
  VectorXcd slope = VectorXcd::Zero(on_base_[0].size());
  for (int derivative = 0; derivative < 3; ++derivative) {
    const auto k = static_cast<std::size_t>(derivative);
    const Complex factor = power(omega, derivative);
    if (on_modes_[k].size() > 0) slope += factor * (on_modes_[k] * (c_slope + (derivative / omega) * c));
    slope += factor * (-1 / (omega * omega)) * ((derivative - 2) / omega) * on_base_[k];
  }
  return {from(c, omega), 2 * pi * slope};
}

StateTable::StateTable(const Transfer& transfer, std::span<const double> frequencies, std::span<const double> levels)
    : layout_(transfer.layout()), points_(static_cast<Index>(frequencies.size())) {
  const Eigen::Map<const Eigen::RowVectorXd> level(levels.data(), points_);
  const Eigen::RowVectorXd omega = 2 * pi * Eigen::Map<const Eigen::RowVectorXd>(frequencies.data(), points_);
  MatrixXd& q = parts_[0];
  q.resize(layout_.modes, 2 * points_);
  const MatrixXcd coordinates = transfer.coordinates(frequencies);
  q << coordinates.real() * level.asDiagonal(), coordinates.imag() * level.asDiagonal();
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

MatrixXcd StateTable::times(const MatrixXcd& rows) const {
  MatrixXd real = MatrixXd::Zero(rows.rows(), points_), imaginary_sum = real;
  for (int block = 0; block < 6; ++block) {
    const MatrixXd& part = parts_[static_cast<std::size_t>(block)];
    const auto on_real = part.leftCols(points_), on_imaginary = part.rightCols(points_);
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
  MatrixXcd result(rows.rows(), points_);
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
