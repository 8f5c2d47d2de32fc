/// files/result_tables.h: what the core computed, as tables in the units asked for. No arithmetic beyond units and
/// sums.
#pragma once

#include "core/assess/limits.h"
#include "core/check/gravity.h"
#include "core/quantity/show.h"
#include "files/table.h"

namespace avrenk {

[[nodiscard]] Table mass_table(const Assembly& assembly, const Show& show);
/// 1 g along x, y, z: where the model deflects most, and the reaction over the weight.
[[nodiscard]] Table static_table(const Assembly& assembly, const std::vector<GravityCase>& cases, const Show& show);
/// Modes with effective mass as a fraction of the whole, running sums, damping and its source; last line: what is left.
[[nodiscard]] Table mode_table(const ModalBasis& basis, const ModalDamping& damping, const Show& show);
[[nodiscard]] Table residual_table(const ModalBasis& basis, const ModalDamping& damping, const Show& show);
[[nodiscard]] Table peak_table(const Outcome& outcome, const std::vector<Watched>& watched, const Show& show);
[[nodiscard]] Table rms_table(const Outcome& outcome, const std::vector<Watched>& watched, const Show& show);
/// Why each peak: shares of the modes, amplification over the static answer, half-power Q, sweep.
[[nodiscard]] Table sine_reason_table(const Outcome& outcome, const std::vector<Watched>& watched, const Show& show);
/// Dominating frequencies, crossings, expected largest, spectral moments.
[[nodiscard]] Table random_reason_table(const Outcome& outcome, const std::vector<Watched>& watched, const Show& show);
[[nodiscard]] Table steady_table(const Outcome& outcome, const std::vector<Watched>& watched, const Show& show);
/// What is left of each gap in each environment; no rows without clearances.
[[nodiscard]] Table clearance_table(const std::vector<Outcome>& outcomes, const std::vector<Watched>& watched,
                                    const Show& show);
/// One line a watched quantity, one column an axis of the environment; magnitudes stand for their components.
[[nodiscard]] Table overview_table(const std::vector<const Outcome*>& axes, const std::vector<Watched>& watched,
                                   const Show& show);
/// Magnitude and phase, or PSD, of every watched quantity at every frequency of the grid.
[[nodiscard]] Table curve_table(const Outcome& outcome, const std::vector<Watched>& watched, const Show& show);
[[nodiscard]] Table limit_table(const std::vector<LimitResult>& results, const Show& show);
/// The stretches of a profile: levels, slope, area and share.
[[nodiscard]] Table profile_table(const LogLogTable& table, bool random, const Kind& stated, const Show& show);

/// An amplitude table's value as another derivative: acceleration (0), velocity (1), displacement (2) at a frequency.
[[nodiscard]] double as_derivative(double acceleration, double frequency, int derivative);

}  // namespace avrenk
