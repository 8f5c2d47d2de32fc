#include "core/mesh/part_group.h"

#include <algorithm>

#include "core/error.h"
#include "core/model/connections.h"

namespace avrenk {
namespace {

class Group {
 public:
  Group(const Assembly& whole, const std::set<int>& parts)
      : whole_(whole), parts_(parts), inside_(whole.nodes.size()), of_rest_(whole.nodes.size()) {
    const auto mark = [&](int part, std::span<const int> nodes) {
      for (const int node : nodes) (parts_.contains(part) ? inside_ : of_rest_)[static_cast<std::size_t>(node)] = true;
    };
    for (const BeamElement& beam : whole.beams) mark(beam.part, beam.nodes);
    for (const ElementGroup& group : whole.groups) mark(group.part, group.nodes);
    for (const Component& component : whole.components) mark(component.part, component.nodes);
    take_nodes_of_no_part();
  }

  Assembly run() {
    Assembly group = whole_;
    const auto is_in = [&](int node) { return node >= 0 && inside_[static_cast<std::size_t>(node)]; };
    const auto leave = [&](auto& list, const auto& stays) {
      std::erase_if(list, [&](const auto& each) { return !stays(each); });
    };
    leave(group.beams, [&](const BeamElement& each) { return parts_.contains(each.part); });
    leave(group.groups, [&](const ElementGroup& each) { return parts_.contains(each.part); });
    leave(group.components, [&](const Component& each) { return parts_.contains(each.part); });
    leave(group.masses, [&](const PointMass& each) { return is_in(each.node); });
    leave(group.springs, [&](const Spring& each) { return is_in(each.nodes[0]) && is_in(each.nodes[1]); });
    for (RigidLink& link : group.links)
      std::erase_if(link.follow, [&](int node) { return !is_in(link.lead) || !is_in(node); });
    leave(group.links, [](const RigidLink& each) { return !each.follow.empty(); });
    leave(group.followers, [&](const Follower& each) {
      return is_in(each.node) && std::all_of(each.leads.begin(), each.leads.end(), is_in);
    });
    group.loads.clear();
    group.bases = {{"interface", {}, Vector3::Zero()}};
    for (std::size_t node = 0; node < inside_.size(); ++node)
      if (inside_[node] && (of_rest_[node] || leads_out_.contains(static_cast<int>(node))))
        group.bases[0].feet.push_back({static_cast<int>(node)});
    if (group.bases[0].feet.empty())
      throw_input_error("", "nothing leads from these parts to the rest of the model, so there is no interface",
                        "leave parts out: the whole model is reduced to what its base holds");
    return group;
  }

 private:
  // All that every node of no part is connected with must be inside, the others are taken out until that is so.
  void take_nodes_of_no_part() {
    std::vector<std::vector<int>> connections;
    for_each_connection(whole_,
                        [&](const std::string&, const std::vector<int>& nodes) { connections.push_back(nodes); });
    for (const auto& [base, foot] : whole_.feet()) connections.push_back({foot.node, -1});
    std::vector<bool> candidate(inside_.size());
    for (const std::vector<int>& nodes : connections)
      for (const int node : nodes)
        if (node >= 0 && !inside_[static_cast<std::size_t>(node)] && !of_rest_[static_cast<std::size_t>(node)])
          candidate[static_cast<std::size_t>(node)] = true;
    const auto stays = [&](int node) {
      return node >= 0 && (inside_[static_cast<std::size_t>(node)] || candidate[static_cast<std::size_t>(node)]);
    };
    for (bool changed = true; changed;) {
      changed = false;
      for (const std::vector<int>& nodes : connections) {
        if (std::all_of(nodes.begin(), nodes.end(), stays)) continue;
        for (const int node : nodes)
          if (node >= 0 && candidate[static_cast<std::size_t>(node)]) {
            candidate[static_cast<std::size_t>(node)] = false;
            changed = true;
          }
      }
    }
    // Those that only other candidates lead to belong to bodies of their own, elsewhere.
    NodeSets sets(inside_.size());
    for (const std::vector<int>& nodes : connections)
      if (std::all_of(nodes.begin(), nodes.end(), stays)) sets.join(nodes);
    std::set<std::size_t> with_parts;
    for (std::size_t node = 0; node < inside_.size(); ++node)
      if (inside_[node]) with_parts.insert(sets.of(static_cast<int>(node)));
    for (std::size_t node = 0; node < inside_.size(); ++node)
      if (candidate[node] && with_parts.contains(sets.of(static_cast<int>(node)))) inside_[node] = true;
    for (const std::vector<int>& nodes : connections) {
      const auto is_in = [&](int node) { return node >= 0 && inside_[static_cast<std::size_t>(node)]; };
      if (std::all_of(nodes.begin(), nodes.end(), is_in)) continue;
      for (const int node : nodes)
        if (is_in(node)) leads_out_.insert(node);
    }
  }

  const Assembly& whole_;
  const std::set<int>& parts_;
  std::vector<bool> inside_, of_rest_;
  std::set<int> leads_out_;
};

}  // namespace

Assembly group_of_parts(const Assembly& whole, const std::set<int>& parts) { return Group(whole, parts).run(); }

}  // namespace avrenk
