#include "core/check/contact.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/mesh/attach.h"
#include "core/mesh/point_merger.h"
#include "core/mesh/select.h"
#include "core/model/connections.h"

namespace avrenk {
namespace {

std::string name_of_part(const Assembly& assembly, int part) {
  return assembly.parts[static_cast<std::size_t>(part)].name;
}

// The parts of some nodes, the ground left out.
std::set<int> parts_at(const std::vector<int>& nodes, const std::vector<std::vector<int>>& parts) {
  std::set<int> all;
  for (const int node : nodes)
    if (node >= 0)
      all.insert(parts[static_cast<std::size_t>(node)].begin(), parts[static_cast<std::size_t>(node)].end());
  return all;
}

// Pairs of parts that share a node, or that a joint connects.
std::set<std::pair<int, int>> connected_parts(const Assembly& assembly, const std::vector<std::vector<int>>& parts) {
  std::set<std::pair<int, int>> pairs;
  const auto connect = [&](const std::vector<int>& nodes) {
    const std::set<int> all = parts_at(nodes, parts);
    for (const int a : all)
      for (const int b : all)
        if (a < b) pairs.emplace(a, b);
  };
  for (std::size_t n = 0; n < parts.size(); ++n)
    if (parts[n].size() > 1) connect({static_cast<int>(n)});
  for_each_connection(assembly, [&](const std::string&, const std::vector<int>& nodes) { connect(nodes); });
  return pairs;
}

// For each node the parts that a joint leads to from there, its own among them.
std::vector<std::set<int>> linked_parts(const Assembly& assembly, const std::vector<std::vector<int>>& parts) {
  std::vector<std::set<int>> linked(parts.size());
  for_each_connection(assembly, [&](const std::string&, const std::vector<int>& nodes) {
    const std::set<int> all = parts_at(nodes, parts);
    for (const int node : nodes)
      if (node >= 0) linked[static_cast<std::size_t>(node)].insert(all.begin(), all.end());
  });
  return linked;
}

// What of each part may touch another: nodes of its surface or its lines, the box around them, and how long its edges
// are.
struct Outside {
  std::vector<int> nodes;
  Eigen::AlignedBox3d box;
  double edge = 0;  // m, mean over the faces; 0: it has none
};
std::vector<Outside> outsides(const Assembly& assembly, const Surface& surface) {
  std::vector<Outside> outsides(assembly.parts.size());
  std::vector<int> edges(assembly.parts.size(), 0);
  for (const Surface::Face& face : surface.faces) {
    const auto p = static_cast<std::size_t>(face.part);
    outsides[p].edge += std::sqrt(area_vector(assembly, face).norm());
    ++edges[p];
  }
  for (std::size_t p = 0; p < outsides.size(); ++p) {
    if (edges[p] > 0) outsides[p].edge /= edges[p];
    outsides[p].nodes = edges[p] > 0 ? nodes_of_surface(assembly, surface, {static_cast<int>(p)}, std::nullopt, 0)
                                     : nodes_of_part(assembly, assembly.parts[p].name);
    for (const int node : outsides[p].nodes) outsides[p].box.extend(assembly.position(node));
  }
  return outsides;
}

}  // namespace

std::vector<std::vector<int>> parts_of_nodes(const Assembly& assembly) {
  std::vector<std::vector<int>> parts(assembly.nodes.size());
  const auto add = [&](int node, int part) {
    std::vector<int>& own = parts[static_cast<std::size_t>(node)];
    const auto place = std::lower_bound(own.begin(), own.end(), part);
    if (place == own.end() || *place != part) own.insert(place, part);
  };
  for (const BeamElement& beam : assembly.beams)
    for (const int node : beam.nodes) add(node, beam.part);
  for (const ElementGroup& group : assembly.groups)
    for (const int node : group.nodes) add(node, group.part);
  for (const Component& component : assembly.components)
    for (const int node : component.nodes) add(node, component.part);
  const std::vector<std::vector<int>> by_node = parts;
  const auto lend = [&](int from, int to) {
    if (!by_node[static_cast<std::size_t>(to)].empty()) return;
    for (const int part : by_node[static_cast<std::size_t>(from)]) add(to, part);
  };
  for (const RigidLink& link : assembly.links)
    for (const int node : link.follow) {
      lend(link.lead, node);
      lend(node, link.lead);
    }
  for (const Follower& follower : assembly.followers)
    for (const int lead : follower.leads) {
      lend(lead, follower.node);
      lend(follower.node, lead);
    }
  return parts;
}

std::vector<Finding> unjoined_nodes(const Assembly& assembly) {
  Eigen::AlignedBox3d box;
  for (const Node& node : assembly.nodes) box.extend(node.position);
  std::vector<Finding> findings;
  if (assembly.nodes.empty() || box.diagonal().norm() == 0) return findings;
  std::vector<int> part_of(assembly.nodes.size(), -1);
  for (const BeamElement& beam : assembly.beams)
    for (const int node : beam.nodes) part_of[static_cast<std::size_t>(node)] = beam.part;
  for (const ElementGroup& group : assembly.groups)
    for (const int node : group.nodes) part_of[static_cast<std::size_t>(node)] = group.part;
  NodeSets joined(assembly.nodes.size());
  for_each_connection(assembly, [&](const std::string&, const std::vector<int>& nodes) {
    if (nodes[1] >= 0) joined.join(nodes);  // what leads to the ground joins no parts
  });
  // A joint may hold a node on the other part without the node of that part at the same spot.
  const std::vector<std::set<int>> linked = linked_parts(assembly, parts_of_nodes(assembly));
  PointMerger spots(coincident_part * box.diagonal().norm());
  struct Pair {
    int count = 0;
    int first = -1;
  };
  std::map<std::pair<int, int>, Pair> pairs;
  for (int node = 0; node < static_cast<int>(part_of.size()); ++node) {
    const int part = part_of[static_cast<std::size_t>(node)];
    if (part < 0) continue;
    const Vector3& at = assembly.position(node);
    const int other = spots.find(at);
    if (other < 0) {
      spots.add(at, node);
      continue;
    }
    if (joined.of(other) == joined.of(node)) continue;
    const auto [low, high] = std::minmax(part, part_of[static_cast<std::size_t>(other)]);
    const auto leads = [&](int from, int to) { return linked[static_cast<std::size_t>(from)].contains(to); };
    if (low != high && (leads(node, part_of[static_cast<std::size_t>(other)]) || leads(other, part))) continue;
    Pair& pair = pairs[{low, high}];
    if (pair.count++ == 0) pair.first = node;
  }
  for (const auto& [parts, pair] : pairs) {
    const std::string a = name_of_part(assembly, parts.first), b = name_of_part(assembly, parts.second);
    const Vector3& at = assembly.position(pair.first);
    const bool same = parts.first == parts.second;
    findings.push_back({Finding::Grade::warning, "part " + a,
                        fmt::format("{} {} at the same spot{} and {} not joined, the first at {}",
                                    same ? fmt::format("{} pairs of its nodes", pair.count)
                                         : fmt::format("{} node{}", pair.count, pair.count == 1 ? "" : "s"),
                                    pair.count == 1 && !same ? "lies" : "lie", same ? "" : " as nodes of " + b,
                                    pair.count == 1 && !same ? "is" : "are", assembly.describe_position(at)),
                        same ? fmt::format("merge {} with itself within 0.01 mm", a)
                             : fmt::format("merge {} and {} within 0.01 mm", a, b),
                        at});
  }
  return findings;
}

std::vector<Finding> open_gaps(const Assembly& assembly, const Surface& surface) {
  std::vector<Finding> findings;
  const std::vector<std::vector<int>> parts = parts_of_nodes(assembly);
  const auto connected = connected_parts(assembly, parts);
  const std::vector<Outside> outside = outsides(assembly, surface);
  // Of a line only its ends are meant to touch.
  std::vector<int> beams_at(assembly.nodes.size(), 0);
  for (const BeamElement& beam : assembly.beams)
    for (const int node : beam.nodes) ++beams_at[static_cast<std::size_t>(node)];
  std::vector<ShellSides> sides(assembly.parts.size());  // of those that come near another
  std::set<std::pair<int, int>> told;
  for (int to = 0; to < static_cast<int>(assembly.parts.size()); ++to) {
    if (outside[static_cast<std::size_t>(to)].edge == 0) continue;
    std::optional<FaceSearch> search;
    for (int from = 0; from < static_cast<int>(assembly.parts.size()); ++from) {
      const auto pair = std::minmax(from, to);
      if (from == to || connected.contains(pair) || told.contains(pair)) continue;
      const auto f = static_cast<std::size_t>(from), t = static_cast<std::size_t>(to);
      const double half = 0.5 * (assembly.parts[f].thickness + assembly.parts[t].thickness),
                   limit = 0.2 * outside[t].edge, reach = limit + half + std::abs(assembly.parts[t].offset);
      if (outside[f].box.exteriorDistance(outside[t].box) > reach) continue;
      if (!search) search.emplace(assembly, surface, std::vector<int>{to});
      if (sides[f].empty()) sides[f] = shell_sides(assembly, surface, [&](int part) { return part == from; });
      int count = 0, first = -1;
      double nearest = limit;
      for (const int node : outside[f].nodes) {
        if (assembly.parts[f].form == Part::Form::line && beams_at[static_cast<std::size_t>(node)] != 1) continue;
        const Vector3& x = assembly.position(node);
        if (outside[t].box.exteriorDistance(x) > reach) continue;
        const double gap = gap_to_face(*search, search->nearest(x), x, sides[f].of(node));
        if (gap > limit) continue;
        ++count;
        if (first < 0 || gap < nearest * (1 - 1e-9)) {
          nearest = gap;
          first = node;
        }
      }
      if (count == 0) continue;
      told.insert(pair);
      const std::string a = name_of_part(assembly, from), b = name_of_part(assembly, to);
      findings.push_back(
          {Finding::Grade::warning, "part " + a,
           fmt::format(
               "{} of its nodes {} within {:.3g} mm of {}, the nearest {:.3g} mm at {}, and no joint connects the "
               "two",
               count, count == 1 ? "lies" : "lie", 1e3 * limit, b, 1e3 * nearest,
               assembly.describe_position(assembly.position(first))),
           fmt::format("if they are meant to touch, attach {} to {} within {:.2g} mm", a, b,
                       std::max(0.01, 1e3 * limit)),
           assembly.position(first)});
    }
  }
  return findings;
}

std::vector<Finding> half_joined(const Assembly& assembly, const Surface& surface) {
  constexpr double on_face = 1e-3;  // of an edge of the face: nearer than any gap that is meant
  const std::vector<std::vector<int>> parts = parts_of_nodes(assembly);
  const std::vector<Outside> outside = outsides(assembly, surface);
  const std::vector<std::set<int>> linked = linked_parts(assembly, parts);  // by a joint of another kind
  std::map<std::pair<int, int>, std::vector<int>> joined;
  for (std::size_t n = 0; n < parts.size(); ++n)
    for (const int a : parts[n])
      for (const int b : parts[n])
        if (a < b) joined[{a, b}].push_back(static_cast<int>(n));
  std::vector<Finding> findings;
  for (const auto& [pair, nodes] : joined) {
    Eigen::AlignedBox3d between;
    for (const int node : nodes) between.extend(assembly.position(node));
    std::map<int, std::vector<int>> loose;  // of each of the two parts
    for (const auto& [from, to] : {pair, std::pair(pair.second, pair.first)}) {
      const Outside &first = outside[static_cast<std::size_t>(from)], &other = outside[static_cast<std::size_t>(to)];
      if (other.edge == 0) continue;
      const double tolerance = on_face * other.edge;
      std::optional<FaceSearch> search;
      for (const int node : first.nodes) {
        const std::vector<int>& of = parts[static_cast<std::size_t>(node)];
        const Vector3& x = assembly.position(node);
        if (std::binary_search(of.begin(), of.end(), to) || linked[static_cast<std::size_t>(node)].contains(to))
          continue;
        if (between.exteriorDistance(x) > tolerance) continue;
        if (!search) search.emplace(assembly, surface, std::vector<int>{to});
        if (search->nearest(x).distance <= tolerance) loose[from].push_back(node);
      }
    }
    if (loose.empty()) continue;
    const std::string a = name_of_part(assembly, pair.first), b = name_of_part(assembly, pair.second);
    std::string counts;
    for (const auto& [part, own] : loose)
      counts += fmt::format("{}{} of {}", counts.empty() ? "" : " and ", own.size(), name_of_part(assembly, part));
    const int first = loose.begin()->second.front();
    findings.push_back(
        {Finding::Grade::warning, "part " + a,
         fmt::format("it is joined to {} at {} nodes, but {} that lie on the other between those pass no force, the "
                     "first at {}",
                     b, nodes.size(), counts, assembly.describe_position(assembly.position(first))),
         fmt::format(
             "give both the same divisions along their seam, or in place of the joint attach {} to {} within {:.2g} mm",
             a, b, std::max(0.01, 1e3 * on_face * outside[static_cast<std::size_t>(pair.second)].edge)),
         assembly.position(first)});
  }
  return findings;
}

}  // namespace avrenk
