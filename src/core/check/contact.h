/// core/check/contact.h: parts that touch or nearly touch, and that nothing joins.
#pragma once

#include "core/check/finding.h"
#include "core/mesh/surface.h"

namespace avrenk {

/// Nodes of elements farther apart than this part of the model's size are not at one spot.
inline constexpr double coincident_part = 1e-5;

/// Nodes of different parts, or of one part, at one spot that no joint, spring or shared element connects: one finding
/// a pair of parts.
[[nodiscard]] std::vector<Finding> unjoined_nodes(const Assembly& assembly);

/// Pairs of parts between which there is no joint and no common node, though nodes of one come so near to faces of the
/// other that they look meant to touch: within a fifth of the length of an element there, the thickness of shells taken
/// off.
[[nodiscard]] std::vector<Finding> open_gaps(const Assembly& assembly, const Surface& surface);

/// Pairs of parts that are joined at some nodes, while other nodes of one lie on a face or edge of the other between
/// those and pass no force: a seam of two meshes whose divisions differ, merged where nodes happen to coincide.
[[nodiscard]] std::vector<Finding> half_joined(const Assembly& assembly, const Surface& surface);

/// For each node the parts that it belongs to, ascending: those of its elements; of a node without elements those of
/// the nodes that carry it or that it carries.
[[nodiscard]] std::vector<std::vector<int>> parts_of_nodes(const Assembly& assembly);

}  // namespace avrenk
