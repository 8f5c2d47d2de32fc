#include "core/response/transfer.h"

#include "core/dense.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;

Transfer::Transfer(const ModalBasis& basis, const ModalDamping& damping, InputColumns inputs)
    : basis_(basis), damping_(damping), inputs_(std::move(inputs)), layout_(layout_of(basis)) {
  const Index columns = inputs_.base.cols();
  if (inputs_.loads.size() == 0) inputs_.loads = MatrixXcd::Zero(layout_.loads, columns);
  modal_.constant = -basis.participation * inputs_.base + basis.load_participation * inputs_.loads;
  const bool has_springs = damping.has_springs_in_modes() && !damping.springs->base_travel().isZero(0);
  if (!basis.statics.moves_rigidly) {
    // (C_ff B + C_fb)ᵀΦ and its like are the rows of the bases' reactions.
    modal_.velocity = modal_.displacement = MatrixXcd::Zero(basis.size(), columns);
    for (std::size_t b = 0; b < basis.bases.size(); ++b) {
      const SupportReaction& base = basis.bases[b];
      const MatrixXcd own = inputs_.base.middleRows(6 * static_cast<Index>(b), 6);
      modal_.velocity -= (base.viscous + damping.base_rate * base.general).transpose() * own;
      modal_.displacement -= (base.loss + damping.base_loss * base.general).transpose() * own;
    }
  }
  if (has_springs)  // −W X G_b u_b
    modal_.displacement += imaginary * (damping.springs->forces() * (damping.springs->stiffness_change(1).asDiagonal() *
                                                                     (damping.springs->base_travel() * inputs_.base)));
  damped_.constant = damping.modes.forces(modal_.constant);
  spring_base_ = MatrixXcd::Zero(0, columns);
  if (damping.springs) {
    spring_forces_ = damping.modes.forces(damping.springs->forces());
    spring_rows_ = damping.modes.rows(damping.springs->travel());
    spring_base_ = damping.springs->base_travel() * inputs_.base;
  }
  if (modal_.velocity.size() == 0) return;
  damped_.velocity = damping.modes.forces(modal_.velocity);
  damped_.displacement = damping.modes.forces(modal_.displacement);
}

Transfer Transfer::with_coupling() const {
  Transfer other = *this;
  other.directly_ = damping_.couples() && !damping_.coupled();
  return other;
}

// u̇ = ü/(iω), u = −ü/ω², and their derivatives by ω.
MatrixXcd Transfer::Forces::at(double omega) const {
  if (velocity.size() == 0) return constant;
  return constant + velocity / (imaginary * omega) - imaginary * displacement / (omega * omega);
}
MatrixXcd Transfer::Forces::slope_at(double omega) const {
  return -velocity / (imaginary * omega * omega) + 2.0 * imaginary * displacement / (omega * omega * omega);
}

namespace {

// (iω)^derivative
Complex power(double omega, int derivative) {
  return derivative == 0 ? Complex(1) : derivative == 1 ? Complex(0, omega) : Complex(-omega * omega);
}

}  // namespace

MatrixXcd Transfer::modal_force(double frequency) const { return modal_.at(2 * pi * frequency); }

MatrixXcd Transfer::closed(double frequency, const MatrixXcd& forces, const MatrixXcd& carried,
                           const MatrixXcd& more) const {
  const double omega = 2 * pi * frequency;
  const DampedModes& modes = damping_.modes;
  if (!damping_.springs || damping_.has_springs_in_modes()) return modes.respond(omega, forces);
  const VectorXcd x = damping_.springs->stiffness_change(frequency);
  const Index k = modes.coordinates(), r = x.size();
  if (r > k) {  // (G⁻¹ + L W X G_q R) c
    MatrixXcd free = -(x.asDiagonal() * carried);
    if (more.size() > 0) free += more;
    return ComplexLu(modes.resistance(omega) + spring_forces_ * (x.asDiagonal() * spring_rows_))
        .solve(forces + spring_forces_ * free);
  }
  MatrixXcd c, inner;  // G b; X G_q R G L W + 1
  Eigen::VectorXcd gain;
  MatrixXcd per_unstressed;
  if (modes.is_diagonal()) {
    gain = modes.gain(omega);
    c = gain.asDiagonal() * forces;
    inner = (spring_rows_ * gain.asDiagonal()).eval() * spring_forces_;
  } else {
    c = modes.respond(omega, forces);
    per_unstressed = modes.respond(omega, spring_forces_);
    inner = spring_rows_ * per_unstressed;
  }
  inner = (x.asDiagonal() * inner).eval();
  inner.diagonal().array() += 1;
  MatrixXcd e = -(x.asDiagonal() * (spring_rows_ * c + carried));
  if (more.size() > 0) e += more;
  e = ComplexLu(std::move(inner)).solve(std::move(e));
  if (gain.size() > 0)
    c += gain.asDiagonal() * (spring_forces_ * e).eval();
  else
    c += per_unstressed * e;
  return c;
}

