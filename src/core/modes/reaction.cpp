#include "core/modes/reaction.h"

namespace avrenk {

using Eigen::MatrixXd;

MatrixXd foot_motion(const System& system, int foot) {
  MatrixXd motion = MatrixXd::Zero(system.supports, 6);
  motion.block<6, 6>(6L * foot, 0).setIdentity();
  return motion;
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
}

SupportReaction SupportReactions::of(const MatrixXd& left_free, const MatrixXd& left_supports) const {
  SupportReaction reaction;
  // Wᵀ X [Φ; 0] or Wᵀ X [B; E], W = [B_s; E_s].
  const auto reduced = [&](const Product& x, Eigen::Index columns) -> MatrixXd {
    if (x.free.size() == 0 && x.supports.size() == 0) return MatrixXd::Zero(left_free.cols(), columns);
    return left_free.transpose() * x.free + left_supports.transpose() * x.supports;
  };
  const auto reduce = [&](const Products& x, MatrixXd& on_modes, MatrixXd& on_motion) {
    on_modes = reduced(x.modes, columns_);
    on_motion = reduced(x.motion, motions_);
  };
  reduce(mass_, reaction.inertia, reaction.mass);
  reduce(dashpot_, reaction.viscous, reaction.dashpot);
  reduce(loss_, reaction.loss, reaction.base_loss);
  reduce(own_, reaction.general, reaction.base_general);
  reaction.stiffness = reduced(stiffness_, motions_);
  reaction.general *= -1;
  reaction.base_general = reaction.stiffness - reaction.base_general;
  if (moves_rigidly_) {  // what is left is rounding, which u_b = −ü_b/ω² would blow up at low frequency
    for (MatrixXd* zero : {&reaction.dashpot, &reaction.stiffness, &reaction.base_loss, &reaction.base_general})
      zero->setZero();
  }
  return reaction;
}

}  // namespace avrenk
