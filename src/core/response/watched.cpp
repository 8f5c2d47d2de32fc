#include "core/response/watched.h"

#include <fmt/format.h>

namespace avrenk {
namespace {

constexpr WatchedQuantity quantities[] = {
    {"acceleration", "absolute acceleration", Subject::node, &kind::acceleration, true},
    {"relative acceleration", "relative acceleration", Subject::node, &kind::acceleration, true},
    {"absolute velocity", "absolute velocity", Subject::node, &kind::velocity, true},
    {"relative velocity", "relative velocity", Subject::node, &kind::velocity, true},
    {"absolute displacement", "absolute displacement", Subject::node, &kind::length, true},
    {"relative displacement", "relative displacement", Subject::node, &kind::length, true},
    {"absolute rotation", "absolute rotation", Subject::node, &kind::angle, true},
    {"relative rotation", "relative rotation", Subject::node, &kind::angle, true},
    {"force", "spring force", Subject::spring, &kind::force, true},
    {"moment", "spring moment", Subject::spring, &kind::moment, true},
    {"travel", "spring travel", Subject::spring, &kind::length, true},
    {"turn", "spring turn", Subject::spring, &kind::angle, true},
    {"axial force", "axial force", Subject::beam, &kind::force, false},
    {"shear force", "shear force", Subject::beam, &kind::force, true},
    {"torque", "torque", Subject::beam, &kind::moment, false},
    {"bending moment", "bending moment", Subject::beam, &kind::moment, true},
    {"force", "base reaction force", Subject::base, &kind::force, true},
    {"moment", "base reaction moment", Subject::base, &kind::moment, true},
    {"foot force", "reaction force of a single foot", Subject::foot, &kind::force, true},
    {"foot moment", "reaction moment of a single foot", Subject::foot, &kind::moment, true},
};

constexpr NodeMotion node_motions[] = {  // in the order of the first eight quantities
    NodeMotion::absolute_acceleration, NodeMotion::relative_acceleration, NodeMotion::absolute_velocity,
    NodeMotion::relative_velocity,     NodeMotion::absolute_displacement, NodeMotion::relative_displacement,
    NodeMotion::absolute_rotation,     NodeMotion::relative_rotation};

bool is(const WatchedQuantity& quantity, std::string_view keyword) { return quantity.keyword == keyword; }

// A block of 1, 2 or 3 rows of one candidate.
struct Block {
  std::string label;
  Eigen::MatrixXcd rows;
};

void add_beam_ends(std::vector<Block>& blocks, const Assembly& assembly, const Channels& channels,
                   const WatchedQuantity& quantity, int beam) {
  const BeamElement& element = assembly.beams[static_cast<std::size_t>(beam)];
  const Eigen::MatrixXcd forces = channels.beam_forces(beam);
  for (int end = 0; end < 2; ++end) {
    const std::string label = assembly.describe_node(element.nodes[static_cast<std::size_t>(end)]);
    const auto row = [&](int index, int count) -> Eigen::MatrixXcd {
      return forces.middleRows(6 * end + index, count);
    };
    if (is(quantity, "axial force")) blocks.push_back({label, row(0, 1)});
    if (is(quantity, "shear force")) blocks.push_back({label, row(1, 2)});
    if (is(quantity, "torque")) blocks.push_back({label, row(3, 1)});
    if (is(quantity, "bending moment")) blocks.push_back({label, row(4, 2)});
  }
}

std::vector<Block> blocks_of(const Assembly& assembly, const Channels& channels, const WatchRequest& request) {
  const WatchedQuantity& quantity = *request.quantity;
  std::vector<Block> blocks;
  const bool lower_half = is(quantity, "moment") || is(quantity, "turn") || is(quantity, "foot moment");
  const auto half = [&](const Eigen::MatrixXcd& six) -> Eigen::MatrixXcd {
    return six.middleRows(lower_half ? 3 : 0, 3);
  };
  if (quantity.subject == Subject::base)
    return {{"base " + assembly.base.name, half(channels.base_reaction(request.about))}};
  for (const int item : request.items) {
    const auto index = static_cast<std::size_t>(item);
    switch (quantity.subject) {
      case Subject::node:
        blocks.push_back(
            {assembly.describe_node(item), channels.motion(item, node_motions[&quantity - &quantities[0]])});
        break;
      case Subject::spring: {
        const Spring& spring = assembly.springs[index];
        const bool travel = is(quantity, "travel") || is(quantity, "turn");
        const std::string at = assembly.describe_node(spring.nodes[0]);
        blocks.push_back({fmt::format("{} at {}", spring.joint, at),
                          half(travel ? channels.spring_travel(item) : channels.spring_force(item))});
        break;
      }
      case Subject::foot: {
        const int node = assembly.base.feet[index].node;
        const Vector3& at = assembly.nodes[static_cast<std::size_t>(node)].position;
        blocks.push_back({assembly.describe_node(node), half(channels.foot_reaction(item, at))});
        break;
      }
      case Subject::beam:
        add_beam_ends(blocks, assembly, channels, quantity, item);
        break;
      case Subject::base:
        break;
    }
  }
  return blocks;
}

std::vector<std::string> components_of(const WatchedQuantity& quantity) {
  if (!quantity.vector) return {""};
  if (quantity.subject == Subject::beam) return {"y", "z", "magnitude"};  // across the beam
  return {"x", "y", "z", "magnitude"};
}

std::string full_name(const WatchRequest& request, const std::string& component) {
  const bool bare = component.empty() || component == "magnitude";
  return fmt::format("{}.{}{}{}", request.name, request.quantity->keyword, bare ? "" : ".", bare ? "" : component);
}

}  // namespace

std::span<const WatchedQuantity> watched_quantities() { return quantities; }

std::vector<Watched> watch(const Assembly& assembly, const Channels& channels,
                           const std::vector<WatchRequest>& requests) {
  std::vector<Watched> all;
  for (const WatchRequest& request : requests) {
    const std::vector<Block> blocks = blocks_of(assembly, channels, request);
    const auto components = components_of(*request.quantity);
    for (std::size_t c = 0; c < components.size(); ++c) {
      Watched watched{full_name(request, components[c]), request.name, components[c], request.quantity, {}};
      for (const Block& block : blocks) {
        if (watched.is_magnitude())
          watched.candidates.push_back({block.label, block.rows});
        else
          watched.candidates.push_back({block.label, block.rows.row(static_cast<Eigen::Index>(c))});
      }
      all.push_back(std::move(watched));
    }
  }
  return all;
}

const Watched* find_watched(const std::vector<Watched>& all, std::string_view name) {
  for (const Watched& watched : all)
    if (watched.name == name) return &watched;
  return nullptr;
}

std::vector<std::string> watched_names(const std::vector<WatchRequest>& requests) {
  std::vector<std::string> names;
  for (const WatchRequest& request : requests) {
    for (const std::string& component : components_of(*request.quantity))
      names.push_back(full_name(request, component));
  }
  return names;
}

}  // namespace avrenk
