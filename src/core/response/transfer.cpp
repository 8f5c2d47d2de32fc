#include "core/response/transfer.h"

#include "core/quantity/quantity.h"

namespace avrenk {

InputColumns base_inputs(const ModalBasis& basis, const ModalDamping& damping, const Eigen::MatrixXd& directions) {
  InputColumns inputs;
  inputs.base = directions;
  inputs.acceleration = -basis.participation * directions;
  if (basis.statics.moves_rigidly) return inputs;
  const SupportReaction& base = basis.base;  // (C_ff B + C_fb)ᵀΦ and its like are the reaction's rows
  inputs.velocity = -base.viscous.transpose() * directions;
  inputs.displacement = -(base.loss + damping.general_loss * base.general).transpose() * directions;
  return inputs;
}

// H and the modal force with their derivatives by ω.
struct Transfer::Point {
  double omega;
  Eigen::ArrayXcd h, h_slope;           // m
  Eigen::MatrixXcd force, force_slope;  // m x n
};

Transfer::Transfer(const ModalBasis& basis, const ModalDamping& damping, InputColumns inputs)
    : basis_(basis), damping_(damping), inputs_(std::move(inputs)), layout_{basis.size()} {}

Transfer::Point Transfer::at(double frequency) const {
  const Complex i(0, 1);
  Point point;
  const double omega = point.omega = 2 * pi * frequency;
  const Eigen::ArrayXd natural = basis_.omega.array(), natural2 = natural.square();
  const Eigen::ArrayXd viscous = 2 * damping_.zeta.array() * natural;
  const Eigen::ArrayXcd stiffness = natural2 - omega * omega + i * (viscous * omega + damping_.eta.array() * natural2);
  point.h = stiffness.inverse();
  point.h_slope = -point.h.square() * (-2 * omega + i * viscous);
  point.force = inputs_.acceleration.cast<Complex>();
  point.force_slope = Eigen::MatrixXcd::Zero(point.force.rows(), point.force.cols());
  if (inputs_.velocity.size() > 0) {  // u̇ = ü/(iω), u = −ü/ω²
    point.force += inputs_.velocity / (i * omega) - i * inputs_.displacement / (omega * omega);
    point.force_slope =
        -inputs_.velocity / (i * omega * omega) + 2.0 * i * inputs_.displacement / (omega * omega * omega);
  }
  return point;
}

Eigen::MatrixXcd Transfer::state(double frequency) const {
  const Complex i(0, 1);
  const Point point = at(frequency);
  const double omega = point.omega;
  const auto m = layout_.modes;
  Eigen::MatrixXcd z(layout_.size(), inputs_.base.cols());
  const Eigen::MatrixXcd q = point.h.matrix().asDiagonal() * point.force;
  z.middleRows(layout_.modal(0), m) = q;
  z.middleRows(layout_.modal(1), m) = i * omega * q;
  z.middleRows(layout_.modal(2), m) = -omega * omega * q;
  z.middleRows<6>(layout_.base(0)) = (-1 / (omega * omega)) * inputs_.base.cast<Complex>();
  z.middleRows<6>(layout_.base(1)) = inputs_.base / (i * omega);
  z.middleRows<6>(layout_.base(2)) = inputs_.base.cast<Complex>();
  return z;
}

Eigen::MatrixXcd Transfer::state_slope(double frequency) const {
  const Complex i(0, 1);
  const Point point = at(frequency);
  const double omega = point.omega;
  const auto m = layout_.modes;
  const Eigen::MatrixXcd q = point.h.matrix().asDiagonal() * point.force;
  const Eigen::MatrixXcd slope =
      point.h_slope.matrix().asDiagonal() * point.force + point.h.matrix().asDiagonal() * point.force_slope;
  Eigen::MatrixXcd z(layout_.size(), inputs_.base.cols());
  z.middleRows(layout_.modal(0), m) = slope;
  z.middleRows(layout_.modal(1), m) = i * q + i * omega * slope;
  z.middleRows(layout_.modal(2), m) = -2 * omega * q - omega * omega * slope;
  z.middleRows<6>(layout_.base(0)) = (2 / (omega * omega * omega)) * inputs_.base.cast<Complex>();
  z.middleRows<6>(layout_.base(1)) = -inputs_.base / (i * omega * omega);
  z.middleRows<6>(layout_.base(2)).setZero();
  return 2 * pi * z;
}

}  // namespace avrenk
