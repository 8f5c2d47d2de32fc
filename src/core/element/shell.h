/// core/element/shell.h: flat shell elements of 3 and 4 nodes, x y z rx ry rz a node.
///
/// Bending and shear after Reissner and Mindlin with assumed transverse shear, so that thin shells do not lock: Dvorkin
/// & Bathe, Eng. Comput. 1, 1984 (4 nodes); Lee & Bathe, Comput. Struct. 82, 2004 (3 nodes). Membrane: bilinear with
/// four condensed incompatible modes (Taylor, Beresford & Wilson 1976), or linear. The rotation about the normal
/// follows the rotation of the membrane by a spring (Hughes & Brezzi, Comput. Methods Appl. Mech. Eng. 72, 1989).
/// A warped quadrilateral is taken as flat in its mean plane; rigid arms carry it to its nodes, and carry an offset
/// too.
#pragma once

#include "core/algebra.h"
#include "core/element/moments.h"

namespace avrenk {

/// Stress from strain in the plane of the shell, xx yy xy with engineering shear; its axes are those of the element.
struct ShellSection {
  double thickness = 0;                                  ///< m
  Eigen::Matrix3d in_plane = Eigen::Matrix3d::Zero();    ///< Pa, plane stress
  Eigen::Matrix2d transverse = Eigen::Matrix2d::Zero();  ///< Pa, xz and yz, without the factor 5/6
  double density = 0;                                    ///< kg/m³
  double extra_mass = 0;                                 ///< kg/m² that carries no load
  double offset = 0;                                     ///< m from the nodes to the middle surface, along the normal
  Eigen::Vector3d along = Eigen::Vector3d::Zero();       ///< its projection is the x axis; zero: the first edge's
};

[[nodiscard]] ShellSection isotropic_shell(double thickness, double youngs_modulus, double poissons_ratio,
                                           double density);

/// Rows: x, y and the normal of an element, in global axes. The normal is that of the diagonals of a quadrilateral;
/// seen from its side the nodes run anticlockwise.
/// @param nodes  3 x 3 or 3 x 4, m
[[nodiscard]] Eigen::Matrix3d shell_axes(const Eigen::Matrix3Xd& nodes, const ShellSection& section);

/// Elements of 3 or 4 nodes and one section, side by side.
struct ShellBlock {
  int nodes = 4;                 ///< of one element
  Eigen::Matrix3Xd coordinates;  ///< m: the nodes of the first element, then of the second …
  ShellSection section;
  [[nodiscard]] Eigen::Index elements() const { return coordinates.cols() / nodes; }
};

/// Matrices of elements `first` to `first + count`, side by side: 6n x 6n each, global axes; N/m, N, N m.
/// @throws NumericalError  a quadrilateral with a corner of 180° or more, or a triangle without area
[[nodiscard]] Eigen::MatrixXd shell_stiffness(const ShellBlock& block, Eigen::Index first, Eigen::Index count);
/// kg, kg m, kg m². Of a warped quadrilateral the area is that of its ruled surface.
[[nodiscard]] Eigen::MatrixXd shell_mass(const ShellBlock& block, Eigen::Index first, Eigen::Index count);

/// Geometric stiffness under the membrane forces n that some motions of the nodes make, ∫ Σ_i ∇u_iᵀ n ∇u_i dA over the
/// three displacements of the middle surface: 6n x 6n each, side by side, global axes; N/m, N, N m. Bending stress
/// makes none.
/// @param motions  of the nodes of each element, 6n x count
[[nodiscard]] Eigen::MatrixXd shell_geometric_stiffness(const ShellBlock& block, Eigen::Index first, Eigen::Index count,
                                                        const Eigen::MatrixXd& motions);

/// Mass, first and second moments of all elements of a block, with what lies above and below the middle surface.
[[nodiscard]] Moments shell_moments(const ShellBlock& block);

/// Rows xx yy xy of the stress in the element's axes, Pa/m and Pa, at a point of the reference element (−1 to 1, or
/// 0 ≤ x, y and x + y ≤ 1) and a height along the normal from the middle surface as a part of half the thickness: −1
/// bottom, 1 top.
[[nodiscard]] Eigen::MatrixXd shell_stress_rows(const Eigen::Matrix3Xd& nodes, const ShellSection& section,
                                                const Eigen::Vector2d& point, double height);

/// Rows xx yy xy of the stress at the bottom, then at the top, at each node in turn: 6n x 6n, element axes; carried
/// there from the Gauss points.
[[nodiscard]] Eigen::MatrixXd shell_nodal_stress_rows(const ShellBlock& block, Eigen::Index element);

}  // namespace avrenk
