/// files/level_tables.h: envelopes of curves as tables, and as files that a plan reads as a profile.
#pragma once

#include "core/assess/equipment.h"
#include "core/quantity/show.h"
#include "files/table.h"

namespace avrenk {

/// One row for each equipment level.
[[nodiscard]] Table equipment_table(const std::vector<EquipmentLevel>& levels, const Show& show);

/// Frequencies and levels of straight lines on log-log paper. As CSV it is what `random: {file: …}` reads.
/// @param kind  of the quantity: a random one has its PSD
[[nodiscard]] Table level_points(const std::string& name, const LogLogTable& lines, bool random, const Kind& kind,
                                 const Show& show);

}  // namespace avrenk
