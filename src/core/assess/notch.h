/// core/assess/notch.h: an input lowered where a response would pass its limit, and only there (theory, "Notches").
#pragma once

#include <set>

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

/// A limit that is passed under what is applied.
struct NotKept {
  const Limit* limit = nullptr;
  double over = 1;  ///< what it looks at, over what is allowed
};

/// What is specified and what is applied instead, of one case.
struct NotchedInput {
  std::shared_ptr<const Excitation> specified, applied;
  std::vector<double> grid;     ///< Hz
  std::vector<double> highest;  ///< at each: the highest input that keeps all limits, not above what is specified
  LogLogTable table;            ///< of the applied input: straight lines on log-log paper, nowhere above `highest`
  std::vector<Notch> notches;
  std::set<const Limit*> cut;     ///< limits that their depth or floor keep from being met
  std::vector<NotKept> not_kept;  ///< all that are passed under what is applied
  /// The unit of its levels: that of the input, or of its PSD.
  [[nodiscard]] DisplayUnit unit(const Show& show) const {
    return specified->is_random() ? psd_unit(show.unit(*specified->kind)) : show.unit(*specified->kind);
  }
  /// What is specified.
  [[nodiscard]] const LogLogTable& full() const {
    return specified->is_random() ? specified->spectrum.levels().front() : specified->environment->input;
  }
};

/// What a notch is looked for with.
struct NotchTask {
  std::shared_ptr<const Excitation> specified;  ///< a sine or one random input of base motion alone
  const std::vector<Limit>& limits;
  const std::vector<const CaseResults*>& at_rest;  ///< static outcomes, for limits that add one
  const std::vector<Output>& watched;              ///< on the columns of the basis
  const System& system;
};

/// Modes and damping that answer a case. Where springs depend on amplitude they are those of one input.
struct NotchModel {
  const ModalBasis& basis;
  const ModalDamping& damping;
};

/// An input that was found with the springs of another level, and how to go on from it.
struct NotchApproach {
  const NotchedInput& before;
  double part = 1;    ///< of the way from it to that of these springs, on log-log paper
  double margin = 1;  ///< by which it is lowered more than it must
};

/// The input of a case of base motion at which none of the limits that ask for a notch there passes its allowable.
/// At each frequency it is min over the limits of specified · (allowable/factor − static part)/(upper · |w|), w the
/// largest of the place under what is specified: never above it, because |s + w| ≤ |s| + |w|. Each notch is then few
/// straight lines below that, within a decibel. Where a limit is passed between two points under them there are points
/// in between.
///
/// Of a random input the PSD is lowered: for a limit on a PSD to limit/|G|² at each frequency; for one on so many sigma
/// where |G|² is largest first, as far as the limit allows (12 dB unless it says), until the variance is met, which
/// loses the least area of the input that one such limit can do with; several are met one after the other. One that
/// cannot be met takes what brings its RMS to within a per cent of the least that its depth can reach.
/// @param approach  where springs depend on amplitude: what was found with others
/// @return  absent where nothing has to be lowered and nothing was before
[[nodiscard]] std::optional<NotchedInput> notched_input(const NotchTask& task, const NotchModel& model,
                                                        const std::optional<NotchApproach>& approach = {});

/// All limits that ask for a notch of an input and are passed under what is applied.
[[nodiscard]] std::vector<NotKept> passed_under(const NotchedInput& input, const NotchTask& task,
                                                const NotchModel& model);

/// The same case as it is applied: with a table in place of what is specified.
[[nodiscard]] std::shared_ptr<const Excitation> applied_in_place_of(std::shared_ptr<const Excitation> specified,
                                                                    const LogLogTable& table);

}  // namespace avrenk
