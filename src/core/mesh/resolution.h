/// core/mesh/resolution.h: up to which frequency a mesh is fine enough.
#pragma once

#include <vector>

#include "core/model/assembly.h"

namespace avrenk {

/// Elements a bending wavelength: a mesh of shells or linear solids then gives frequencies about 5 % high, as their
/// error is (k h)²/8 for waves of wavenumber k over elements of length h, two thirds of it from the rotations and a
/// third from the mass. Beams are exact in statics and need fewer; of quadratic elements every middle node counts.
inline constexpr double elements_a_wave = 10, beams_a_wave = 4;

struct MeshReach {
  int part = 0;
  double element = 0;    ///< m: the longest edge
  double frequency = 0;  ///< Hz: there a bending wave is as long as so many of the longest edges
  double waves = elements_a_wave, stiffness_over_mass = 0, shear_speed = 0;
};

/// Frequency of a bending wave of length λ, k = 2π/λ: with the bending speed c_b = k √(D/μ) and the speed of shear c_s,
/// c⁻² = c_b⁻² + c_s⁻² (Mindlin, J. Appl. Mech. 18, 1951, without rotary inertia).
[[nodiscard]] double bending_frequency(double wavelength, double stiffness_over_mass, double shear_speed);

/// Element length (m) that would do for a frequency.
[[nodiscard]] double element_for(const MeshReach& reach, double frequency);

/// For each part. A solid is taken for a plate as thick as twice its volume over its surface; the softest direction of
/// an orthotropic material counts.
[[nodiscard]] std::vector<MeshReach> mesh_reach(const Assembly& assembly);

}  // namespace avrenk
