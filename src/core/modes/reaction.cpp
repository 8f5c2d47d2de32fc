#include "core/modes/reaction.h"

namespace avrenk {

using Eigen::MatrixXd;

FootShare::FootShare(const System& system, const std::vector<MatrixXd>& influence)
    : system_(system), influence_(influence) {
  if (influence.empty() && system.supports > 0)
    stiffness_.emplace(system.stiffness.ff, EliminationOrder(system.stiffness.ff, system.node_of_column));
}

MatrixXd FootShare::operator()(const MatrixXd& forces) const {
  if (stiffness_) return -(system_.stiffness.fs.transpose() * stiffness_->solve(forces));
  MatrixXd all(system_.supports, forces.cols());
  for (std::size_t foot = 0; foot < influence_.size(); ++foot)
    all.middleRows<6>(6 * static_cast<Eigen::Index>(foot)).noalias() = influence_[foot].transpose() * forces;
  return all;
}

SupportReactions::SupportReactions(const System& system, const StaticSolution& statics, const MatrixXd& shapes)
    : moves_rigidly_(statics.moves_rigidly), columns_(shapes.cols()), motions_(system.support_motion.cols()) {
  const auto is_zero = [](const Partitioned& x) {
    return x.ff.nonZeros() == 0 && x.fs.nonZeros() == 0 && x.ss.nonZeros() == 0;
  };
  const auto on_motion = [&](const Partitioned& x) -> Product {
    return {x.ff * statics.influence + x.fs * system.support_motion,
            x.fs.transpose() * statics.influence + x.ss * system.support_motion};
  };
  const auto multiply = [&](const Partitioned& x, Products& products) {
    if (is_zero(x)) return;
    products.modes = {x.ff * shapes, x.fs.transpose() * shapes};
    products.motion = on_motion(x);
  };
  multiply(system.mass, mass_);
  multiply(system.dashpot, dashpot_);
  multiply(system.loss, loss_);
  multiply(system.own_stiffness, own_);
  stiffness_ = on_motion(system.stiffness);
  loads_ = {MatrixXd(system.loads), MatrixXd(system.support_loads)};
}

SupportReaction SupportReactions::of(const Left& left, Eigen::Index rows) const {
  SupportReaction reaction;
  // Wᵀ X [Φ; 0] or Wᵀ X [B; E], W = [B_s; E_s].
  const auto reduced = [&](const Product& x, Eigen::Index columns) -> MatrixXd {
    if (x.free.size() == 0 && x.supports.size() == 0) return MatrixXd::Zero(rows, columns);
    return left(x);
  };
  const auto reduce = [&](const Products& x, MatrixXd& on_modes, MatrixXd& on_motion, bool strains) {
    on_modes = reduced(x.modes, columns_);
    // Where the bases strain nothing, what is left is rounding, which u_b = −ü_b/ω² would blow up at low frequency.
    on_motion = strains && moves_rigidly_ ? MatrixXd::Zero(rows, motions_) : reduced(x.motion, motions_);
  };
  reduce(mass_, reaction.inertia, reaction.mass, false);
  reduce(dashpot_, reaction.viscous, reaction.dashpot, true);
  reduce(loss_, reaction.loss, reaction.base_loss, true);
  reduce(own_, reaction.general, reaction.base_general, true);
  reaction.stiffness = moves_rigidly_ ? MatrixXd::Zero(rows, motions_) : reduced(stiffness_, motions_);
  reaction.loads = loads_.free.cols() == 0 ? MatrixXd::Zero(rows, 0) : MatrixXd(-left(loads_));
  reaction.general *= -1;
  reaction.base_general = reaction.stiffness - reaction.base_general;
  return reaction;
}

SupportReaction SupportReactions::of(const MatrixXd& left_free, const MatrixXd& left_supports) const {
  return of(
      [&](const Product& x) -> MatrixXd {
        return left_free.transpose() * x.free + left_supports.transpose() * x.supports;
      },
      left_free.cols());
}

std::vector<SupportReaction> SupportReactions::feet(const FootShare& share) const {
  const Eigen::Index rows = mass_.motion.supports.rows();
  const SupportReaction support_reaction =
      of([&](const Product& x) -> MatrixXd { return share(x.free) + x.supports; }, rows);
  std::vector<SupportReaction> by_node(static_cast<std::size_t>(rows / 6));
  for (std::size_t foot = 0; foot < by_node.size(); ++foot)
    for (MatrixXd SupportReaction::*part :
         {&SupportReaction::inertia, &SupportReaction::viscous, &SupportReaction::loss, &SupportReaction::general,
          &SupportReaction::mass, &SupportReaction::dashpot, &SupportReaction::stiffness, &SupportReaction::base_loss,
          &SupportReaction::base_general, &SupportReaction::loads})
      by_node[foot].*part = (support_reaction.*part).middleRows<6>(6 * static_cast<Eigen::Index>(foot));
  return by_node;
}

}  // namespace avrenk
