#include "core/element/discrete.h"

namespace avrenk {

Matrix3 cross_matrix(const Vector3& a) {
  Matrix3 m;
  m << 0, -a.z(), a.y(), a.z(), 0, -a.x(), -a.y(), a.x(), 0;
  return m;
}

Matrix6 rigid_arm(const Vector3& from, const Vector3& at) {
  Matrix6 arm = Matrix6::Identity();
  arm.topRightCorner<3, 3>() = -cross_matrix(at - from);  // θ × d = −d × θ
  return arm;
}

TravelRows travel_rows(const Vector3& acting_point, const Matrix3& axes, const Vector3& node1, const Vector3& node2) {
  Matrix6 rotation = Matrix6::Zero();
  rotation.topLeftCorner<3, 3>() = rotation.bottomRightCorner<3, 3>() = axes;
  TravelRows rows;
  rows << -rotation * rigid_arm(node1, acting_point), rotation * rigid_arm(node2, acting_point);
  return rows;
}

SpringMatrix spring_matrix(const TravelRows& travel, const Vector6& diagonal) {
  return travel.transpose() * diagonal.asDiagonal() * travel;
}

Matrix3 arm_geometric_stiffness(const Vector3& arm, const Vector3& force) {
  return force.dot(arm) * Matrix3::Identity() - 0.5 * (force * arm.transpose() + arm * force.transpose());
}

Matrix6 mass_at_node(double mass, const Matrix3& inertia, const Vector3& offset) {
  Matrix6 own = Matrix6::Zero();
  own.topLeftCorner<3, 3>() = mass * Matrix3::Identity();
  own.bottomRightCorner<3, 3>() = inertia;
  const Matrix6 arm = rigid_arm(Vector3::Zero(), offset);
  return arm.transpose() * own * arm;
}

}  // namespace avrenk
