/// core/element/beam.h: straight 3D beam after Timoshenko, 2 nodes x (ux uy uz rx ry rz), local x from end 1 to end 2.
///
/// The stiffness is the inverse of the flexibility under end forces, ∫ m²/EI + v²/GA_s: of a taper to the accuracy of
/// the quadrature, 1e-9 for one to half the height. The mass is consistent with shape functions that solve the static
/// beam equations and holds the rotary inertia. Bending and shear act at the shear centre, the axial force at the
/// centroid; warping is free. Friedman & Kosmatka, Comput. Struct. 47, 1993; Przemieniecki 1968; shear factors: Cowper
/// 1966.
#pragma once

#include <array>

#include "core/element/section.h"

namespace avrenk {

/// Isotropic stiffness.
struct Elastic {
  double youngs_modulus = 0;  ///< E, Pa
  double shear_modulus = 0;   ///< G, Pa
};

struct BeamGeometry {
  Eigen::Vector3d end1, end2;  ///< m, global: centroids of the end sections
  Eigen::Vector3d up;          ///< local z lies in the plane of x and `up`, on the side of `up`
  [[nodiscard]] double length() const;
  /// Rows: local x, y, z in global axes. @pre `up` is not parallel to the beam
  [[nodiscard]] Eigen::Matrix3d axes() const;
};

/// Sections of a tapered element at equal distances from end 1 to end 2; between them the polynomial of degree four
/// through them: I and A of sections whose sizes grow linearly are such polynomials.
inline constexpr std::size_t beam_stations = 5;

/// What one element is made of. The sections must outlive it.
struct BeamProperties {
  std::array<const BeamSection*, beam_stations> sections{};
  Elastic elastic;
  double density = 0;               ///< kg/m³
  double extra_mass = 0;            ///< kg/m that carries no load: wires, paint, insulation; along the centroids
  std::array<bool, 12> released{};  ///< local motions of end 1, then 2, that pass no force to the node
  [[nodiscard]] const BeamSection& at_end(std::size_t end) const {
    return *(end == 0 ? sections.front() : sections.back());
  }
  [[nodiscard]] const BeamSection& middle() const { return *sections[beam_stations / 2]; }
  [[nodiscard]] bool tapered() const { return sections.front() != sections.back(); }
};
[[nodiscard]] inline BeamProperties uniform(const BeamSection& section, const Elastic& elastic, double density = 0) {
  BeamProperties properties{{}, elastic, density};
  properties.sections.fill(&section);
  return properties;
}

using BeamMatrix = Eigen::Matrix<double, 12, 12>;

/// Stiffness in global axes: N/m, N, N m.
/// @pre what is released leaves no mechanism inside the element (see releases_hold)
[[nodiscard]] BeamMatrix stiffness(const BeamGeometry&, const BeamProperties&);
/// Consistent mass in global axes: kg, kg m, kg m². Mass is exact, and so is the inertia of every rigid motion.
[[nodiscard]] BeamMatrix mass(const BeamGeometry&, const BeamProperties&);
/// Geometric stiffness per unit of an axial force (tension positive) that is the same all along, in global axes: 1/m,
/// 1, m. ∫ v'² + w'² + (I_y + I_z)/A θ_x'² dx of the centroid, by the shapes of the mass: of Euler's column with one
/// element a half wave it is 0.8 % high, and the error falls with h⁴. Moments and shear forces make none here.
[[nodiscard]] BeamMatrix geometric_stiffness(const BeamGeometry&, const BeamProperties&);
/// Rows N Vy Vz T My Mz at end 1, then the same at end 2 (N, N m), from global displacements of the ends (m, rad), in
/// the axes of the section as drawn. Forces on the face whose outward normal is +x, so tension is positive and both
/// ends of a beam in uniform tension read alike; bending moments about the centroid, the torque about the shear centre.
[[nodiscard]] BeamMatrix force_recovery(const BeamGeometry&, const BeamProperties&);

/// What a force per length along the line of the centroids (N/m, global axes) does to an element whose nodes are held.
struct BeamLineLoad {
  Eigen::Matrix<double, 12, 3> at_ends;  ///< consistent forces on the ends, global: they do the same work
  Eigen::Matrix<double, 12, 3> section;  ///< to be added to the section forces that force_recovery makes of motions
};
/// By the static shape functions, so that the motions of the nodes of a uniform beam are exact.
[[nodiscard]] BeamLineLoad line_load(const BeamGeometry&, const BeamProperties&);

/// False if the released motions leave the element loose within itself, as a torque released at both ends.
[[nodiscard]] bool releases_hold(const BeamGeometry&, const BeamProperties&);

/// Stress at one point of a section from its N Vy Vz T My Mz: rows for the normal stress of the axial force alone, of
/// bending alone, and for the shear stress; Pa per N or N m.
[[nodiscard]] Eigen::Matrix<double, 3, 6> stress_rows(const BeamSection& section, const StressPoint& point);

/// A thin slice of the beam as a rigid body; four of them carry its mass and inertia exactly.
struct BeamSlice {
  double mass = 0;          ///< kg
  Eigen::Vector3d centre;   ///< m, global
  Eigen::Matrix3d inertia;  ///< kg m², about the centre, global axes
};
[[nodiscard]] std::array<BeamSlice, 4> slices(const BeamGeometry&, const BeamProperties&);

}  // namespace avrenk
