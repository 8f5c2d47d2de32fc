/// core/mesh/average.h: nodes that move with the mean of others (derivation: docs/theory.md, "Joints").
#pragma once

#include <string>
#include <vector>

#include "core/mesh/surface.h"

namespace avrenk {

/// A node that moves with the weighted mean of others: their best-fitting rigid motion, see best_fit(). It adds no
/// stiffness, and shares out a force on it with exact resultants.
/// @param weights  one for each, not all zero
/// @throws InputError  the nodes lie on one line, so that turning about it is not carried
void add_average(Assembly& assembly, const std::string& joint, int node, const std::vector<int>& of,
                 const std::vector<double>& weights);

/// The part of the surface that belongs to each of some nodes, m²: faces all of whose nodes are among them share
/// theirs out to their corners.
[[nodiscard]] std::vector<double> tributary_areas(const Assembly& assembly, const Surface& surface,
                                                  const std::vector<int>& nodes);

}  // namespace avrenk
