/// core/mesh/components.h: structures that are known by their dynamics alone, as parts of a model.
#pragma once

#include "core/mesh/mesh.h"
#include "core/model/reduced_model.h"

namespace avrenk {

/// Nodes of one component as it was placed.
struct PlacedComponent {
  std::vector<int> interface, points;
};

/// Adds one to a part: a node for each of its interface, nodes that hold its coordinates, and a node for each of its
/// points, which follows. Nothing of it is joined to anything yet.
PlacedComponent add_component(Assembly& assembly, int part, const ReducedModel& model, const Placement& placement);

}  // namespace avrenk
