#include "core/mesh/line.h"

#include <cmath>
#include <map>

#include "core/quantity/quantity.h"

namespace avrenk {

Vector3 default_up(const Vector3& from, const Vector3& to) {
  const Vector3 along = (to - from).normalized();
  return std::abs(along.z()) > std::cos(pi / 180) ? Vector3::UnitY() : Vector3::UnitZ();
}

std::vector<Line> with_mirror_images(std::vector<Line> lines, const std::array<bool, 3>& mirror) {
  for (int axis = 0; axis < 3; ++axis) {
    if (!mirror[static_cast<std::size_t>(axis)]) continue;
    const std::size_t originals = lines.size();
    for (std::size_t i = 0; i < originals; ++i) {
      Line image = lines[i];
      for (Vector3* vector : {&image.from, &image.to, &image.up}) (*vector)[axis] *= -1;
      const double spot = 1e-6 * (image.to - image.from).norm();
      const auto joins = [&](const Vector3& from, const Vector3& to) {
        return (image.from - from).norm() <= spot && (image.to - to).norm() <= spot;
      };
      if (!joins(lines[i].from, lines[i].to) && !joins(lines[i].to, lines[i].from)) lines.push_back(image);
    }
  }
  return lines;
}

void mesh_lines(Assembly& assembly, int part, const std::vector<Line>& lines) {
  Eigen::AlignedBox3d box;
  for (const Line& line : lines) {
    box.extend(line.from);
    box.extend(line.to);
  }
  const double spot = 1e-6 * box.diagonal().norm();
  // Cells of a grid twice as wide as a spot: a node is looked for in its own cell and the neighbours.
  std::map<std::array<long long, 3>, std::vector<int>> cells;
  const auto cell_of = [&](const Vector3& at) {
    std::array<long long, 3> cell{};
    for (int axis = 0; axis < 3; ++axis)
      cell[static_cast<std::size_t>(axis)] = std::llround((at[axis] - box.min()[axis]) / (2 * spot));
    return cell;
  };
  const auto node_at = [&](const Vector3& at) {
    const auto centre = cell_of(at);
    for (long long x = -1; x <= 1; ++x)
      for (long long y = -1; y <= 1; ++y)
        for (long long z = -1; z <= 1; ++z) {
          const auto found = cells.find({centre[0] + x, centre[1] + y, centre[2] + z});
          if (found == cells.end()) continue;
          for (const int node : found->second)
            if ((assembly.nodes[static_cast<std::size_t>(node)].position - at).norm() <= spot) return node;
        }
    const auto fresh = static_cast<int>(assembly.nodes.size());
    assembly.nodes.push_back({at, assembly.parts[static_cast<std::size_t>(part)].name});
    cells[centre].push_back(fresh);
    return fresh;
  };
  for (const Line& line : lines) {
    int before = node_at(line.from);
    for (int i = 1; i <= line.divisions; ++i) {
      const double s = static_cast<double>(i) / line.divisions;
      const int node = node_at((1 - s) * line.from + s * line.to);
      assembly.beams.push_back({{before, node},
                                part,
                                {assembly.nodes[static_cast<std::size_t>(before)].position,
                                 assembly.nodes[static_cast<std::size_t>(node)].position, line.up}});
      before = node;
    }
  }
}

}  // namespace avrenk
