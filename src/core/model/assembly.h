/// core/model/assembly.h: the model as plain values: nodes, parts, springs, masses, links, base, named places.
/// It holds no equations; system/ makes them. SI units, global axes unless said.
#pragma once

#include <array>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "core/element/element_block.h"
#include "core/model/base.h"
#include "core/model/component.h"
#include "core/model/elements.h"
#include "core/model/joint.h"
#include "core/model/load.h"
#include "core/model/material.h"
#include "core/model/node.h"
#include "core/model/part.h"
#include "core/model/spring.h"
#include "core/quantity/quantity.h"

namespace avrenk {

struct Assembly {
  std::vector<Node> nodes;
  std::vector<Material> materials;
  std::vector<Part> parts;
  std::vector<BeamElement> beams;
  std::vector<ElementGroup> groups;                            ///< shells and solids
  std::vector<std::array<BeamSection, beam_stations>> tapers;  ///< sections along tapered elements
  std::vector<Component> components;
  std::vector<PointMass> masses;
  std::vector<Spring> springs;
  std::vector<RigidLink> links;
  std::vector<Follower> followers;
  std::vector<Joint> joints;  ///< in the order of the plan
  std::vector<Base> bases;    ///< one or more, each with motions of its own; the first one's point is the model's
  std::map<std::string, std::vector<int>> places;
  DisplayUnit length_unit{"mm", 1e-3};  ///< in which positions are said in words
  std::vector<Load> loads;  ///< in the order of the plan; their columns are numbered one load after the other

  /// All feet, base by base: the index of the base and the foot.
  [[nodiscard]] std::vector<std::pair<int, SupportNode>> feet() const;
  /// The point about which rigid motions, total mass and effective masses are taken: the origin if there is no base.
  [[nodiscard]] Vector3 reference() const;
  /// Whether anything but a name refers to each node: an element, spring, body, joint or base.
  [[nodiscard]] std::vector<bool> used_nodes() const;

  /// What an element is made of; refers to sections of this assembly.
  [[nodiscard]] BeamProperties properties(const BeamElement& beam) const;

  /// The elements of a group, ready to be computed.
  [[nodiscard]] ElementBlock block(const ElementGroup& group) const;
  [[nodiscard]] const Material& material_of(int part) const {
    return materials[static_cast<std::size_t>(parts[static_cast<std::size_t>(part)].material)];
  }
  [[nodiscard]] const Vector3& position(int node) const { return nodes[static_cast<std::size_t>(node)].position; }

  /// "(12.5, 0, 300) mm", of a position in m.
  [[nodiscard]] std::string describe_position(const Vector3& position, int digits = 4) const {
    return position_in_words(position, length_unit, digits);
  }
  /// "node 12 of mast at (0, 0, 900) mm": what tables and messages call a node.
  [[nodiscard]] std::string describe_node(int node) const;
  /// The same as a node of the thing named.
  [[nodiscard]] std::string describe_node(int node, const std::string& of) const;
};

}  // namespace avrenk
