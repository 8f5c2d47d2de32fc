/// core/mesh/select.h: which nodes lie in a plane, box or cylinder, on a side of a part, nearest to a point.
#pragma once

#include <vector>

#include "core/mesh/surface.h"

namespace avrenk {

/// Nodes of the elements of one part by name, ascending, also those that it shares with others; of the whole model if
/// the name is empty.
[[nodiscard]] std::vector<int> nodes_of_part(const Assembly& assembly, const std::string& part);

/// Those within `tolerance` (m) of a plane.
[[nodiscard]] std::vector<int> nodes_in_plane(const Assembly& assembly, const std::vector<int>& among,
                                              const Vector3& through, const Vector3& normal, double tolerance);

/// Those whose distance (m) from an axis lies between two radii, within `tolerance`.
[[nodiscard]] std::vector<int> nodes_in_cylinder(const Assembly& assembly, const std::vector<int>& among,
                                                 const Vector3& through, const Vector3& axis, double inner,
                                                 double outer, double tolerance);

/// Nodes of the faces of some parts whose outward normal lies within an angle (rad) of a direction, ascending; of
/// shells, which have two sides, either way. All faces if there is no direction.
[[nodiscard]] std::vector<int> nodes_of_surface(const Assembly& assembly, const Surface& surface,
                                                const std::vector<int>& parts, const std::optional<Vector3>& direction,
                                                double within);

/// Those inside a box, its faces included within `tolerance` (m).
[[nodiscard]] std::vector<int> nodes_in_box(const Assembly& assembly, const std::vector<int>& among,
                                            const Vector3& from, const Vector3& to, double tolerance);

/// The nearest node and its distance (m); the first of equals. @pre `among` is not empty
[[nodiscard]] std::pair<int, double> nearest_node(const Assembly& assembly, const std::vector<int>& among,
                                                  const Vector3& at);

}  // namespace avrenk
