/// core/modes/completeness.h: what part of the mass the modes represent, and how far they reach beyond a band.
#pragma once

#include "core/modes/modal_basis.h"

namespace avrenk {

/// Modes are asked to reach so many times the highest frequency that is excited.
inline constexpr double reach_asked = 1.5;
/// Part of the mass that can move along an excited direction which the modes are asked to represent.
inline constexpr double mass_asked = 0.9;

/// Mass (kg; about an axis kg m²) along one direction of all bases moving as one body.
struct MassCarried {
  double modes = 0;             ///< Σ L_r² over the normal modes
  double residual_vectors = 0;  ///< the same over the residual vectors
  double movable = 0;           ///< what does not sit on the base: RᵀMR less that of the held nodes
  /// Below 1e-9 is rounding.
  [[nodiscard]] double part() const {
    const double own = movable > 0 ? modes / movable : 1;
    return own < 1e-9 ? 0 : own;
  }
  [[nodiscard]] double left() const { return std::max(0.0, movable - modes); }
};

/// @param direction  0 … 5 = x y z rx ry rz
[[nodiscard]] MassCarried mass_carried(const System& system, const ModalBasis& basis, int direction);

/// Modes below a frequency (Hz) if it is known without further work: from the modes or a pivot count made before.
[[nodiscard]] std::optional<int> known_count(const ModalBasis& basis, double frequency);

}  // namespace avrenk
