/// core/mesh/closest.h: what of the rest of a model comes nearest to some of its nodes.
#pragma once

#include "core/mesh/surface.h"

namespace avrenk {

struct Closest {
  int node = -1;        ///< of those asked about
  int part = -1;        ///< the nearest other part; −1: there is none
  bool face = false;    ///< of its faces, else a node of its lines
  double distance = 0;  ///< m, half the thickness of shells taken off
};

/// @param nodes  looked from; of many only about two thousand, evenly chosen
/// @param skip   for each part whether it is left out
[[nodiscard]] Closest closest_part(const Assembly& assembly, const std::vector<int>& nodes,
                                   const std::vector<bool>& skip);

}  // namespace avrenk
