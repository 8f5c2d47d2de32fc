/// core/mesh/part_group.h: some parts of a model by themselves, held where the rest was joined to them.
#pragma once

#include <set>

#include "core/model/assembly.h"

namespace avrenk {

/// The parts, and the bodies and joints that touch nothing but them: a node of no part goes along where all that leads
/// to it does. Nodes to which anything else led, springs, links, followers, elements that share them, or a base, are
/// held by one base, "interface", whose point is the origin. Nodes keep their numbers; loads are left out.
/// @throws InputError  nothing leads from the parts to the rest
[[nodiscard]] Assembly group_of_parts(const Assembly& whole, const std::set<int>& parts);

}  // namespace avrenk
