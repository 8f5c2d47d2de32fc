/// files/life_tables.h: how long it lasts, what each case spends of it, and at which resonances.
#pragma once

#include "core/assess/life.h"
#include "core/quantity/show.h"
#include "files/table.h"
#include "files/vtu.h"

namespace avrenk {

/// One row for each subject; one for each case of it; one for each resonance that counts, where anything is swept. None
/// without a life.
[[nodiscard]] std::vector<Table> life_tables(const std::vector<Life>& lives, const Show& show);

/// Point arrays of stress_grid: the damage at bottom, middle and top. @pre the life has a field
[[nodiscard]] std::vector<GridArray> damage_arrays(const StressStations& stations, const Life& life);

/// How it was counted, in words.
[[nodiscard]] std::string counting_in_words(const std::vector<Life>& lives);

}  // namespace avrenk
