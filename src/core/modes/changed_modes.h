/// core/modes/changed_modes.h: modes of a model that differs a little from one whose modes are known (theory,
/// "Changes").
#pragma once

#include "core/modes/modal_basis.h"

namespace avrenk {

/// A model whose modes are known. Holds references to what it is given, and the factor of its stiffness.
class KnownModes {
 public:
  /// @throws InputError  a mechanism
  KnownModes(const Assembly& assembly, const System& system, const ModalBasis& basis);

  /// Modes of another model with the same unknowns, by Rayleigh and Ritz in the span of those known and their static
  /// shapes, each with what the difference bends,
  ///
  ///     φ_r − K⁻¹ (ΔK − λ_r ΔM) φ_r
  ///
  /// Shapes err by the square of the change and frequencies by its fourth power, so that derivatives by differences
  /// are exact (Fox & Kapoor, AIAA J. 6(12), 1968, with the static part of what is left out). Static solutions, what
  /// the motions of feet do, and with them residual vectors and shapes without mass are made anew, each by two steps
  /// with the known factor. As many modes as are known; nothing is proven about others.
  /// @throws InputError  other unknowns: the change makes another mesh
  [[nodiscard]] ModalBasis of(const Assembly& assembly, const System& changed) const;

 private:
  /// X of K X = F of the changed model, from that of the known one.
  [[nodiscard]] Eigen::MatrixXd corrected(const System& changed, Eigen::MatrixXd x,
                                          const Eigen::MatrixXd& forces) const;
  const System& system_;
  const ModalBasis& basis_;
  Factorisation stiffness_;
};

}  // namespace avrenk