MatrixXcd Transfer::unstressed(double frequency, const MatrixXcd& coordinates, const MatrixXcd& amplitudes) const {
  return -(damping_.springs->stiffness_change(frequency).asDiagonal() *
           (damping_.springs->travel() * coordinates + carried(2 * pi * frequency, amplitudes)));
}

MatrixXcd Transfer::coordinates(double frequency) const {
  const double omega = 2 * pi * frequency;
  const Index columns = inputs_.base.cols();
  const MatrixXcd by_input = carried(omega, MatrixXcd::Identity(columns, columns));
  if (!directly_) return damping_.modes.modal(closed(frequency, damped_.at(omega), by_input));
  MatrixXcd stiffness = imaginary * (omega * damping_.viscous + damping_.hysteretic);
  stiffness.diagonal() += basis_.stiffness();
  stiffness.diagonal().head(basis_.with_mass()).array() -= omega * omega;
  MatrixXcd forces = modal_force(frequency);
  if (damping_.springs) {
    const VectorXcd x = damping_.springs->stiffness_change(frequency);
    const MatrixXcd per_travel = damping_.springs->forces() * x.asDiagonal();
    stiffness += per_travel * damping_.springs->travel();
    if (!damping_.has_springs_in_modes()) forces -= per_travel * by_input;
  }
  return ComplexLu(std::move(stiffness)).solve(std::move(forces));
}

MatrixXcd Transfer::coordinates(std::span<const double> frequencies, const MatrixXcd& amplitudes) const {
  const auto points = static_cast<Index>(frequencies.size());
  if (directly_) {
    MatrixXcd q(layout_.modes, points);
    for (Index k = 0; k < points; ++k)
      q.col(k) = coordinates(frequencies[static_cast<std::size_t>(k)]) * amplitudes.col(k);
    return q;
  }
  std::vector<double> omegas;
  for (const double f : frequencies) omegas.push_back(2 * pi * f);
  MatrixXcd c = damped_.constant * amplitudes;
  for (Index k = 0; k < points && damped_.velocity.size() > 0; ++k)
    c.col(k) = damped_.at(omegas[static_cast<std::size_t>(k)]) * amplitudes.col(k);
  if (!damping_.springs || damping_.has_springs_in_modes()) {
    damping_.modes.respond_each(omegas, c);
    return damping_.modes.modal(c);
  }
  for (Index first = 0, end = 0; first < points; first = end) {  // columns at one frequency together
    const double f = frequencies[static_cast<std::size_t>(first)];
    while (end < points && frequencies[static_cast<std::size_t>(end)] == f) ++end;
    const auto own = c.middleCols(first, end - first);
    const MatrixXcd of_bases = carried(2 * pi * f, amplitudes.middleCols(first, end - first));
    c.middleCols(first, end - first) = closed(f, own, of_bases);
  }
  return damping_.modes.modal(c);
}

Transfer::Damped Transfer::damped(double frequency, const VectorXcd& amplitudes) const {
  const double omega = 2 * pi * frequency;
  const MatrixXcd motion = carried(omega, amplitudes);
  Damped at{closed(frequency, damped_.at(omega) * amplitudes, motion).col(0), {}};
  if (damping_.springs)
    at.unstressed =
        -damping_.springs->stiffness_change(frequency).cwiseProduct(spring_rows_ * at.coordinates + motion.col(0));
  return at;
}

Transfer::Damped Transfer::damped_slope(double frequency, double inside, const Damped& at, const VectorXcd& amplitudes,
                                        const VectorXcd& slopes) const {
  const double omega = 2 * pi * frequency;
  VectorXcd forces = damping_.modes.slope_forces(omega, at.coordinates);
  if (!slopes.isZero(0)) forces += damped_.at(omega) * slopes;
  if (damped_.velocity.size() > 0) forces += damped_.slope_at(omega) * amplitudes;
  if (!damping_.springs) return {damping_.modes.respond(omega, forces).col(0), {}};
  // e' = −X (G c' + δ_b') − X' (G c + δ_b)
  const VectorXcd x = damping_.springs->stiffness_change(frequency),
                  x_slope = damping_.springs->stiffness_change_slope(frequency, inside) / (2 * pi),
                  of_bases = carried(omega, slopes) - (2 / omega) * carried(omega, amplitudes),
                  more = -x_slope.cwiseProduct(spring_rows_ * at.coordinates + carried(omega, amplitudes));
  // Where they are a part of the modes X' is zero, and what the bases add is a part of the forces.
  Damped slope{closed(frequency, forces, of_bases, more).col(0), {}};
  slope.unstressed = more - x.cwiseProduct(spring_rows_ * slope.coordinates + of_bases);
  return slope;
}

