#include "core/mesh/average.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/mesh/footprint.h"

namespace avrenk {

void add_average(Assembly& assembly, const std::string& joint, int node, const std::vector<int>& of,
                 const std::vector<double>& weights) {
  std::vector<Vector3> points;
  points.reserve(of.size());
  std::vector<Mixture> motions;
  Vector3 centre = Vector3::Zero();
  for (const int lead : of) {
    points.push_back(assembly.position(lead));
    motions.push_back({{lead, Matrix6::Identity()}});
    centre += points.back() / static_cast<double>(of.size());
  }
  const Mixture mixture = best_fit(points, motions, weights, assembly.position(node));
  if (mixture.empty())
    throw_input_error(
        "joint " + joint,
        fmt::format("the {} nodes that carry {} lie on one line, and turning about it would not be carried", of.size(),
                    assembly.describe_node(node)),
        "name a place of three nodes or more that do not lie on a line");
  assembly.followers.push_back(
      follower_of(joint, Joint::Type::average, node, mixture, (centre - assembly.position(node)).norm(), 0));
}

std::vector<double> tributary_areas(const Assembly& assembly, const Surface& surface, const std::vector<int>& nodes) {
  std::map<int, double> area;
  for (const int node : nodes) area[node] = 0;
  for (const Surface::Face& face : surface.faces) {
    if (!std::all_of(face.nodes.begin(), face.nodes.end(), [&](int n) { return area.contains(n); })) continue;
    const double share = area_vector(assembly, face).norm() / face.corners;
    for (std::size_t i = 0; i < static_cast<std::size_t>(face.corners); ++i) area[face.nodes[i]] += share;
  }
  std::vector<double> result;
  result.reserve(nodes.size());
  for (const int node : nodes) result.push_back(area[node]);
  return result;
}

}  // namespace avrenk
