#include "core/mesh/mesh.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/element/kinds.h"
#include "core/error.h"

namespace avrenk {
namespace {

constexpr double spot_part = 1e-6;  // of the size of a mesh

double extent_of(const std::vector<Vector3>& points) {
  Eigen::AlignedBox3d box;
  for (const Vector3& point : points) box.extend(point);
  return box.diagonal().norm();
}

// The nodes of a cell in the order of its mirror image.
void append_image(const ElementKind& kind, std::span<const int> nodes, std::vector<int>& out) {
  for (const int i : kind.image_order) out.push_back(nodes[static_cast<std::size_t>(i)]);
}

}  // namespace

void Mesh::add(const ElementKind& kind, std::span<const int> nodes) {
  auto found = std::find_if(cells.begin(), cells.end(), [&](const Cells& each) { return each.kind == &kind; });
  if (found == cells.end()) found = cells.insert(cells.end(), {&kind, {}});
  found->nodes.insert(found->nodes.end(), nodes.begin(), nodes.end());
}

std::vector<Placement> with_mirror_images(std::vector<Placement> placements, const std::array<bool, 3>& mirror) {
  for (int axis = 0; axis < 3; ++axis) {
    if (!mirror[static_cast<std::size_t>(axis)]) continue;
    Placement image;
    image.rotation(axis, axis) = -1;
    const std::size_t originals = placements.size();
    for (std::size_t i = 0; i < originals; ++i) placements.push_back(image.after(placements[i]));
  }
  return placements;
}

void refuse_too_many(double count, double most, const std::string& what) {
  if (!(count <= most))
    throw_input_error("", fmt::format("it would have {:.3g} {}, more than {:.3g}", count, what, most),
                      "make the elements larger, or fewer of it");
}

void add_mesh(Assembly& assembly, int part, const Mesh& mesh, const std::vector<Placement>& placements) {
  refuse_too_many(static_cast<double>(mesh.points.size()) * static_cast<double>(placements.size()), most_nodes,
                  "nodes");
  PointMerger spots(std::max(spot_part * extent_of(mesh.points), 1e-300));
  const std::string& name = assembly.parts[static_cast<std::size_t>(part)].name;
  std::vector<bool> used(mesh.points.size());
  for (const Mesh::Cells& cells : mesh.cells)
    for (const int node : cells.nodes) used[static_cast<std::size_t>(node)] = true;
  for (const Placement& placement : placements) {
    std::vector<int> node(mesh.points.size(), -1);
    bool fresh = false;
    for (std::size_t p = 0; p < mesh.points.size(); ++p) {
      if (!used[p]) continue;
      const Vector3 at = placement(mesh.points[p]);
      node[p] = spots.find(at);
      if (node[p] >= 0) continue;
      fresh = true;
      node[p] = static_cast<int>(assembly.nodes.size());
      assembly.nodes.push_back({at, name});
      spots.add(at, node[p]);
    }
    if (!fresh) continue;
    for (const Mesh::Cells& cells : mesh.cells) {
      ElementGroup group{part, cells.kind, {}, placement.rotation};
      group.nodes.reserve(cells.nodes.size());
      std::vector<int> nodes(static_cast<std::size_t>(cells.kind->nodes));
      for (std::size_t at = 0; at < cells.nodes.size(); at += nodes.size()) {
        for (std::size_t i = 0; i < nodes.size(); ++i) nodes[i] = node[static_cast<std::size_t>(cells.nodes[at + i])];
        if (placement.is_image())
          append_image(*cells.kind, nodes, group.nodes);
        else
          group.nodes.insert(group.nodes.end(), nodes.begin(), nodes.end());
      }
      assembly.groups.push_back(std::move(group));
    }
  }
}

void add_cells(Assembly& assembly, int part, const Mesh& mesh, const std::vector<std::vector<int>>& cells,
               const Placement& placement, std::vector<int>& nodes) {
  const std::string& name = assembly.parts[static_cast<std::size_t>(part)].name;
  for (std::size_t k = 0; k < cells.size(); ++k) {
    if (cells[k].empty()) continue;
    const Mesh::Cells& listed = mesh.cells[k];
    const auto count = static_cast<std::size_t>(listed.kind->nodes);
    ElementGroup group{part, listed.kind, {}, placement.rotation};
    group.nodes.reserve(cells[k].size() * count);
    std::vector<int> corners(count);
    for (const int cell : cells[k]) {
      for (std::size_t i = 0; i < count; ++i) {
        const auto point = static_cast<std::size_t>(listed.nodes[static_cast<std::size_t>(cell) * count + i]);
        if (nodes[point] < 0) {
          nodes[point] = static_cast<int>(assembly.nodes.size());
          assembly.nodes.push_back({placement(mesh.points[point]), name});
        }
        corners[i] = nodes[point];
      }
      if (placement.is_image())
        append_image(*listed.kind, corners, group.nodes);
      else
        group.nodes.insert(group.nodes.end(), corners.begin(), corners.end());
    }
    assembly.groups.push_back(std::move(group));
  }
}

int turn_inverted(Mesh& mesh) {
  int turned = 0;
  for (Mesh::Cells& cells : mesh.cells) {
    if (cells.kind->is_shell()) continue;
    const auto count = static_cast<std::size_t>(cells.kind->nodes);
    SolidBlock block;
    block.shape = cells.kind->shape;
    block.coordinates.resize(3, cells.kind->nodes);
    std::vector<int> image;
    for (std::size_t at = 0; at < cells.nodes.size(); at += count) {
      const std::span<int> corners = std::span(cells.nodes).subspan(at, count);
      const auto take = [&](std::span<const int> nodes) {
        for (std::size_t i = 0; i < count; ++i)
          block.coordinates.col(static_cast<Eigen::Index>(i)) = mesh.points[static_cast<std::size_t>(nodes[i])];
      };
      take(corners);
      if (solid_jacobian_ratio(block, 0) > 0) continue;
      image.clear();
      append_image(*cells.kind, corners, image);
      take(image);
      if (!(solid_jacobian_ratio(block, 0) > 0)) continue;
      std::copy(image.begin(), image.end(), corners.begin());
      ++turned;
    }
  }
  return turned;
}

void add_ribs(Assembly& assembly, int part, int on, const std::vector<Rib>& ribs, double height,
              const Vector3& direction, int divisions) {
  std::vector<bool> is_used(assembly.nodes.size());
  for (const ElementGroup& group : assembly.groups)
    if (group.part == on)
      for (const int node : group.nodes) is_used[static_cast<std::size_t>(node)] = true;
  const std::string name = assembly.parts[static_cast<std::size_t>(part)].name;
  PointMerger spots(spot_part * std::max(height, 1e-300));
  ElementGroup group{part, &shell_kind(4), {}};
  for (const Rib& rib : ribs) {
    const Vector3 along = rib.to - rib.from;
    const double length = along.norm();
    std::vector<std::pair<double, int>> line;  // where along it, and the node
    for (std::size_t n = 0; n < is_used.size(); ++n) {
      if (!is_used[n]) continue;
      const Vector3 from = assembly.nodes[n].position - rib.from;
      const double s = from.dot(along) / (length * length);
      if (s >= -spot_part && s <= 1 + spot_part && (from - s * along).norm() <= 1e-5 * length)
        line.emplace_back(s, static_cast<int>(n));
    }
    std::sort(line.begin(), line.end());
    const auto covers = [&] { return line.front().first <= 1e-5 && line.back().first >= 1 - 1e-5; };
    if (line.size() < 2 || !covers())
      throw InputError(Problem{
          "part " + name,
          fmt::format("{} nodes of {} lie on the line from ({:.5g}, {:.5g}, {:.5g}) to ({:.5g}, {:.5g}, {:.5g}) mm{}",
                      line.size(), assembly.parts[static_cast<std::size_t>(on)].name, 1e3 * rib.from.x(),
                      1e3 * rib.from.y(), 1e3 * rib.from.z(), 1e3 * rib.to.x(), 1e3 * rib.to.y(), 1e3 * rib.to.z(),
                      line.size() < 2 ? "" : ", none at its ends"),
          "let the mesh of that part have a line of nodes there", std::nullopt});
    std::vector<int> above;
    for (int j = 0; j <= divisions; ++j) {
      std::vector<int> row;
      for (const auto& [s, node] : line) {
        if (j == 0) {
          row.push_back(node);
          continue;
        }
        const Vector3 at = assembly.position(node) + direction * (height * j / divisions);
        int found = spots.find(at);
        if (found < 0) {
          found = static_cast<int>(assembly.nodes.size());
          assembly.nodes.push_back({at, name});
          spots.add(at, found);
        }
        row.push_back(found);
      }
      for (std::size_t i = 1; j > 0 && i < row.size(); ++i)
        for (const int node : {above[i - 1], above[i], row[i], row[i - 1]}) group.nodes.push_back(node);
      above = std::move(row);
    }
  }
  assembly.groups.push_back(std::move(group));
}

}  // namespace avrenk
