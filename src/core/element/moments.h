/// core/element/moments.h: mass and its moments, straight from geometry.
#pragma once

#include "core/algebra.h"

namespace avrenk {

/// ∫ρ dV, ∫ρ x dV and ∫ρ x xᵀ dV of a body: kg, kg m, kg m².
struct Moments {
  double mass = 0;
  Eigen::Vector3d first = Eigen::Vector3d::Zero();
  Eigen::Matrix3d second = Eigen::Matrix3d::Zero();
};

}  // namespace avrenk
