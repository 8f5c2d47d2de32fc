/// plan/starter.h: a first plan, with comments, for a mesh that a user has.
#pragma once

#include <functional>

#include "files/vtu.h"

namespace avrenk {

/// What the comments of a section say.
using SectionComment = std::function<std::string(const std::string& section)>;

/// A plan that can be checked and run as it is: parts by the array of the cells that tells them apart, places by the
/// sets of the points, feet where the mesh stands lowest; units, thickness and material are guesses, and said to be.
/// @param file  of the mesh, as the plan names it
/// @throws FileError  the mesh has no shells and no solids
[[nodiscard]] std::string starter_plan(const Grid& grid, const std::string& file, const SectionComment& comment);

/// The same without a mesh: a plate on four feet.
[[nodiscard]] std::string starter_plan(const SectionComment& comment);

}  // namespace avrenk
