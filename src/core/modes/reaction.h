/// core/modes/reaction.h: the force that a support puts on the model, as rows on the modal coordinates (theory 5).
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "core/system/system.h"

namespace avrenk {

/// Six reactions (force, moment about the point of its base) from modal coordinates q and base motion u_b:
///
///     F = inertia q̈ + viscous q̇ + i loss q + mass ü_b + dashpot u̇_b + (stiffness + i base_loss) u_b + loads f
///         + general damping
///
/// With the left factor W = [B_s; E_s]: X-rows = (B_sᵀX_ff + X_sf) Φ for X = M, C, K_η. For one base that moves the
/// model rigidly all but `inertia` (= Lᵀ), `mass` and `loads` vanish. For a single foot B_s is its own static
/// influence, so that static loads are shared among the feet as their stiffness demands, and the sum over feet is the
/// reaction of the base.
struct SupportReaction {
  Eigen::MatrixXd inertia, viscous, loss;  ///< 6 x m
  /// −(B_sᵀK_own,ff + K_own,sf) Φ: what elements under the general damping rule add, per unit loss factor; 6 x m.
  Eigen::MatrixXd general;
  Eigen::MatrixXd mass, dashpot, stiffness, base_loss, base_general;  ///< 6 x n_b
  Eigen::MatrixXd loads;  ///< −B_sᵀf_f − f_s per unit of each, 6 x n_l
};

/// What each foot carries of forces on the free unknowns: B_sᵀ f, B_s the static influence of that foot alone. Of a few
/// feet by B_s, which is kept with the modes; of many by −K_sf K⁻¹ f, one factorisation for all of them, where B_s
/// would take six solutions a foot and the memory of a dense matrix of all unknowns by all feet.
class FootShare {
 public:
  /// So many feet are a few.
  static constexpr int few = 48;
  /// @param influence  B_s of each foot, n_f x 6; empty: by a factorisation
  /// @throws NumericalError  not enough memory for that
  FootShare(const System& system, const std::vector<Eigen::MatrixXd>& influence);
  /// Six rows a foot, n_s x k. @param forces  n_f x k
  [[nodiscard]] Eigen::MatrixXd operator()(const Eigen::MatrixXd& forces) const;

 private:
  const System& system_;
  const std::vector<Eigen::MatrixXd>& influence_;
  std::optional<Factorisation> stiffness_;
};

/// The reactions of one model: what all supports share is multiplied once.
class SupportReactions {
 public:
  SupportReactions(const System& system, const StaticSolution& statics, const Eigen::MatrixXd& shapes);
  /// @param left_free      B_s, n_f x 6
  /// @param left_supports  E_s, n_s x 6
  [[nodiscard]] SupportReaction of(const Eigen::MatrixXd& left_free, const Eigen::MatrixXd& left_supports) const;
  /// Of every foot.
  [[nodiscard]] std::vector<SupportReaction> feet(const FootShare& share) const;

 private:
  // X [Φ; 0] or X [B; E]: n_f and n_s rows; none where X is zero.
  struct Product {
    Eigen::MatrixXd free, supports;
  };
  struct Products {
    Product modes, motion;
  };
  // What `left` makes of a product: 6 rows, or 6 a foot.
  using Left = std::function<Eigen::MatrixXd(const Product& x)>;
  [[nodiscard]] SupportReaction of(const Left& left, Eigen::Index rows) const;
  bool moves_rigidly_;
  Eigen::Index columns_, motions_;
  Products mass_, dashpot_, loss_, own_;
  Product stiffness_;  // on the bases' motion; on the modes it vanishes by the definition of B_s
  Product loads_;      // what is applied
};

}  // namespace avrenk
