#include "core/response/direct_solution.h"

#include <algorithm>
#include <cmath>

#include "core/dense.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/quantity/quantity.h"
#include "core/system/system.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

DirectSolution::DirectSolution(const System& system, const ModalBasis& basis, const ModalDamping& damping,
                               const DampingRule& rule, const EliminationOrder& order, double frequency)
    : system_(system),
      basis_(basis),
      modal_damping_(damping),
      rule_(rule),
      frequency_(frequency),
      omega_(2 * pi * frequency),
      damping_(damping_matrix(general(), &Partitioned::ff)),
      factor_(matrix(), order) {
  const bool by_mode =
      !rule.near.empty() || rule.form == DampingRule::Form::ratio || rule.form == DampingRule::Form::table;
  if (by_mode) damp_modes();
}

DirectSolution::ComplexSparse DirectSolution::matrix() const {
  ComplexSparse z = (system_.stiffness.ff - omega_ * omega_ * system_.mass.ff).cast<Complex>();
  z += damping_;
  return z;
}

// A ratio is a property of modes, and so is a value given near a frequency: on the modes the damping is what the modal
// answer takes, coupling and all, elsewhere that of the elements.
void DirectSolution::damp_modes() {
  // Only modes that this frequency can bring near resonance: of those far above it damping makes next to nothing.
  constexpr double far_above = 4;
  const VectorXd& natural = basis_.omega;
  const auto near = (natural.head(basis_.modes).array() <= far_above * omega_).count();
  const MatrixXd shapes = basis_.shapes.leftCols(near);
  modes_ = (system_.mass.ff * shapes).cast<Complex>();
  correction_ = -(shapes.transpose().cast<Complex>() * (damping_ * shapes.cast<Complex>()));
  if (modal_damping_.couples())
    correction_ += imaginary * (omega_ * modal_damping_.viscous.topLeftCorner(near, near) +
                                modal_damping_.hysteretic.topLeftCorner(near, near));
  else
    correction_.diagonal() += imaginary * (2 * omega_ * modal_damping_.zeta.cwiseProduct(natural) +
                                           modal_damping_.eta.cwiseProduct(natural.cwiseAbs2()))
                                              .head(near);
  solved_modes_ = factor_.solve(modes_);
  inner_ = MatrixXcd::Identity(near, near) + correction_ * (modes_.transpose() * solved_modes_);
}

DirectSolution::General DirectSolution::general() const {
  switch (rule_.form) {
    case DampingRule::Form::none:
      return {};
    case DampingRule::Form::ratio:
    case DampingRule::Form::table:
      return {2 * rule_.ratio(frequency_), 0, 0};
    case DampingRule::Form::loss_factor:
      return {rule_.value, 0, 0};
    case DampingRule::Form::rayleigh:
      return {0, rule_.stiffness_rate, rule_.mass_rate};
  }
  return {};
}

// What elements have beside their elastic forces.
DirectSolution::General DirectSolution::on_elements() const {
  int nearest = 0;
  for (int r = 0; r < basis_.modes; ++r)
    if (std::abs(basis_.frequency(r) - frequency_) < std::abs(basis_.frequency(nearest) - frequency_)) nearest = r;
  const bool given =
      basis_.modes > 0 && std::any_of(rule_.near.begin(), rule_.near.end(),
                                      [&](const NearDamping& near) { return near.covers(basis_.frequency(nearest)); });
  if (!given) return general();
  return {modal_damping_.general_loss[nearest] + omega_ * modal_damping_.general_rate[nearest], 0, 0, true};
}

ModalDamping DirectSolution::force_damping(Index answers) const {
  const General rule = on_elements();
  ModalDamping damping;
  damping.zeta = damping.eta = VectorXd::Zero(answers);
  damping.general_loss = VectorXd::Constant(answers, rule.loss);
  damping.general_rate = VectorXd::Constant(answers, rule.stiffness_rate);
  damping.overridden = VectorXd::Constant(answers, rule.given ? 1 : 0);
  damping.mass_rate = general().mass_rate;
  damping.base_loss = modal_damping_.base_loss;
  damping.base_rate = modal_damping_.base_rate;
  return damping;
}

// Damping force per unit of motion, iωC + iK_η with all that the elements have.
// @param block  ff, fs or ss of all of them
DirectSolution::ComplexSparse DirectSolution::damping_matrix(const General& general,
                                                             SparseMatrix Partitioned::*block) const {
  const Complex on_general = imaginary * (general.loss + omega_ * general.stiffness_rate);
  ComplexSparse d = on_general * (system_.stiffness.*block - system_.own_stiffness.*block).cast<Complex>();
  d += imaginary * (system_.loss.*block).cast<Complex>();
  d += (imaginary * omega_) * (system_.dashpot.*block).cast<Complex>();
  d += (imaginary * omega_ * general.mass_rate) * (system_.mass.*block).cast<Complex>();
  return d;
}

