#include "core/modes/reaction.h"

namespace avrenk {

using Eigen::MatrixXd;

SupportReactions::SupportReactions(const System& system, const StaticSolution& statics, const MatrixXd& shapes)
    : moves_rigidly_(statics.moves_rigidly) {
  const auto multiply = [&](const Partitioned& x, Products& products) {
    products.free_modes = x.ff * shapes;
    products.support_modes = x.fs.transpose() * shapes;
    products.free_base = x.ff * statics.influence + x.fs * system.support_motion;
    products.support_base = x.fs.transpose() * statics.influence + x.ss * system.support_motion;
  };
  multiply(system.mass, mass_);
  multiply(system.dashpot, dashpot_);
  multiply(system.loss, loss_);
  multiply(system.stiffness, stiffness_);
  multiply(system.own_stiffness, own_);
}

SupportReaction SupportReactions::of(const MatrixXd& left_free, const MatrixXd& left_supports) const {
  SupportReaction reaction;
  // Wᵀ X [Φ; 0] and Wᵀ X [B; E], W = [B_s; E_s].
  const auto reduce = [&](const Products& x, MatrixXd& on_modes, MatrixXd& on_motion) {
    on_modes = left_free.transpose() * x.free_modes + left_supports.transpose() * x.support_modes;
    on_motion = left_free.transpose() * x.free_base + left_supports.transpose() * x.support_base;
  };
  MatrixXd elastic;  // vanishes on the modes by the definition of B_s
  reduce(mass_, reaction.inertia, reaction.mass);
  reduce(dashpot_, reaction.viscous, reaction.dashpot);
  reduce(loss_, reaction.loss, reaction.base_loss);
  reduce(stiffness_, elastic, reaction.stiffness);
  reduce(own_, reaction.general, reaction.base_general);
  reaction.general *= -1;
  reaction.base_general = reaction.stiffness - reaction.base_general;
  if (moves_rigidly_) {  // what is left is rounding, which u_b = −ü_b/ω² would blow up at low frequency
    for (MatrixXd* zero : {&reaction.dashpot, &reaction.stiffness, &reaction.base_loss, &reaction.base_general})
      zero->setZero();
  }
  return reaction;
}

}  // namespace avrenk
