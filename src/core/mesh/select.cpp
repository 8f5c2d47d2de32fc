#include "core/mesh/select.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

namespace avrenk {
std::vector<int> nodes_of_part(const Assembly& assembly, const std::string& part) {
  std::vector<bool> is_used(assembly.nodes.size());
  for (std::size_t node = 0; node < is_used.size(); ++node)
    is_used[node] = part.empty() && assembly.nodes[node].is_place();
  for (std::size_t p = 0; p < assembly.parts.size(); ++p) {
    if (assembly.parts[p].name != part) continue;
    for (const BeamElement& beam : assembly.beams)
      if (beam.part == static_cast<int>(p))
        for (const int node : beam.nodes) is_used[static_cast<std::size_t>(node)] = true;
    for (const ElementGroup& group : assembly.groups)
      if (group.part == static_cast<int>(p))
        for (const int node : group.nodes) is_used[static_cast<std::size_t>(node)] = true;
    for (const Component& component : assembly.components)
      for (int i = 0; component.part == static_cast<int>(p) && i < component.interface; ++i)
        is_used[static_cast<std::size_t>(component.nodes[static_cast<std::size_t>(i)])] = true;
  }
  std::vector<int> nodes;
  for (std::size_t node = 0; node < is_used.size(); ++node)
    if (is_used[node]) nodes.push_back(static_cast<int>(node));
  return nodes;
}

std::vector<int> nodes_in_plane(const Assembly& assembly, const std::vector<int>& among, const Vector3& through,
                                const Vector3& normal, double tolerance) {
  std::vector<int> found;
  for (const int node : among)
    if (std::abs((assembly.position(node) - through).dot(normal)) <= tolerance) found.push_back(node);
  return found;
}

std::vector<int> nodes_in_cylinder(const Assembly& assembly, const std::vector<int>& among, const Vector3& through,
                                   const Vector3& axis, double inner, double outer, double tolerance) {
  std::vector<int> found;
  for (const int node : among) {
    const double radius = (assembly.position(node) - through).cross(axis).norm();
    if (radius >= inner - tolerance && radius <= outer + tolerance) found.push_back(node);
  }
  return found;
}

std::vector<int> nodes_of_surface(const Assembly& assembly, const Surface& surface, const std::vector<int>& parts,
                                  const std::optional<Vector3>& direction, double within) {
  std::set<int> found;
  for (const Surface::Face& face : surface.faces) {
    if (std::find(parts.begin(), parts.end(), face.part) == parts.end()) continue;
    if (direction) {
      const double along = area_vector(assembly, face).normalized().dot(*direction);
      const bool shell = assembly.parts[static_cast<std::size_t>(face.part)].form == Part::Form::shell;
      if ((shell ? std::abs(along) : along) < std::cos(within)) continue;
    }
    found.insert(face.nodes.begin(), face.nodes.end());
  }
  return {found.begin(), found.end()};
}

std::vector<int> nodes_in_box(const Assembly& assembly, const std::vector<int>& among, const Vector3& from,
                              const Vector3& to, double tolerance) {
  const Eigen::AlignedBox3d box((from.cwiseMin(to).array() - tolerance).matrix(),
                                (from.cwiseMax(to).array() + tolerance).matrix());
  std::vector<int> found;
  for (const int node : among)
    if (box.contains(assembly.position(node))) found.push_back(node);
  return found;
}

std::pair<int, double> nearest_node(const Assembly& assembly, const std::vector<int>& among, const Vector3& at) {
  std::pair<int, double> nearest{-1, std::numeric_limits<double>::infinity()};
  for (const int node : among) {
    const double distance = (assembly.position(node) - at).norm();
    if (distance < nearest.second * (1 - 1e-12)) nearest = {node, distance};
  }
  return nearest;
}

}  // namespace avrenk
