/// core/mesh/select.h: which nodes lie in a plane, in a box, nearest to a point.
#pragma once

#include <vector>

#include "core/model/assembly.h"

namespace avrenk {

/// Nodes of the elements of one part by name, ascending, also those that it shares with others; of the whole model if
/// the name is empty.
[[nodiscard]] std::vector<int> nodes_of_part(const Assembly& assembly, const std::string& part);

/// Those whose coordinate along an axis is `value`, within `tolerance` (m).
[[nodiscard]] std::vector<int> nodes_in_plane(const Assembly& assembly, const std::vector<int>& among, int axis,
                                              double value, double tolerance);

/// Those inside a box, its faces included within `tolerance` (m).
[[nodiscard]] std::vector<int> nodes_in_box(const Assembly& assembly, const std::vector<int>& among,
                                            const Vector3& from, const Vector3& to, double tolerance);

/// The nearest node and its distance (m); the first of equals. @pre `among` is not empty
[[nodiscard]] std::pair<int, double> nearest_node(const Assembly& assembly, const std::vector<int>& among,
                                                  const Vector3& at);

}  // namespace avrenk
