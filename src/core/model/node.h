/// core/model/node.h: a point of the model.
#pragma once

#include <string>

#include "core/algebra.h"
#include "core/quantity/quantity.h"

namespace avrenk {

struct Node {
  static constexpr int place = -1;
  Vector3 position;
  std::string origin;       ///< the part, mass or place that made it
  int coordinates = place;  ///< of a component: so many of its six numbers are coordinates of its inside, no motions
  [[nodiscard]] bool is_place() const { return coordinates == place; }
};

/// "(12.5, 0, 300) mm", of a position in m; what is rounding at that size is zero. @param length  in which to say it
[[nodiscard]] std::string position_in_words(const Vector3& position, const DisplayUnit& length, int digits = 4);

}  // namespace avrenk
