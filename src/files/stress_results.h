/// files/stress_results.h: stress of shells and solids as tables and as a field.
#pragma once

#include "core/response/stress_found.h"
#include "files/table.h"
#include "files/vtu.h"

namespace avrenk {

/// The worst place of every part under every load, quantity by quantity, with what the elements there disagree by.
[[nodiscard]] Table worst_stress_table(const Assembly& assembly, const StressFound& found, const Show& show);

/// Of such a table for each part and environment the axis with the largest value.
[[nodiscard]] Table worst_axes(Table table);

/// "von Mises stress", "principal stress", "stress xx".
[[nodiscard]] std::string stress_words(StressQuantity quantity);
/// "sine.x.stress" of von Mises, "sine.x.stress.principal", "sine.x.stress.xx" of the others.
[[nodiscard]] std::string stress_table_name(const StressField& field);

/// Every node of every part under one load, at its worst level, largest without its sign first.
[[nodiscard]] Table stress_table(const Assembly& assembly, const StressStations& stations, const StressField& field,
                                 const Show& show);

/// Both ends of every beam under one load, largest first.
[[nodiscard]] Table beam_stress_table(const Assembly& assembly, const BeamStressField& field, const Show& show);
/// Beams alone, every one a line with two points of its own; cell array "part".
[[nodiscard]] Grid beam_stress_grid(const Assembly& assembly, const Show& show);
/// Point arrays of beam_stress_grid: von Mises stress, of a sine load also its frequency and phase.
[[nodiscard]] std::vector<GridArray> beam_stress_arrays(const BeamStressField& field, const Show& show);

/// Shells and solids alone, every part and every side of a fold with points of its own: stress is not the same on both
/// sides. Cell array "part".
[[nodiscard]] Grid stress_grid(const Assembly& assembly, const StressStations& stations, const Show& show);
/// Point arrays of stress_grid: the quantity at bottom, middle and top (of a solid three times the same); of a sine
/// load also the frequency and phase of the largest of them, of principal stress its direction.
[[nodiscard]] std::vector<GridArray> stress_arrays(const StressStations& stations, const StressField& field,
                                                   const Show& show);

/// Level at which the value of a station is largest.
[[nodiscard]] int worst_level(const StressStation& station, const StressField& field, std::size_t index);

}  // namespace avrenk