Eigen::ArrayXd Transfer::squares(double frequency, const MatrixXcd& amplitudes) const {
  constexpr double well_conditioned = 100;
  const DampedModes& modes = damping_.modes;
  const bool cheap = !directly_ && modes.is_diagonal() && modes.condition() <= well_conditioned;
  if (cheap && damping_.springs && !damping_.has_springs_in_modes()) {
    const double omega = 2 * pi * frequency;
    return closed(frequency, damped_.at(omega) * amplitudes, carried(omega, amplitudes)).cwiseAbs2().rowwise().sum();
  }
  if (!cheap) return (coordinates(frequency) * amplitudes).cwiseAbs2().rowwise().sum().array();
  if (amplitudes.cols() == 0) return Eigen::ArrayXd::Zero(modes.coordinates());  // where no input acts
  const double omega = 2 * pi * frequency;
  const Eigen::ArrayXd gains = modes.respond(omega, MatrixXcd::Ones(modes.coordinates(), 1)).cwiseAbs2().col(0).array();
  const auto times_gains = [&](const MatrixXcd& forces) -> Eigen::ArrayXd {
    if (amplitudes.isDiagonal(0))  // inputs that are not correlated
      return gains * (forces.cwiseAbs2() * amplitudes.diagonal().cwiseAbs2()).array();
    return gains * (forces * amplitudes).cwiseAbs2().rowwise().sum().array();
  };
  return damped_.velocity.size() == 0 ? times_gains(damped_.constant) : times_gains(damped_.at(omega));
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
  MatrixXcd loads = inputs_.loads;
  if (damping_.springs) {
    const Index columns = inputs_.base.cols();
    damping_.springs->put(unstressed(frequency, q, MatrixXcd::Identity(columns, columns)), loads);
  }
  z.bottomRows(layout_.loads) = loads;
  return z;
}

Trace::Trace(const Transfer& transfer, const MatrixXcd& rows) : transfer_(transfer) {
  const StateLayout& layout = transfer.layout();
  for (int derivative = 0; derivative < 3; ++derivative) {
    const auto k = static_cast<std::size_t>(derivative);
    const MatrixXcd on_modes = rows.middleCols(layout.modal(derivative), layout.modes);
    if (!on_modes.isZero(0)) on_modes_[k] = transfer.damping().modes.rows(on_modes);
    on_inputs_[k] = rows.middleCols(layout.base(derivative), layout.motions) * transfer.inputs().base;
  }
  on_inputs_[2] += rows.middleCols(layout.load(), layout.loads) * transfer.inputs().loads;
  if (!transfer.damping().springs) return;
  const std::vector<VaryingSpring>& springs = transfer.damping().springs->springs();
  on_unstressed_.resize(rows.rows(), std::ssize(springs));
  for (Index i = 0; i < on_unstressed_.cols(); ++i)
    on_unstressed_.col(i) = rows.col(layout.load() + springs[static_cast<std::size_t>(i)].column);
}

VectorXcd Trace::at(double frequency, const VectorXcd& amplitudes) const {
  const double omega = 2 * pi * frequency;
  return from(transfer_.damped(frequency, amplitudes), omega, amplitudes);
}

VectorXcd Trace::from(const Transfer::Damped& at, double omega, const VectorXcd& amplitudes) const {
  VectorXcd w = VectorXcd::Zero(on_inputs_[0].rows());
  for (int derivative = 0; derivative < 3; ++derivative) {
    const auto k = static_cast<std::size_t>(derivative);
    const Complex factor = power(omega, derivative);
    if (on_modes_[k].size() > 0) w += factor * (on_modes_[k] * at.coordinates);
    w += factor * (-1 / (omega * omega)) * (on_inputs_[k] * amplitudes);
  }
  if (on_unstressed_.size() > 0) w += on_unstressed_ * at.unstressed;
  return w;
}

