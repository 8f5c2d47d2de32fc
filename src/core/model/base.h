/// core/model/base.h: what the model stands on.
#pragma once

#include <array>
#include <string>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

/// A node held to the base in some of its directions x y z rx ry rz.
struct SupportNode {
  int node = 0;
  std::array<bool, 6> holds{true, true, true, true, true, true};
};

/// A rigid base: its six motions are the translations and rotations of `point`.
struct Base {
  std::string name;
  std::vector<SupportNode> feet;
  Vector3 point = Vector3::Zero();
};

}  // namespace avrenk
