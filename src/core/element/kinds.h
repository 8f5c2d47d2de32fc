/// core/element/kinds.h: shells and solids by kind: the only list of them, and what all of them have in common.
#pragma once

#include <span>
#include <string_view>
#include <vector>

#include "core/element/element_block.h"
#include "core/element/shell.h"
#include "core/element/solid.h"

namespace avrenk {

/// One kind of element. Nodes are in the order of VTK's cell type: corners first, then the middles of edges.
struct ElementKind {
  enum class Family { shell, solid };
  std::string_view name;    ///< "hexahedron of 8 nodes"
  std::string_view plural;  ///< "hexahedra of 8"
  Family family = Family::solid;
  int nodes = 0;                               ///< of one element
  int corners = 0;                             ///< the first so many nodes
  int cell_type = 0;                           ///< of VTK
  int motions = 3;                             ///< of a node that it acts on: 3 translations, or rotations besides
  SolidShape shape = SolidShape::hexahedron8;  ///< of a solid
  /// Corners of each face, seen from outside anticlockwise, then the middles of its edges in the same turn; of a shell
  /// the element itself.
  std::vector<std::vector<int>> faces;
  std::vector<int> image_order;  ///< nodes in this order make the element of a mirror image
  [[nodiscard]] bool is_shell() const { return family == Family::shell; }
  [[nodiscard]] bool is_quadratic() const { return nodes > corners; }
  /// How many of a face's nodes are corners: the first ones.
  [[nodiscard]] std::size_t corners_of(const std::vector<int>& face) const {
    return is_quadratic() ? face.size() / 2 : face.size();
  }
};

[[nodiscard]] std::span<const ElementKind> element_kinds();
/// The kind of a cell type of VTK; nullptr if no element is of that type.
[[nodiscard]] const ElementKind* kind_of_cell(int cell_type);
[[nodiscard]] const ElementKind& kind_of(SolidShape shape);
/// @param nodes  3 or 4
[[nodiscard]] const ElementKind& shell_kind(int nodes);

[[nodiscard]] Eigen::Index elements_of(const ElementBlock& block);

/// Matrices of elements `first` to `first + count`, side by side; see shell.h and solid.h.
[[nodiscard]] Eigen::MatrixXd stiffness(const ElementBlock& block, Eigen::Index first, Eigen::Index count);
[[nodiscard]] Eigen::MatrixXd mass(const ElementBlock& block, Eigen::Index first, Eigen::Index count);

/// The same of the geometric stiffness under what some motions of the nodes strain, those that the kind has, one column
/// an element.
[[nodiscard]] Eigen::MatrixXd geometric_stiffness(const ElementBlock& block, Eigen::Index first, Eigen::Index count,
                                                  const Eigen::MatrixXd& motions);

/// Of all elements of a block: kg, kg m, kg m².
[[nodiscard]] Moments moments(const ElementBlock& block);

}  // namespace avrenk