std::pair<VectorXcd, VectorXcd> Trace::with_slope(double frequency, double inside, const VectorXcd& amplitudes,
                                                  const VectorXcd& slopes) const {
  const double omega = 2 * pi * frequency;
  const VectorXcd by_omega = slopes / (2 * pi);
  const Transfer::Damped at = transfer_.damped(frequency, amplitudes),
                         changing = transfer_.damped_slope(frequency, inside, at, amplitudes, by_omega);
  VectorXcd slope = VectorXcd::Zero(on_inputs_[0].rows());
  for (int derivative = 0; derivative < 3; ++derivative) {
    const auto k = static_cast<std::size_t>(derivative);
    const Complex factor = power(omega, derivative);
    if (on_modes_[k].size() > 0)
      slope += factor * (on_modes_[k] * (changing.coordinates + (derivative / omega) * at.coordinates));
    slope += factor * (-1 / (omega * omega)) * (on_inputs_[k] * (by_omega + ((derivative - 2) / omega) * amplitudes));
  }
  if (on_unstressed_.size() > 0) slope += on_unstressed_ * changing.unstressed;
  return {from(at, omega, amplitudes), 2 * pi * slope};
}

StateTable::StateTable(const Transfer& transfer, std::span<const double> frequencies, const MatrixXcd& amplitudes)
    : layout_(transfer.layout()), points_(static_cast<Index>(frequencies.size())) {
  const Eigen::RowVectorXd omega = 2 * pi * Eigen::Map<const Eigen::RowVectorXd>(frequencies.data(), points_);
  const auto keep = [&](std::size_t block, const MatrixXcd& values) {
    parts_[block].resize(values.rows(), 2 * points_);
    parts_[block] << values.real(), values.imag();
  };
  const MatrixXcd q = transfer.coordinates(frequencies, amplitudes);
  keep(0, q);
  keep(3, (transfer.inputs().base * amplitudes) * (-omega.cwiseAbs2().cwiseInverse()).asDiagonal());
  MatrixXcd loads = transfer.inputs().applied(amplitudes);
  if (const auto& springs = transfer.damping().springs) {
    MatrixXcd unstressed(springs->size(), points_);
    for (Index k = 0; k < points_; ++k)
      unstressed.col(k) = transfer.unstressed(frequencies[static_cast<std::size_t>(k)], q.col(k), amplitudes.col(k));
    springs->put(unstressed, loads);
  }
  keep(6, loads);
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
  for (std::size_t block = 0; block < parts_.size(); ++block) {
    const MatrixXd& part = parts_[block];
    const auto on_real = part.leftCols(points_), on_imaginary = part.rightCols(points_);
    const auto of_block = rows.middleCols(layout_.block(static_cast<int>(block)).first, part.rows());
    const MatrixXd a = of_block.real(), b = of_block.imag();
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
  for (std::size_t block = 0; block < parts_.size(); ++block) {
    const MatrixXd& part = parts_[block];
    for (Index k = 0; k < points_; ++k) {
      auto column =
          largest.col(k * stretches / points_).segment(layout_.block(static_cast<int>(block)).first, part.rows());
      const double own = over.empty() ? 1 : over[static_cast<std::size_t>(k)], scale = own > 0 ? std::pow(own, -2) : 0;
      column = column.cwiseMax(scale * (part.col(k).cwiseAbs2() + part.col(points_ + k).cwiseAbs2()));
    }
  }
  return largest.cwiseSqrt();
}

MatrixXcd StateTable::block(std::size_t index) const {
  const MatrixXd& part = parts_[index];
  MatrixXcd values(part.rows(), points_);
  values.real() = part.leftCols(points_);
  values.imag() = part.rightCols(points_);
  return values;
}

StateLayout layout_of(const ModalBasis& basis) {
  return {basis.size(), static_cast<int>(basis.statics.influence.cols()),
          static_cast<int>(basis.load_participation.cols())};
}

StateLayout::Block StateLayout::block(int index) const {
  const int derivative = index % 3;
  if (index < 3) return {modal(derivative), modes};
  if (index < 6) return {base(derivative), motions};
  return {load(), loads};
}

MatrixXd StateLayout::by_cause(const MatrixXd& parts) const {
  MatrixXd sum = MatrixXd::Zero(modes + 2, parts.cols());
  for (int derivative = 0; derivative < 3; ++derivative) {
    sum.topRows(modes) += parts.middleRows(modal(derivative), modes);
    sum.row(modes) += parts.middleRows(base(derivative), motions).colwise().sum();
  }
  sum.row(modes + 1) = parts.middleRows(load(), loads).colwise().sum();
  return sum;
}

Eigen::MatrixXcd InputColumns::applied(const Eigen::MatrixXcd& amplitudes) const {
  return loads.rows() == 0 ? Eigen::MatrixXcd(0, amplitudes.cols()) : Eigen::MatrixXcd(loads * amplitudes);
}

Eigen::MatrixXcd Transfer::carried(double omega, const Eigen::MatrixXcd& amplitudes) const {
  return spring_base_ * (amplitudes * (-1 / (omega * omega)));
}

}  // namespace avrenk
