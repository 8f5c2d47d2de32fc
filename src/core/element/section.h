/// core/element/section.h: cross-sections of beams: area, second moments, torsion, shear centre, shear areas, and the
/// points at which stress is recovered.
#pragma once

#include <string>
#include <vector>

#include "core/algebra.h"
#include "core/quantity/quantity.h"

namespace avrenk {

/// A point of the outline, where shear stress can only run along the outline. Position and shear stress of all points
/// of a section span a polytope that holds those of every point of the outline and of the walls: von Mises stress is
/// convex in them, so that the largest of the points bounds the largest of the section. It is at most 0.9 % high of
/// round sections and 3 % of others, and exact under each force alone.
struct StressPoint {
  double y = 0, z = 0;              ///< m from the centroid, principal axes
  double shear_y = 0, shear_z = 0;  ///< shear stress per unit Vy, Vz, 1/m²
  double torsion = 0;               ///< shear stress per unit torque about the shear centre, 1/m³
};

/// Section of a beam. Its own axes y, z go through the centroid as the section is drawn; second moments, shear factors
/// and stress points are in principal axes, turned from them by `principal_angle`.
struct BeamSection {
  double area = 0;                                         ///< m²
  double second_moment_y = 0;                              ///< ∫z² dA, m⁴: bending in the local x–z plane
  double second_moment_z = 0;                              ///< ∫y² dA, m⁴: bending in the local x–y plane
  double torsion_constant = 0;                             ///< J of Saint-Venant, m⁴; warping is free
  double shear_factor_y = 0;                               ///< shear area / area along y; 0: rigid in shear
  double shear_factor_z = 0;                               ///< the same along z
  double principal_angle = 0;                              ///< rad, from y towards z
  Eigen::Vector2d shear_centre = Eigen::Vector2d::Zero();  ///< y, z from the centroid, m, axes as drawn
  std::vector<StressPoint> points{};                       ///< empty: stress cannot be recovered
  bool shear_stress = true;                                ///< the points know their shear stress
  /// For drawing: convex polygons that cover the section, anticlockwise, y and z from the centroid, axes as drawn; a
  /// hollow one by its outer line. Empty: only its numbers are known.
  std::vector<std::vector<Eigen::Vector2d>> outlines{};
};

/// "fibre (11, 0) mm": where a stress point lies from the centroid, in the axes of the section as drawn.
[[nodiscard]] std::string describe(const BeamSection& section, const StressPoint& point, const DisplayUnit& length);

/// The image of a section in its own x–z plane: y becomes −y.
[[nodiscard]] BeamSection mirrored(BeamSection section);
/// True if the section is its own image: nothing of it lies to one side.
[[nodiscard]] bool is_symmetric(const BeamSection& section);

/// Corners of a many-sided line around a round section: its radius is that of the polygon that encloses the circle, so
/// that the largest bending stress is at most 1/cos(π/24) − 1 = 0.86 % high and never low.
inline constexpr int round_points = 24;

/// Round bar of diameter d (m).
[[nodiscard]] BeamSection rod_section(double diameter, double poissons_ratio);
/// Round tube of outer diameter d and wall t (m), t < d/2. J = Iy + Iz is exact; the shear factor is Cowper's.
[[nodiscard]] BeamSection tube_section(double diameter, double wall, double poissons_ratio);
/// Rectangle, width along local y and height along local z (m). J and the shear stress of torsion from Saint-Venant's
/// series; that of a shear force is a parabola over the height (or the width).
[[nodiscard]] BeamSection rectangle_section(double width, double height, double poissons_ratio);

// Sections of flat walls. Area and second moments are exact. Shear flow, shear centre, shear areas and J follow from
// the middle lines of thin walls, with an error of the order of thickness over width: open walls J = Σ b t³/3, a cell
// J = 4 A² / ∮ ds/t (Bredt); shear areas from the energy of the shear flow, V²/A_s = ∫ q²/t ds (Pilkey, Analysis and
// Design of Elastic Beams, 2002). Fillets are left out.

/// Hollow rectangle; `web` is the thickness of the walls along z, `flange` of those along y.
[[nodiscard]] BeamSection box_section(double width, double height, double web, double flange);
/// Two flanges along y, `top` and `bottom` of its width, joined by a web along z.
struct Flange {
  double width = 0, thickness = 0;
};
[[nodiscard]] BeamSection i_section(double height, double web, const Flange& top, const Flange& bottom);
/// Web along z, flanges from it towards +y; `width` is overall.
[[nodiscard]] BeamSection channel_section(double width, double height, double web, double flange);
/// Legs from the corner towards +y (`width`) and +z (`height`), of one thickness.
[[nodiscard]] BeamSection angle_section(double width, double height, double wall);
/// Flange on top along y, web below it; `height` is overall.
[[nodiscard]] BeamSection tee_section(double width, double height, double web, double flange);

}  // namespace avrenk
