/// core/element/solid.h: solid elements, 3 translations a node, node order of VTK's cell types.
///
/// Isoparametric; the 8-node hexahedron carries nine incompatible modes besides, condensed within the element, so that
/// it bends without locking when undistorted and still passes the patch test (Taylor, Beresford & Wilson, Int. J.
/// Numer. Meth. Engng 10, 1976). Quadrature is exact for undistorted elements; that of the mass is exact for its total
/// of any element. Zienkiewicz & Taylor, The Finite Element Method, vol. 1.
#pragma once

#include <array>
#include <span>
#include <string_view>

#include "core/algebra.h"
#include "core/element/elasticity.h"
#include "core/element/moments.h"

namespace avrenk {

enum class SolidShape { hexahedron8, hexahedron20, tetrahedron4, tetrahedron10, wedge6, wedge15 };

/// What is common to all elements of one shape.
struct SolidFacts {
  std::string_view name;  ///< "hexahedron of 8 nodes"
  int nodes = 0;
  int cell_type = 0;  ///< of VTK
};
[[nodiscard]] const SolidFacts& facts_of(SolidShape shape);

/// A block of elements of one shape and material, computed without branches on the shape.
struct SolidBlock {
  SolidShape shape = SolidShape::hexahedron8;
  Eigen::Matrix3Xd coordinates;  ///< m: the nodes of the first element, then of the second …
  Elasticity elasticity = Elasticity::Zero();
  double density = 0;  ///< kg/m³
  [[nodiscard]] Eigen::Index elements() const { return coordinates.cols() / facts_of(shape).nodes; }
};

/// Matrices of elements `first` to `first + count`, side by side: 3n x 3n each, columns x y z of the first node, then
/// of the second …; N/m and kg.
/// @throws NumericalError  an element is turned inside out: its Jacobian is not positive at some integration point
[[nodiscard]] Eigen::MatrixXd solid_stiffness(const SolidBlock& block, Eigen::Index first, Eigen::Index count);
[[nodiscard]] Eigen::MatrixXd solid_mass(const SolidBlock& block, Eigen::Index first, Eigen::Index count);

/// Rows xx yy zz xy yz zx of the stress at one point of the reference element, from the displacements of its nodes,
/// incompatible modes included: 6 x 3n, Pa/m.
[[nodiscard]] Eigen::MatrixXd solid_stress_rows(const SolidBlock& block, Eigen::Index element,
                                                const Eigen::Vector3d& point);

/// Rows xx yy zz xy yz zx at each node in turn, 6n x 3n: carried there from the points where stresses are most accurate
/// (2 x 2 x 2 Gauss points of a hexahedron, and the like; Barlow, Int. J. Numer. Meth. Engng 10, 1976) by the functions
/// that are linear along each edge.
[[nodiscard]] Eigen::MatrixXd solid_nodal_stress_rows(const SolidBlock& block, Eigen::Index element);

/// Geometric stiffness ∫ Gᵀ σ G dV under the stress σ that some displacements of the nodes make, incompatible modes
/// included there and not in G: 3n x 3n each, side by side; N/m.
/// @param motions  of the nodes of each element, 3n x count
[[nodiscard]] Eigen::MatrixXd solid_geometric_stiffness(const SolidBlock& block, Eigen::Index first, Eigen::Index count,
                                                        const Eigen::MatrixXd& motions);

/// Corners and middle nodes of the reference element, 3 x n.
[[nodiscard]] Eigen::Matrix3Xd solid_reference_nodes(SolidShape shape);

/// The edges whose middle nodes follow the corners, in that order, by their corners.
[[nodiscard]] std::span<const std::array<int, 2>> solid_edges(SolidShape shape);

/// Of all elements of a block, by the quadrature of their mass.
[[nodiscard]] Moments solid_moments(const SolidBlock& block);

/// Smallest Jacobian over the integration points divided by the largest: 1 of an undistorted element, not positive of
/// one that is turned inside out.
[[nodiscard]] double solid_jacobian_ratio(const SolidBlock& block, Eigen::Index element);

}  // namespace avrenk
