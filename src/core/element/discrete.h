/// core/element/discrete.h: elements without extent: the six-way spring that acts at one point through rigid arms, and
/// the point mass with offset (theory: elements).
#pragma once

#include "core/algebra.h"

namespace avrenk {

using SpringMatrix = Eigen::Matrix<double, 12, 12>;
using TravelRows = Eigen::Matrix<double, 6, 12>;

/// 3 x 3 matrix of the cross product: cross_matrix(a) b = a × b.
[[nodiscard]] Matrix3 cross_matrix(const Vector3& a);

/// Six motions of the point `at` of a rigid body from the six motions of its point `from`: u + θ × (at − from), θ.
[[nodiscard]] Matrix6 rigid_arm(const Vector3& from, const Vector3& at);

/// Travel of a spring in its own axes (m ×3, rad ×3): motion of the second end less that of the first, both carried to
/// the acting point by rigid arms. A rigid motion of both nodes gives none, however far apart they are.
/// @param axes  rows: the spring's x, y, z in global axes
[[nodiscard]] TravelRows travel_rows(const Vector3& acting_point, const Matrix3& axes, const Vector3& node1,
                                     const Vector3& node2);

/// Gᵀ diag(k) G with the travel rows G: N/m, N, N m in global axes.
[[nodiscard]] SpringMatrix spring_matrix(const TravelRows& travel, const Vector6& diagonal);

/// Geometric stiffness of a rigid arm d under a force F that keeps its direction at its end, on the rotations of where
/// it begins: (F·d) I − ½ (F dᵀ + d Fᵀ), from the second-order motion ½ θ × (θ × d). N m.
[[nodiscard]] Matrix3 arm_geometric_stiffness(const Vector3& arm, const Vector3& force);

/// Mass matrix at a node (kg, kg m, kg m²) of a body whose centre of gravity sits at node + offset.
/// @param inertia  about the centre of gravity, tensor: off-diagonal terms are −∫xy dm
[[nodiscard]] Matrix6 mass_at_node(double mass, const Matrix3& inertia, const Vector3& offset);

}  // namespace avrenk