// Forces on the free unknowns per unit of the input (theory 2).
MatrixXcd loads_of(const System& system, const StaticSolution& statics, const ModalDamping& damping,
                   const InputColumns& inputs, double omega) {
  const MatrixXcd& directions = inputs.base;
  MatrixXcd loads = -(statics.inertia_load.cast<Complex>() * directions);
  if (inputs.loads.size() > 0) loads += system.loads.cast<Complex>() * inputs.loads;
  if (statics.moves_rigidly) return loads;
  const auto forces = [&](const Partitioned& x) -> MatrixXd {
    return x.ff * statics.influence + x.fs * system.support_motion;
  };
  const MatrixXd general = -forces(system.own_stiffness);  // (K B + K_fs E) − own: the first vanishes
  const MatrixXcd velocity = directions / (imaginary * omega), displacement = -directions / (omega * omega);
  loads -= (forces(system.dashpot) + damping.base_rate * general).cast<Complex>() * velocity;
  loads -= imaginary * ((forces(system.loss) + damping.base_loss * general).cast<Complex>() * displacement);
  return loads;
}

MatrixXcd DirectSolution::solve(const InputColumns& inputs) const {
  MatrixXcd y = factor_.solve(loads(inputs));
  if (modes_.cols() > 0) y -= solved_modes_ * ComplexLu(inner_).solve(correction_ * (modes_.transpose() * y));
  return y;
}

DirectSolution::Forces DirectSolution::forces(const MatrixXcd& relative, const InputColumns& inputs) const {
  const StaticSolution& statics = basis_.statics;
  const MatrixXcd& directions = inputs.base;
  General rule = general();
  const double drag = rule.mass_rate;
  rule.mass_rate = 0;
  const auto elastic = [&](const General& of, SparseMatrix Partitioned::*block) -> ComplexSparse {
    return (system_.stiffness.*block).cast<Complex>() + damping_matrix(of, block);
  };
  const MatrixXcd base = -directions / (omega_ * omega_), supports = system_.support_motion.cast<Complex>() * base,
                  carried = statics.influence.cast<Complex>() * base;
  Forces forces;
  forces.supports = elastic(rule, &Partitioned::fs).transpose() * relative;
  forces.supports -= omega_ * omega_ * (system_.mass.fs.cast<Complex>().transpose() * (relative + carried));
  forces.supports -= omega_ * omega_ * (system_.mass.ss.cast<Complex>() * supports);
  if (inputs.loads.size() > 0) forces.supports -= system_.support_loads.cast<Complex>() * inputs.loads;
  if (!statics.moves_rigidly) {  // the general rule damps the quasi-static motion as in loads()
    const General slow{modal_damping_.base_loss, modal_damping_.base_rate, 0};
    forces.supports += elastic(slow, &Partitioned::fs).transpose() * carried;
    forces.supports += elastic(slow, &Partitioned::ss) * supports;
  }
  forces.body = imaginary * omega_ * drag * (system_.mass.ff.cast<Complex>() * relative);
  if (modes_.cols() > 0) forces.body += modes_ * (correction_ * (modes_.transpose() * relative));
  return forces;
}

DirectSolution::NodeMotions DirectSolution::motions(const VectorXcd& relative, const VectorXcd& directions) const {
  const VectorXcd base = -directions / (omega_ * omega_);
  const VectorXcd free = basis_.statics.influence.cast<Complex>() * base,
                  supports = system_.support_motion.cast<Complex>() * base;
  MatrixXd all = MatrixXd::Zero(system_.free + system_.supports, 4);
  all.topRows(system_.free) << relative.real(), relative.imag(), free.real(), free.imag();
  all.bottomRows(system_.supports).rightCols(2) << supports.real(), supports.imag();
  const MatrixXd nodes = system_.transformation.transpose() * all;
  return {nodes.col(0) + imaginary * nodes.col(1), nodes.col(2) + imaginary * nodes.col(3)};
}

VectorXcd DirectSolution::joint_force(const JointRows& behind, const NodeMotions& motions,
                                      const VectorXcd& applied) const {
  const auto through = [](const JointRows::Rows& rows, const VectorXcd& of) {
    VectorXcd sum = VectorXcd::Zero(6);
    for (const auto& [node, matrix] : rows) sum += matrix.cast<Complex>() * of.segment<6>(6L * node);
    return sum;
  };
  const General rule = on_elements();
  const Complex general_force = 1.0 + imaginary * (rule.loss + omega_ * rule.stiffness_rate);
  VectorXcd force = general_force * through(behind.stiffness, motions.relative);
  if (rule.given)
    force += general_force * through(behind.own_stiffness, motions.relative);
  else
    force += through(behind.own_stiffness, motions.relative) + imaginary * through(behind.loss, motions.relative) +
             imaginary * omega_ * through(behind.dashpot, motions.relative) +
             imaginary * omega_ * general().mass_rate * through(behind.mass, motions.relative);
  force -= omega_ * omega_ * through(behind.mass, motions.relative + motions.carried);
  force -= applied;
  if (basis_.statics.moves_rigidly) return force;
  force += (1.0 + imaginary * (modal_damping_.base_loss + omega_ * modal_damping_.base_rate)) *
               through(behind.stiffness, motions.carried) +
           through(behind.own_stiffness, motions.carried) + imaginary * through(behind.loss, motions.carried) +
           imaginary * omega_ * through(behind.dashpot, motions.carried);
  return force;
}

Eigen::MatrixXcd DirectSolution::loads(const InputColumns& inputs) const {
  return loads_of(system_, basis_.statics, modal_damping_, inputs, omega_);
}

}  // namespace avrenk
