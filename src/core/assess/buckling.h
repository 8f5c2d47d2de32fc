/// core/assess/buckling.h: the axial load at which a straight bar buckles.
#pragma once

#include <optional>

#include "core/model/assembly.h"

namespace avrenk {

struct BucklingLoad {
  double load = 0;          ///< N
  double slenderness = 0;   ///< L/i, i² = I_min/A
  bool is_johnson = false;  ///< it yields before it buckles by Euler's formula
};

/// π² E I_min/L² (Euler) of a slender bar; of one with L/i < π √(2E/σ_y) Johnson's parabola A σ_y [1 − σ_y
/// (L/i)²/(4π²E)], which meets Euler's there at half the yield stress. Without a yield stress Euler's alone. About the
/// weaker axis of the section as a whole: walls that buckle by themselves, and torsion, are left out.
/// @param length  m, between two points of inflection: that of the bar where both ends are hinged, half of it where
/// both are clamped
[[nodiscard]] BucklingLoad buckling_load(const BeamSection& section, const Material& material, double length);

}  // namespace avrenk
