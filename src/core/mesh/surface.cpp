#include "core/mesh/surface.h"

#include <algorithm>
#include <cmath>

#include "core/element/kinds.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

const double fold = std::cos(30 * pi / 180);

// A face by its corners, whatever their order.
struct Keyed {
  std::array<int, 4> key{};
  std::size_t face = 0;
};

void drop_shared(std::vector<Surface::Face>& faces, std::size_t first) {
  std::vector<Keyed> keys;
  keys.reserve(faces.size() - first);
  for (std::size_t f = first; f < faces.size(); ++f) {
    Keyed keyed{{-1, -1, -1, -1}, f};
    std::copy_n(faces[f].nodes.begin(), faces[f].corners, keyed.key.begin());
    std::sort(keyed.key.begin(), keyed.key.end());
    keys.push_back(keyed);
  }
  std::sort(keys.begin(), keys.end(), [](const Keyed& a, const Keyed& b) { return a.key < b.key; });
  std::vector<bool> shared(faces.size());
  for (std::size_t k = 1; k < keys.size(); ++k)
    if (keys[k].key == keys[k - 1].key) shared[keys[k].face] = shared[keys[k - 1].face] = true;
  std::size_t kept = first;
  for (std::size_t f = first; f < faces.size(); ++f)
    if (!shared[f]) {
      if (kept != f) faces[kept] = std::move(faces[f]);
      ++kept;
    }
  faces.resize(kept);
}

struct Side {
  int low, high, part;
  std::size_t face;
};

}  // namespace

Vector3 area_vector(const Assembly& assembly, const Surface::Face& face) {
  const auto at = [&](std::size_t i) { return assembly.position(face.nodes[i]); };
  return 0.5 * (face.corners == 4 ? Vector3((at(2) - at(0)).cross(at(3) - at(1)))
                                  : Vector3((at(1) - at(0)).cross(at(2) - at(0))));
}

Surface surface_of(const Assembly& assembly) {
  Surface surface;
  for (std::size_t part = 0; part < assembly.parts.size(); ++part) {
    const std::size_t before = surface.faces.size();
    for (std::size_t g = 0; g < assembly.groups.size(); ++g) {
      const ElementGroup& group = assembly.groups[g];
      if (group.part != static_cast<int>(part)) continue;
      for (std::size_t e = 0; e < group.elements(); ++e) {
        const std::span<const int> nodes = group.element(e);
        for (const std::vector<int>& local : group.kind->faces) {
          Surface::Face face;
          face.part = group.part;
          face.group = g;
          face.element = e;
          face.local = &local;
          face.corners = static_cast<int>(group.kind->corners_of(local));
          for (const int i : local) face.nodes.push_back(nodes[static_cast<std::size_t>(i)]);
          surface.faces.push_back(std::move(face));
        }
      }
    }
    if (assembly.parts[part].form == Part::Form::solid) drop_shared(surface.faces, before);
  }
  std::vector<Side> sides;
  std::vector<Vector3> normals;
  for (std::size_t f = 0; f < surface.faces.size(); ++f) {
    const Surface::Face& face = surface.faces[f];
    normals.push_back(area_vector(assembly, face).normalized());
    for (std::size_t i = 0; i < static_cast<std::size_t>(face.corners); ++i) {
      const int a = face.nodes[i], b = face.nodes[(i + 1) % static_cast<std::size_t>(face.corners)];
      sides.push_back({std::min(a, b), std::max(a, b), face.part, f});
    }
  }
  const auto key = [](const Side& side) { return std::tuple(side.part, side.low, side.high); };
  std::stable_sort(sides.begin(), sides.end(), [&](const Side& a, const Side& b) { return key(a) < key(b); });
  for (std::size_t first = 0; first < sides.size();) {
    std::size_t last = first + 1;
    while (last < sides.size() && key(sides[last]) == key(sides[first])) ++last;
    // Neighbouring shells may be numbered either way round.
    const bool smooth =
        last - first == 2 && std::abs(normals[sides[first].face].dot(normals[sides[first + 1].face])) >= fold;
    if (!smooth) surface.feature_edges.push_back({sides[first].low, sides[first].high, sides[first].part});
    first = last;
  }
  return surface;
}

ShellSides shell_sides(const Assembly& assembly, const Surface& surface, const std::function<bool(int part)>& asked) {
  ShellSides sides;
  for (const Surface::Face& face : surface.faces) {
    const Part& part = assembly.parts[static_cast<std::size_t>(face.part)];
    if (part.form != Part::Form::shell || !asked(face.part)) continue;
    const Vector3 area = area_vector(assembly, face);
    for (const int node : face.nodes) {
      ShellSide& side = sides[node];
      side.normal += side.normal.dot(area) < 0 ? Vector3(-area) : area;
      side.half = std::max(side.half, 0.5 * part.thickness);
    }
  }
  for (auto& [node, side] : sides) side.normal.normalize();
  return sides;
}

}  // namespace avrenk
