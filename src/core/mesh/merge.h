/// core/mesh/merge.h: one node of several that lie at one spot.
#pragma once

#include <vector>

#include "core/model/assembly.h"

namespace avrenk {

struct Merged {
  int nodes = 0;          ///< how many are gone
  double farthest = 0;    ///< m, largest distance that was closed
  std::vector<int> node;  ///< for each old node its new number
};

/// Makes one node of those of some parts that lie within a distance (m) of one another; the first stays where it is,
/// and elements of the others move there. Nodes that are gone leave no gap in the numbers. Only elements and places may
/// refer to nodes yet.
/// @throws InputError  two nodes of one element are so near
[[nodiscard]] Merged merge_nodes(Assembly& assembly, const std::vector<int>& parts, double within);

}  // namespace avrenk
