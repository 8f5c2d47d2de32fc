/// core/model/connections.h: which nodes joints connect, whatever their kind.
#pragma once

#include <numeric>

#include "core/model/assembly.h"

namespace avrenk {

/// Calls visit(joint, nodes) for every spring, link and follower, and for every component by the name of its part; −1
/// among the nodes is the ground.
template <typename Visit>
void for_each_connection(const Assembly& assembly, const Visit& visit) {
  std::vector<int> nodes;
  for (const Spring& spring : assembly.springs) {
    nodes.assign(spring.nodes.begin(), spring.nodes.end());
    visit(spring.joint, nodes);
  }
  for (const RigidLink& link : assembly.links)
    for (const int node : link.follow) {
      nodes = {link.lead, node};
      visit(link.joint, nodes);
    }
  for (const Component& component : assembly.components) {
    nodes = component.nodes;
    visit(assembly.parts[static_cast<std::size_t>(component.part)].name, nodes);
  }
  for (const Follower& follower : assembly.followers) {
    nodes = follower.leads;
    nodes.push_back(follower.node);
    visit(follower.joint, nodes);
  }
}

/// Sets of nodes that are joined, directly or by way of others (union–find); node −1 is the ground.
class NodeSets {
 public:
  explicit NodeSets(std::size_t nodes) : parent_(nodes + 1) { std::iota(parent_.begin(), parent_.end(), 0); }
  void join(int a, int b) { parent_[of(a)] = of(b); }
  void join(const std::vector<int>& nodes) {
    for (const int node : nodes) join(nodes.front(), node);
  }
  /// The number of the set of a node.
  [[nodiscard]] std::size_t of(int node) {
    auto at = static_cast<std::size_t>(node + 1);
    while (parent_[at] != at) at = parent_[at] = parent_[parent_[at]];
    return at;
  }

 private:
  std::vector<std::size_t> parent_;
};

}  // namespace avrenk
