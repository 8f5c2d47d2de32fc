#include "core/system/numbering.h"

#include <fmt/format.h>

#include "core/error.h"

namespace avrenk {
namespace {

constexpr double same_spot = 1e-6;  // m: a link shorter than this has no arm

[[noreturn]] void refuse(std::string subject, std::string wrong, std::string instead) {
  throw InputError(Problem{std::move(subject), std::move(wrong), std::move(instead), std::nullopt});
}

// For each node the node whose six motions it follows as part of one rigid body; itself if it follows none.
std::vector<int> resolve_links(const Assembly& assembly) {
  const auto count = assembly.nodes.size();
  std::vector<int> lead(count, -1), link_of(count, -1);
  for (std::size_t index = 0; index < assembly.links.size(); ++index) {
    const RigidLink& link = assembly.links[index];
    for (const int node : link.follow) {
      if (node == link.lead) continue;
      const auto n = static_cast<std::size_t>(node);
      if (lead[n] == link.lead) continue;
      if (lead[n] >= 0)
        refuse("joint " + link.joint,
               fmt::format("{} already follows in joint {}", assembly.describe_node(node),
                           assembly.links[static_cast<std::size_t>(link_of[n])].joint),
               "let a node follow one lead only, or link the two leads");
      lead[n] = link.lead;
      link_of[n] = static_cast<int>(index);
    }
  }
  std::vector<int> root(count);
  for (std::size_t node = 0; node < count; ++node) {
    auto at = static_cast<int>(node);
    std::size_t steps = 0;
    while (lead[static_cast<std::size_t>(at)] >= 0) {
      at = lead[static_cast<std::size_t>(at)];
      if (++steps > count)
        refuse("joint " + assembly.links[static_cast<std::size_t>(link_of[node])].joint, "its rigid links form a ring",
               "let one of its nodes lead all others");
    }
    root[node] = at;
  }
  for (const Base& base : assembly.bases)
    for (const Foot& foot : base.feet)
      if (root[static_cast<std::size_t>(foot.node)] != foot.node)
        refuse("base " + base.name,
               fmt::format("{} is held, but follows a rigid link", assembly.describe_node(foot.node)),
               "let the held node lead the link");
  return root;
}

TravelRows travel_of(const Assembly& assembly, const Spring& spring) {
  const auto position = [&](int node) { return node < 0 ? spring.point : assembly.position(node); };
  return travel_rows(spring.point, spring.axes, position(spring.nodes[0]), position(spring.nodes[1]));
}

}  // namespace

SpringMatrix spring_stiffness(const Assembly& assembly, const Spring& spring) {
  return spring_matrix(travel_of(assembly, spring), spring.stiffness);
}

SpringMatrix spring_dashpot(const Assembly& assembly, const Spring& spring) {
  return spring_matrix(travel_of(assembly, spring), spring.dashpot);
}

Numbering::Numbering(const Assembly& assembly)
    : assembly_(assembly), root_(resolve_links(assembly)), feet_(assembly.feet()) {
  for (const Base& base : assembly.bases)
    if (base.feet.empty())
      refuse("base " + base.name, "nothing is held by it",
             "name a place of at least one node, or let a spring lead to it");
  foot_.assign(assembly.nodes.size(), -1);
  for (std::size_t k = 0; k < feet_.size(); ++k) {
    int& own = foot_[static_cast<std::size_t>(feet_[k].second.node)];
    if (own >= 0)
      refuse("base " + assembly.bases[static_cast<std::size_t>(feet_[k].first)].name,
             fmt::format("{} is held twice", assembly.describe_node(feet_[k].second.node)), "let one base hold a node");
    own = static_cast<int>(k);
  }
  const std::vector<bool> rotations = find_rotations();
  column_.assign(assembly.nodes.size(), {-1, -1, -1, -1, -1, -1});
  for (std::size_t node = 0; node < assembly.nodes.size(); ++node) {
    first_.push_back(static_cast<int>(node_of_column.size()));
    if (root_[node] != static_cast<int>(node)) continue;
    for (std::size_t d = 0; d < (rotations[node] ? 6 : 3); ++d) {
      if (foot_[node] >= 0 && feet_[static_cast<std::size_t>(foot_[node])].second.holds[d]) continue;
      column_[node][d] = static_cast<int>(node_of_column.size());
      node_of_column.push_back(static_cast<int>(node));
      component_of_column.push_back(static_cast<int>(d));
    }
  }
  free = static_cast<int>(node_of_column.size());
  first_.push_back(free);
  supports = 6 * static_cast<int>(feet_.size());
}

std::vector<bool> Numbering::find_rotations() const {
  const std::size_t count = root_.size();
  std::vector<bool> solid(count), uses(count);
  const auto use = [&](int node) { uses[static_cast<std::size_t>(node)] = true; };
  for (const ElementGroup& group : assembly_.groups)
    for (const int node : group.nodes)
      if (group.kind->motions == 6)
        use(node);
      else
        solid[static_cast<std::size_t>(node)] = true;
  for (const BeamElement& beam : assembly_.beams)
    for (const int node : beam.nodes) use(node);
  for (const Spring& spring : assembly_.springs) {
    const SpringMatrix both = spring_stiffness(assembly_, spring) + spring_dashpot(assembly_, spring);
    const double straight = both.diagonal().cwiseAbs().maxCoeff() * same_spot * same_spot;
    for (int end = 0; end < 2; ++end)
      if (spring.nodes[static_cast<std::size_t>(end)] >= 0 &&
          both.block<3, 3>(6 * end + 3, 6 * end + 3).cwiseAbs().maxCoeff() > straight)
        use(spring.nodes[static_cast<std::size_t>(end)]);
  }
  for (const PointMass& mass : assembly_.masses)
    if (!mass.inertia.isZero(0) || !mass.offset.isZero(0)) use(mass.node);
  std::vector<bool> result(count);
  for (std::size_t node = 0; node < count; ++node) {
    const auto root = static_cast<std::size_t>(root_[node]);
    const bool arm = (assembly_.nodes[node].position - assembly_.nodes[root].position).norm() > same_spot;
    // What nothing but a link or a base touches keeps all six.
    if (uses[node] || arm || (root == node && !solid[node])) result[root] = true;
  }
  return result;
}

void Numbering::rows(int node, std::array<Row, 6>& out) const {
  for (Row& row : out) row.clear();
  const auto root = static_cast<std::size_t>(root_[static_cast<std::size_t>(node)]);
  const Matrix6 arm = rigid_arm(assembly_.nodes[root].position, assembly_.position(node));
  const Matrix6 from_base =
      foot_[root] < 0 ? Matrix6::Identity() : rigid_arm(base_point(foot_[root]), assembly_.nodes[root].position);
  for (int i = 0; i < 6; ++i) {
    Row& row = out[static_cast<std::size_t>(i)];
    Vector6 on_base = Vector6::Zero();
    for (int d = 0; d < 6; ++d) {
      if (arm(i, d) == 0) continue;
      const int column = column_[root][static_cast<std::size_t>(d)];
      if (column >= 0)
        row.emplace_back(column, arm(i, d));
      else if (foot_[root] >= 0)
        on_base += arm(i, d) * from_base.row(d).transpose();
    }
    for (int d = 0; d < 6; ++d)
      if (on_base[d] != 0) row.emplace_back(free + 6 * foot_[root] + d, on_base[d]);
  }
}

}  // namespace avrenk
