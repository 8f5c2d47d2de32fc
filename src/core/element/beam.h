/// core/element/beam.h: straight 3D beam after Timoshenko, 2 nodes x (ux uy uz rx ry rz), local x from end 1 to end 2.
/// Shape functions solve the static beam equations exactly; the mass is consistent with them and holds the rotary
/// inertia. Friedman & Kosmatka, Comput. Struct. 47, 1993; Przemieniecki 1968; shear factors: Cowper 1966.
#pragma once

#include <Eigen/Dense>

namespace avrenk {

/// Isotropic stiffness.
struct Elastic {
  double youngs_modulus = 0;  ///< E, Pa
  double shear_modulus = 0;   ///< G, Pa
};

/// Section in local axes y, z through its centroid; principal axes.
struct BeamSection {
  double area = 0;              ///< m²
  double second_moment_y = 0;   ///< ∫z² dA, m⁴: bending in the local x–z plane
  double second_moment_z = 0;   ///< ∫y² dA, m⁴: bending in the local x–y plane
  double torsion_constant = 0;  ///< J of Saint-Venant, m⁴
  double shear_factor_y = 0;    ///< shear area / area along y; 0: rigid in shear
  double shear_factor_z = 0;    ///< the same along z
};

/// Round bar of diameter d (m).
[[nodiscard]] BeamSection rod_section(double diameter, double poissons_ratio);
/// Round tube of outer diameter d and wall t (m), t < d/2. J = Iy + Iz is exact; the shear factor is Cowper's.
[[nodiscard]] BeamSection tube_section(double diameter, double wall, double poissons_ratio);
/// Rectangle, width along local y and height along local z (m). J from Saint-Venant's series, summed to 1e-12.
[[nodiscard]] BeamSection rectangle_section(double width, double height, double poissons_ratio);

struct BeamGeometry {
  Eigen::Vector3d end1, end2;  ///< m, global
  Eigen::Vector3d up;          ///< local z lies in the plane of x and `up`, on the side of `up`
  [[nodiscard]] double length() const { return (end2 - end1).norm(); }
  /// Rows: local x, y, z in global axes. @pre `up` is not parallel to the beam
  [[nodiscard]] Eigen::Matrix3d axes() const;
};

using BeamMatrix = Eigen::Matrix<double, 12, 12>;

/// Stiffness in global axes: N/m, N, N m.
[[nodiscard]] BeamMatrix stiffness(const BeamGeometry&, const BeamSection&, const Elastic&);
/// Consistent mass in global axes: kg, kg m, kg m². Mass is exact, and so is the inertia of every rigid motion.
[[nodiscard]] BeamMatrix mass(const BeamGeometry&, const BeamSection&, const Elastic&, double density);
/// Rows N Vy Vz T My Mz at end 1, then the same at end 2 (N, N m), from global displacements (m, rad). Forces on the
/// face whose outward normal is +x, so tension is positive and both ends of a beam in uniform tension read alike.
[[nodiscard]] BeamMatrix force_recovery(const BeamGeometry&, const BeamSection&, const Elastic&);

}  // namespace avrenk
