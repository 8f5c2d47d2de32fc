#include "core/mesh/merge.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/error.h"
#include "core/mesh/point_merger.h"
#include "core/mesh/select.h"

namespace avrenk {
namespace {

void refuse_crushed(const Assembly& assembly, int part, std::span<const int> nodes) {
  for (std::size_t i = 0; i < nodes.size(); ++i)
    for (std::size_t k = 0; k < i; ++k)
      if (nodes[i] == nodes[k])
        throw InputError(
            Problem{"part " + assembly.parts[static_cast<std::size_t>(part)].name,
                    fmt::format("two nodes of one element at {} would become one", assembly.describe_node(nodes[i])),
                    "merge within less than the shortest edge", std::nullopt});
}

}  // namespace

Merged merge_nodes(Assembly& assembly, const std::vector<int>& parts, double within) {
  std::vector<bool> chosen(assembly.nodes.size());
  for (const int part : parts)
    for (const int node : nodes_of_part(assembly, assembly.parts[static_cast<std::size_t>(part)].name))
      chosen[static_cast<std::size_t>(node)] = true;
  Merged result;
  std::vector<int> kept(assembly.nodes.size());  // the node that each becomes
  PointMerger spots(within);
  for (std::size_t n = 0; n < kept.size(); ++n) {
    kept[n] = static_cast<int>(n);
    if (!chosen[n]) continue;
    const int before = spots.find(assembly.nodes[n].position);
    if (before < 0) {
      spots.add(assembly.nodes[n].position, static_cast<int>(n));
      continue;
    }
    kept[n] = before;
    ++result.nodes;
    result.farthest = std::max(result.farthest, (assembly.nodes[n].position - assembly.position(before)).norm());
  }
  for (const ElementGroup& group : assembly.groups)
    for (std::size_t e = 0; e < group.elements(); ++e) {
      std::vector<int> own;
      for (const int node : group.element(e)) own.push_back(kept[static_cast<std::size_t>(node)]);
      refuse_crushed(assembly, group.part, own);
    }
  for (const BeamElement& beam : assembly.beams)
    refuse_crushed(
        assembly, beam.part,
        std::array{kept[static_cast<std::size_t>(beam.nodes[0])], kept[static_cast<std::size_t>(beam.nodes[1])]});
  std::vector<Node> nodes;
  result.node.resize(kept.size());
  for (std::size_t n = 0; n < kept.size(); ++n) {  // what is kept comes before what becomes it
    if (kept[n] == static_cast<int>(n)) {
      result.node[n] = static_cast<int>(nodes.size());
      nodes.push_back(assembly.nodes[n]);
    } else {
      result.node[n] = result.node[static_cast<std::size_t>(kept[n])];
    }
  }
  assembly.nodes = std::move(nodes);
  const auto renumber = [&](int& node) { node = result.node[static_cast<std::size_t>(node)]; };
  for (BeamElement& beam : assembly.beams)
    for (int& node : beam.nodes) renumber(node);
  for (ElementGroup& group : assembly.groups)
    for (int& node : group.nodes) renumber(node);
  for (Component& component : assembly.components)
    for (int& node : component.nodes) renumber(node);
  for (Follower& follower : assembly.followers) {  // so far those of components alone
    renumber(follower.node);
    for (int& node : follower.leads) renumber(node);
  }
  for (auto& [name, place] : assembly.places)
    for (int& node : place) renumber(node);
  return result;
}

}  // namespace avrenk
