/// core/response/power.h: mean power that inputs put into the model and that its damping takes out, at one frequency
/// (theory 5).
#pragma once

#include "core/excitation/excitation.h"
#include "core/response/channels.h"

namespace avrenk {

struct PowerBalance {
  double frequency = 0;  ///< Hz
  double put_in = 0;     ///< W: ½ Re Σ F* v over the loads where they act, and F_b* v_b of the bases
  /// W: ½ ω (qᴴ D q + ω qᴴ V q), and ½ ω k₀ Im x |δ|² of springs that are not what the matrices hold; NaN where bases
  /// that move apart strain the model.
  double dissipated = 0;
  int mode = 0;      ///< that dissipates most, by itself …
  double share = 0;  ///< … and its part
};

/// @param transfer  of the columns of the excitation
[[nodiscard]] PowerBalance power_balance(const Excitation& excitation, const Assembly& assembly, const System& system,
                                         const Transfer& transfer, const Channels& channels, double frequency);

}  // namespace avrenk
