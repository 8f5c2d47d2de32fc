/// core/model/mass_properties.h: mass, centre of gravity and inertia.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

struct Assembly;
struct Moments;

/// Mass, centre of gravity and inertia about it, of rigid bodies added together.
struct MassProperties {
  double mass = 0;                    ///< kg
  Vector3 centre = Vector3::Zero();   ///< m
  Matrix3 inertia = Matrix3::Zero();  ///< kg m², about `centre`, tensor
  void add(double mass, const Vector3& centre, const Matrix3& inertia);
  void add(const Moments& moments);
};

/// The mass properties of each part and each point mass by name, in the order of the plan; straight from geometry,
/// so that the assembled mass matrix can be checked against them.
[[nodiscard]] std::vector<std::pair<std::string, MassProperties>> mass_breakdown(const Assembly& assembly);
[[nodiscard]] MassProperties total_mass(const Assembly& assembly);

}  // namespace avrenk
