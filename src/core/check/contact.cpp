#include "core/check/contact.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/mesh/attach.h"
#include "core/mesh/select.h"
#include "core/mesh/spots.h"
#include "core/model/connections.h"

namespace avrenk {
namespace {

std::string name_of_part(const Assembly& assembly, int part) {
  return assembly.parts[static_cast<std::size_t>(part)].name;
}

std::string at_millimetres(const Vector3& x) {
  const auto clean = [](double v) { return std::abs(v) < 5e-7 ? 0.0 : 1e3 * v; };
  return fmt::format("({:.4g}, {:.4g}, {:.4g}) mm", clean(x.x()), clean(x.y()), clean(x.z()));
}

// Pairs of parts that share a node, or that a joint connects.
std::set<std::pair<int, int>> connected_parts(const Assembly& assembly, const std::vector<std::vector<int>>& parts) {
  std::set<std::pair<int, int>> pairs;
  const auto connect = [&](const std::vector<int>& nodes) {
    std::set<int> all;
    for (const int node : nodes)
      if (node >= 0)
        all.insert(parts[static_cast<std::size_t>(node)].begin(), parts[static_cast<std::size_t>(node)].end());
    for (const int a : all)
      for (const int b : all)
        if (a < b) pairs.emplace(a, b);
  };
  for (std::size_t n = 0; n < parts.size(); ++n)
    if (parts[n].size() > 1) connect({static_cast<int>(n)});
  for_each_connection(assembly, [&](const std::string&, const std::vector<int>& nodes) { connect(nodes); });
  return pairs;
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
  const std::vector<std::vector<int>> own = parts;
  const auto lend = [&](int from, int to) {
    if (!own[static_cast<std::size_t>(to)].empty()) return;
    for (const int part : own[static_cast<std::size_t>(from)]) add(to, part);
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
  Spots spots(coincident_part * box.diagonal().norm());
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
    Pair& pair = pairs[{low, high}];
    if (pair.count++ == 0) pair.first = node;
  }
  for (const auto& [parts, pair] : pairs) {
    const std::string a = name_of_part(assembly, parts.first), b = name_of_part(assembly, parts.second);
    const Vector3& at = assembly.position(pair.first);
    const bool same = parts.first == parts.second;
    findings.push_back(
        {Finding::Grade::warning, "part " + a,
         fmt::format("{} {} at the same spot{} and {} not joined, the first at {}",
                     same ? fmt::format("{} pairs of its nodes", pair.count) : fmt::format("{} nodes", pair.count),
                     pair.count == 1 && !same ? "lies" : "lie", same ? "" : " as nodes of " + b,
                     pair.count == 1 && !same ? "is" : "are", at_millimetres(at)),
         fmt::format("write joints: {{NAME: {{merge: {{parts: {}, within: 0.01 mm}}}}}}",
                     same ? a : fmt::format("[{}, {}]", a, b)),
         at});
  }
  return findings;
}

std::vector<Finding> open_gaps(const Assembly& assembly, const Surface& surface) {
  std::vector<Finding> findings;
  const std::vector<std::vector<int>> parts = parts_of_nodes(assembly);
  const auto connected = connected_parts(assembly, parts);
  std::vector<Eigen::AlignedBox3d> boxes(assembly.parts.size());
  std::vector<double> edge(assembly.parts.size(), 0);  // mean length of the edges of faces
  std::vector<int> edges(assembly.parts.size(), 0);
  for (const Surface::Face& face : surface.faces) {
    const auto p = static_cast<std::size_t>(face.part);
    edge[p] += std::sqrt(area_vector(assembly, face).norm());
    ++edges[p];
  }
  std::vector<std::vector<int>> nodes(assembly.parts.size());
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    if (edges[p] > 0) edge[p] /= edges[p];
    nodes[p] = edges[p] > 0 ? nodes_of_surface(assembly, surface, {static_cast<int>(p)}, std::nullopt, 0)
                            : nodes_of_part(assembly, assembly.parts[p].name);
    for (const int node : nodes[p]) boxes[p].extend(assembly.position(node));
  }
  // Of a line only its ends are meant to touch.
  std::vector<int> beams_at(assembly.nodes.size(), 0);
  for (const BeamElement& beam : assembly.beams)
    for (const int node : beam.nodes) ++beams_at[static_cast<std::size_t>(node)];
  std::set<std::pair<int, int>> told;
  for (int to = 0; to < static_cast<int>(assembly.parts.size()); ++to) {
    if (edges[static_cast<std::size_t>(to)] == 0) continue;
    std::optional<FaceSearch> search;
    for (int from = 0; from < static_cast<int>(assembly.parts.size()); ++from) {
      const auto pair = std::minmax(from, to);
      if (from == to || connected.contains(pair) || told.contains(pair)) continue;
      const auto f = static_cast<std::size_t>(from), t = static_cast<std::size_t>(to);
      const double half = 0.5 * (assembly.parts[f].thickness + assembly.parts[t].thickness), limit = 0.2 * edge[t],
                   reach = limit + half + std::abs(assembly.parts[t].offset);
      if (boxes[f].exteriorDistance(boxes[t]) > reach) continue;
      if (!search) search.emplace(assembly, surface, std::vector<int>{to});
      int count = 0, first = -1;
      double nearest = limit;
      for (const int node : nodes[f]) {
        if (assembly.parts[f].form == Part::Form::line && beams_at[static_cast<std::size_t>(node)] != 1) continue;
        const Vector3& x = assembly.position(node);
        if (boxes[t].exteriorDistance(x) > reach) continue;
        const double gap = gap_to_face(*search, search->nearest(x), x);
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
               at_millimetres(assembly.position(first))),
           fmt::format("if they are meant to touch, write joints: {{NAME: {{attach: {{part: {}, to: {}, within: {:.2g} "
                       "mm}}}}}}",
                       a, b, std::max(0.01, 1e3 * limit)),
           assembly.position(first)});
    }
  }
  return findings;
}

}  // namespace avrenk
