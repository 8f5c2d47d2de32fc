/// core/model/node.h: a point of the model.
#pragma once

#include <string>

#include "core/algebra.h"

namespace avrenk {

struct Node {
  static constexpr int place = -1;
  Vector3 position;
  std::string origin;       ///< the part, mass or place that made it
  int coordinates = place;  ///< of a component: so many of its six numbers are coordinates of its inside, no motions
  [[nodiscard]] bool is_place() const { return coordinates == place; }
};

/// "(12.5, 0, 300) mm", of a position in m; what is rounding at that size is zero.
[[nodiscard]] std::string at_millimetres(const Vector3& position, int digits = 4);

}  // namespace avrenk
