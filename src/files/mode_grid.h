/// files/mode_grid.h: all mode shapes on the model, for a viewer.
#pragma once

#include "core/response/stress.h"
#include "files/vtu.h"

namespace avrenk {

/// The model with three arrays of every mode: displacement (as a part of the largest), von Mises stress of shells and
/// solids (of a node the highest of the elements and sides that meet there; per unit of the largest displacement), and
/// of every beam, shell and solid its strain energy over its volume (as a part of the largest). In single precision.
/// @param stations  of shells and solids; nullptr: the model has none
[[nodiscard]] Grid mode_grid(const Assembly& assembly, const System& system, const ModalBasis& basis,
                             const StressStations* stations, const Show& show, int threads);

}  // namespace avrenk
