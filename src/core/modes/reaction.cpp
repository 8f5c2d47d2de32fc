#include "core/modes/reaction.h"

namespace avrenk {
namespace {

// (W_fᵀX_ff + W_sᵀX_sf): 6 x n_f.
Eigen::MatrixXd left_rows(const Partitioned& x, const Eigen::MatrixXd& left_free,
                          const Eigen::MatrixXd& left_supports) {
  return (x.ff * left_free + x.fs * left_supports).transpose();
}

// Wᵀ X [B; E]: 6 x n_b.
Eigen::MatrixXd on_base(const Partitioned& x, const Eigen::MatrixXd& rows, const StaticSolution& statics,
                        const System& system, const Eigen::MatrixXd& left_free, const Eigen::MatrixXd& left_supports) {
  const Eigen::MatrixXd& e = system.support_motion;
  return rows * statics.influence + left_free.transpose() * (x.fs * e) + left_supports.transpose() * (x.ss * e);
}

}  // namespace

SupportReaction support_reaction(const System& system, const StaticSolution& statics, const Eigen::MatrixXd& shapes,
                                 const Eigen::MatrixXd& left_free, const Eigen::MatrixXd& left_supports) {
  SupportReaction reaction;
  const auto reduce = [&](const Partitioned& x, Eigen::MatrixXd& on_modes, Eigen::MatrixXd& on_motion) {
    const Eigen::MatrixXd rows = left_rows(x, left_free, left_supports);
    on_modes = rows * shapes;
    on_motion = on_base(x, rows, statics, system, left_free, left_supports);
  };
  Eigen::MatrixXd elastic;  // vanishes on the modes by the definition of B_s
  reduce(system.mass, reaction.inertia, reaction.mass);
  reduce(system.dashpot, reaction.viscous, reaction.dashpot);
  reduce(system.loss, reaction.loss, reaction.base_loss);
  reduce(system.stiffness, elastic, reaction.stiffness);
  reduce(system.own_stiffness, reaction.general, reaction.base_general);
  reaction.general *= -1;
  reaction.base_general = reaction.stiffness - reaction.base_general;
  if (statics.moves_rigidly) {  // what is left is rounding, which u_b = −ü_b/ω² would blow up at low frequency
    for (Eigen::MatrixXd* zero : {&reaction.dashpot, &reaction.stiffness, &reaction.base_loss, &reaction.base_general})
      zero->setZero();
  }
  return reaction;
}

}  // namespace avrenk
