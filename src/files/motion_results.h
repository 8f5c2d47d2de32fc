/// files/motion_results.h: how the nodes move under random inputs, as tables and arrays of a grid.
#pragma once

#include "core/quantity/show.h"
#include "core/response/motion_survey.h"
#include "files/table.h"
#include "files/vtu.h"

namespace avrenk {

/// Of each thing that nodes belong to: its largest RMS of displacement and acceleration, and the largest PSD of
/// acceleration with its frequency.
[[nodiscard]] Table motion_table(const Assembly& assembly, const MotionField& field, const Show& show);

/// The same of every node, its components too, largest RMS of acceleration first.
[[nodiscard]] Table node_table(const Assembly& assembly, const MotionField& field, const Show& show);

/// On the points of model_grid; NaN at the centres of bodies that lie off their nodes.
[[nodiscard]] std::vector<GridArray> motion_arrays(const Assembly& assembly, const MotionField& field,
                                                   const Show& show);

}  // namespace avrenk
