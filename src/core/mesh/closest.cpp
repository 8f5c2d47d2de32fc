#include "core/mesh/closest.h"

#include <algorithm>

#include "core/mesh/attach.h"

namespace avrenk {

Closest closest_part(const Assembly& assembly, const std::vector<int>& nodes, const std::vector<bool>& skip) {
  Closest best;
  best.distance = std::numeric_limits<double>::infinity();
  std::vector<int> with_faces;
  for (std::size_t p = 0; p < assembly.parts.size(); ++p)
    if (!skip[p] && assembly.parts[p].form != Part::Form::line) with_faces.push_back(static_cast<int>(p));
  std::vector<std::pair<int, int>> line_nodes;  // and their parts
  for (const BeamElement& beam : assembly.beams)
    if (!skip[static_cast<std::size_t>(beam.part)])
      for (const int node : beam.nodes) line_nodes.emplace_back(node, beam.part);
  const Surface surface = surface_of(assembly);
  const FaceSearch search(assembly, surface, with_faces);
  const auto sides = shell_sides(assembly, surface, [](int) { return true; });
  constexpr std::size_t enough = 2000;
  const std::size_t step = std::max<std::size_t>(1, nodes.size() / enough);
  for (std::size_t i = 0; i < nodes.size(); i += step) {
    const Vector3& x = assembly.position(nodes[i]);
    const auto better = [&](double distance) { return distance < best.distance * (1 - 1e-9); };
    if (!search.empty()) {
      const FacePoint point = search.nearest(x);
      if (const double gap = gap_to_face(search, point, x, sides.of(nodes[i])); better(gap))
        best = {nodes[i], search.face(point).part, true, gap};
    }
    for (const auto& [node, part] : line_nodes)
      if (const double distance = (assembly.position(node) - x).norm(); better(distance))
        best = {nodes[i], part, false, distance};
  }
  return best;
}

}  // namespace avrenk
