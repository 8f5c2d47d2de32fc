/// core/response/driven_modes.h: which modes an input drives, and how much each would move by itself.
#pragma once

#include "core/response/fields.h"

namespace avrenk {

struct DrivenMode {
  int mode = 0;
  double force = 0;  ///< |p_r| of theory 5 at its natural frequency, all inputs together: N/√kg
  double motion =
      0;  ///< m: largest translation of any node if this mode moved alone, |p_r| max|φ_r| / (ω_r²(2ζ_r + η_r))
  int node = 0;  ///< that moves so
};

/// Largest translation of any node in each normal mode of modal mass 1 kg, and the node.
[[nodiscard]] std::vector<LargestMotion> largest_translations(const System& system, const ModalBasis& basis);

/// Modes whose natural frequency lies inside the band of a sine case, the one that would move most first; what would
/// move less than 1e-10 of that is rounding.
/// @param translations  see largest_translations
[[nodiscard]] std::vector<DrivenMode> driven_modes(const Excitation& excitation, const ModalBasis& basis,
                                                   const ModalDamping& damping,
                                                   const std::vector<LargestMotion>& translations);

}  // namespace avrenk
