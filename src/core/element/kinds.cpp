#include "core/element/kinds.h"

#include <array>

namespace avrenk {
namespace {

using Eigen::Index;
using Family = ElementKind::Family;

// A face of corners only, or with the middle of each of its edges; `edges` lists the edges of the whole element in the
// order of their middle nodes.
std::vector<std::vector<int>> with_middles(std::vector<std::vector<int>> faces, int corners,
                                           std::span<const std::array<int, 2>> edges) {
  for (std::vector<int>& face : faces) {
    const std::size_t sides = face.size();
    for (std::size_t i = 0; i < sides; ++i) {
      const int a = face[i], b = face[(i + 1) % sides];
      for (std::size_t e = 0; e < edges.size(); ++e)
        if ((edges[e][0] == a && edges[e][1] == b) || (edges[e][0] == b && edges[e][1] == a))
          face.push_back(corners + static_cast<int>(e));
    }
  }
  return faces;
}

const std::vector<std::vector<int>> hexahedron{{0, 3, 2, 1}, {4, 5, 6, 7}, {0, 1, 5, 4},
                                               {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}};
const std::vector<std::vector<int>> tetrahedron{{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {2, 0, 3}};
const std::vector<std::vector<int>> wedge{{0, 2, 1}, {3, 4, 5}, {0, 1, 4, 3}, {1, 2, 5, 4}, {2, 0, 3, 5}};

// Every reference element is its own image when x and y change places.
std::vector<int> image_order(const Eigen::Matrix3Xd& reference) {
  std::vector<int> order;
  for (Index i = 0; i < reference.cols(); ++i) {
    const Eigen::Vector3d image(reference(1, i), reference(0, i), reference(2, i));
    Index other = 0;
    (reference.colwise() - image).colwise().norm().minCoeff(&other);
    order.push_back(static_cast<int>(other));
  }
  return order;
}

ElementKind solid(SolidShape shape, std::string_view plural, int corners, const std::vector<std::vector<int>>& faces) {
  const SolidFacts& facts = facts_of(shape);
  return {facts.name,
          plural,
          Family::solid,
          facts.nodes,
          corners,
          facts.cell_type,
          3,
          shape,
          facts.nodes > corners ? with_middles(faces, corners, solid_edges(shape)) : faces,
          image_order(solid_reference_nodes(shape))};
}

const std::vector<ElementKind>& kinds() {
  static const std::vector<ElementKind> element_kinds{
      {"triangle of 3 nodes", "shells of 3", Family::shell, 3, 3, 5, 6, {}, {{0, 1, 2}}, {0, 2, 1}},
      {"quadrilateral of 4 nodes", "shells of 4", Family::shell, 4, 4, 9, 6, {}, {{0, 1, 2, 3}}, {0, 3, 2, 1}},
      solid(SolidShape::hexahedron8, "hexahedra of 8", 8, hexahedron),
      solid(SolidShape::hexahedron20, "hexahedra of 20", 8, hexahedron),
      solid(SolidShape::tetrahedron4, "tetrahedra of 4", 4, tetrahedron),
      solid(SolidShape::tetrahedron10, "tetrahedra of 10", 4, tetrahedron),
      solid(SolidShape::wedge6, "wedges of 6", 6, wedge),
      solid(SolidShape::wedge15, "wedges of 15", 6, wedge),
  };
  return element_kinds;
}

}  // namespace

std::span<const ElementKind> element_kinds() { return kinds(); }

const ElementKind* kind_of_cell(int cell_type) {
  for (const ElementKind& kind : kinds())
    if (kind.cell_type == cell_type) return &kind;
  return nullptr;
}

const ElementKind& kind_of(SolidShape shape) { return *kind_of_cell(facts_of(shape).cell_type); }

const ElementKind& shell_kind(int nodes) { return kinds()[nodes == 3 ? 0 : 1]; }

Index elements_of(const ElementBlock& block) {
  return std::visit([](const auto& own) { return own.elements(); }, block);
}

Eigen::MatrixXd stiffness(const ElementBlock& block, Index first, Index count) {
  if (const auto* shell = std::get_if<ShellBlock>(&block)) return shell_stiffness(*shell, first, count);
  return solid_stiffness(std::get<SolidBlock>(block), first, count);
}

Eigen::MatrixXd mass(const ElementBlock& block, Index first, Index count) {
  if (const auto* shell = std::get_if<ShellBlock>(&block)) return shell_mass(*shell, first, count);
  return solid_mass(std::get<SolidBlock>(block), first, count);
}

Eigen::MatrixXd geometric_stiffness(const ElementBlock& block, Index first, Index count,
                                    const Eigen::MatrixXd& motions) {
  if (const auto* shell = std::get_if<ShellBlock>(&block))
    return shell_geometric_stiffness(*shell, first, count, motions);
  return solid_geometric_stiffness(std::get<SolidBlock>(block), first, count, motions);
}

Moments moments(const ElementBlock& block) {
  if (const auto* shell = std::get_if<ShellBlock>(&block)) return shell_moments(*shell);
  return solid_moments(std::get<SolidBlock>(block));
}

}  // namespace avrenk
