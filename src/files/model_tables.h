/// files/model_tables.h: the model, its modes and its inputs as tables in the units asked for.
#pragma once

#include "core/check/gravity.h"
#include "core/excitation/profile.h"
#include "core/modes/damping.h"
#include "core/quantity/show.h"
#include "files/table.h"

namespace avrenk {

/// Mass, centre of gravity and inertia about it, of each part and body and in all.
[[nodiscard]] Table mass_table(const Assembly& assembly, const Show& show);
/// 1 g along x, y, z: where the model deflects most, and the reaction over the weight.
[[nodiscard]] Table static_table(const Assembly& assembly, const std::vector<GravityCase>& cases, const Show& show);
/// Modes with effective mass as a fraction of the whole, running sums, damping and its source; last line: what is left.
[[nodiscard]] Table mode_table(const ModalBasis& basis, const ModalDamping& damping, const Show& show);
/// Pseudo-modes that carry what the modes leave out: pseudo-frequency and effective mass.
[[nodiscard]] Table residual_table(const ModalBasis& basis, const ModalDamping& damping, const Show& show);

/// The stretches of a profile: levels, slope, area and share.
/// @param of  what it is of: base motion, or a load where it is random
[[nodiscard]] Table profile_table(const LogLogTable& table, bool random, const Kind& of, const Show& show);

/// An amplitude table's value as another derivative: acceleration (0), velocity (1), displacement (2) at a frequency.
[[nodiscard]] double as_derivative(double acceleration, double frequency, int derivative);

}  // namespace avrenk
