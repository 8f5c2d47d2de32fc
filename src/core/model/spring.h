/// core/model/spring.h: springs between two nodes, and contacts, which only press.
#pragma once

#include <array>
#include <memory>
#include <optional>
#include <string>

#include "core/algebra.h"

namespace avrenk {

struct SpringLaw;

/// A spring carries only while it is pressed. It opens by gap + sign · travel along one of its axes; while that is
/// negative it is closed, and acts in all six ways that it has.
struct UnilateralContact {
  int axis = 2;
  double sign = 1;
  double gap = 0;                        ///< m, before anything moves
  std::optional<double> friction_holds;  ///< largest part of the pressing force that friction can bear; absent: unknown
  bool is_open = false;                  ///< it was found open, and taken out of the model
};

/// A six-way spring between two nodes, acting at `point` through rigid arms, so that a rigid rotation of both
/// nodes stores no energy whatever their distance.
struct Spring {
  std::string joint;
  std::array<int, 2> nodes;             ///< a second node of −1 is the ground, which never moves
  Vector3 point = Vector3::Zero();      ///< where it acts
  Matrix3 axes = Matrix3::Identity();   ///< rows: its x, y, z in global axes
  Vector6 stiffness = Vector6::Zero();  ///< N/m ×3, N m/rad ×3
  Vector6 dashpot = Vector6::Zero();    ///< N s/m ×3, N m s/rad ×3
  std::optional<double> loss_factor;    ///< η of its stiffness; absent: dashpot if given, else the general damping
  std::optional<UnilateralContact> unilateral{};  ///< absent: it pulls as well as it presses
  std::optional<double> tension{};  ///< N, along its z, that a bolt is tightened to where an environment says so
  /// Absent: it is what it is at every frequency and amplitude.
  std::shared_ptr<const SpringLaw> law{};
  [[nodiscard]] bool has_dashpot() const;
};

}  // namespace avrenk
