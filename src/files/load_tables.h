/// files/load_tables.h: loads of the model as tables: what they put on it, how they grow, which modes they drive.
#pragma once

#include "core/modes/mode_content.h"
#include "core/quantity/show.h"
#include "core/response/driven_modes.h"
#include "core/response/power.h"
#include "files/table.h"

namespace avrenk {

/// Each load with its resultant force and moment about the model's reference point per unit of it: one row a column,
/// two for what turns.
[[nodiscard]] Table load_table(const Assembly& assembly, const Show& show);
/// The points of a load's profile.
[[nodiscard]] Table load_profile_table(const std::vector<AmplitudePoint>& points, const Kind& kind, const Show& show);
/// Modes that the inputs of a case drive, the one that would move most by itself first.
[[nodiscard]] Table driven_table(const Excitation& excitation, const std::vector<DrivenMode>& driven,
                                 const Assembly& assembly, const ModalBasis& basis,
                                 const std::vector<ModeContent>& contents, const Show& show);

/// Power put in and dissipated at some frequencies.
[[nodiscard]] Table power_table(const Excitation& excitation, const std::vector<PowerBalance>& power, const Show& show);

}  // namespace avrenk
