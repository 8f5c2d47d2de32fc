/// core/assess/notch.h: an input lowered where a response would pass its limit, and only there (theory, "Notches").
#pragma once

#include "core/assess/limits.h"

namespace avrenk {

/// One stretch of an input that is lowered.
struct Notch {
  double from = 0, to = 0;             ///< Hz, between which the applied input lies below what is specified
  double at = 0;                       ///< Hz, where it is deepest
  double specified = 0, applied = 0;   ///< there: SI, 0 to peak, or a PSD
  double depth = 0;                    ///< dB there: 20 log₁₀(specified/applied), 10 of PSDs
  std::vector<const Limit*> limits{};  ///< that make it, the one of the deepest point first
};

/// What is specified and what is applied instead, of one case.
struct NotchedInput {
  std::shared_ptr<const Excitation> specified, applied;
  std::vector<double> grid;     ///< Hz
  std::vector<double> highest;  ///< at each: the highest input that keeps all limits, not above what is specified
  LogLogTable table;            ///< of the applied input: straight lines on log-log paper, nowhere above `highest`
  std::vector<Notch> notches;
  /// Limits that are not kept, because their depth or floor says so, or their static part alone takes all that is
  /// allowed.
  std::vector<const Limit*> not_kept;
  /// The unit of its levels: that of the input, or of its PSD.
  [[nodiscard]] DisplayUnit unit(const Show& show) const {
    return specified->is_random() ? psd_unit(show.unit(*specified->kind)) : show.unit(*specified->kind);
  }
  /// What is specified.
  [[nodiscard]] const LogLogTable& full() const {
    return specified->is_random() ? specified->spectrum.levels().front() : specified->environment->input;
  }
};

/// The input of a case of base motion at which none of the limits that ask for a notch there passes its allowable.
/// At each frequency it is min over the limits of specified · (allowable/factor − static part)/(upper · |w|), w the
/// largest of the place under what is specified: never above it, because |s + w| ≤ |s| + |w|. Each notch is then few
/// straight lines below that, within a decibel. Peaks of what is applied are located between grid points, and all
/// notches lowered by what any of them is over.
///
/// Of a random input the PSD is lowered: for a limit on a PSD to limit/|G|² at each frequency; for one on so many sigma
/// where |G|² is largest first, as far as the limit allows (12 dB unless it says), until the variance is met, which
/// loses the least area of the input that one such limit can do with; several are met one after the other.
/// @param specified  a sine or one random input of base motion alone
/// @param at_rest    static outcomes, for limits that add one
/// @param watched    on the columns of `basis`
/// @return  absent where nothing has to be lowered
[[nodiscard]] std::optional<NotchedInput> notched_input(const std::shared_ptr<const Excitation>& specified,
                                                        const std::vector<Limit>& limits,
                                                        const std::vector<const CaseResults*>& at_rest,
                                                        const std::vector<Output>& watched, const System& system,
                                                        const ModalBasis& basis, const ModalDamping& damping);

}  // namespace avrenk
