/// core/mesh/mesh.h: points and cells of a shape or a file in its own axes, and their way into an assembly.
#pragma once

#include <string>
#include <vector>

#include "core/element/kinds.h"
#include "core/mesh/point_merger.h"
#include "core/model/assembly.h"

namespace avrenk {

/// Nodes of one part at most, and elements in a row: more would take memory before anything can be said of them.
inline constexpr double most_nodes = 2e7, most_in_a_row = 1e6;
/// @throws InputError  `count` is more than `most`: it would be `what`
void refuse_too_many(double count, double most, const std::string& what);

struct Mesh {
  struct Cells {
    const ElementKind* kind = nullptr;
    std::vector<int> nodes;  ///< of the first cell, then of the second …
  };
  std::vector<Vector3> points;  ///< m
  std::vector<Cells> cells;     ///< one entry a kind
  /// Adds one cell to those of its kind.
  void add(const ElementKind& kind, std::span<const int> nodes);
};

/// x ↦ rotation x + shift. `rotation` is one, or the mirror image of one.
struct Placement {
  Matrix3 rotation = Matrix3::Identity();
  Vector3 shift = Vector3::Zero();
  [[nodiscard]] Vector3 operator()(const Vector3& x) const;
  /// First `first`, then this.
  [[nodiscard]] Placement after(const Placement& first) const;
  [[nodiscard]] bool is_image() const;
};

/// The placements and their images in the global planes, as with_mirror_images of lines.
[[nodiscard]] std::vector<Placement> with_mirror_images(std::vector<Placement> placements,
                                                        const std::array<bool, 3>& mirror);

/// Adds a mesh to a part, once for each placement. Nodes at one spot (1e-6 of the size of the mesh) are one node, also
/// those of different copies; a copy all of whose nodes are there already is left out: it is its own image. Points that
/// no cell uses are left out.
void add_mesh(Assembly& assembly, int part, const Mesh& mesh, const std::vector<Placement>& placements);

/// Adds the chosen cells of a mesh to a part. Points keep what nodes they have: `nodes` holds the node of each point or
/// −1 and is filled in, so that parts of one mesh share the nodes on their border.
/// @param cells  for each entry of mesh.cells the indices of its cells
void add_cells(Assembly& assembly, int part, const Mesh& mesh, const std::vector<std::vector<int>>& cells,
               const Placement& placement, std::vector<int>& nodes);

/// Turns cells that are numbered inside out into proper ones; the number of those. A cell that is inside out in part
/// only stays as it is.
int turn_inverted(Mesh& mesh);

/// Strips of shells that stand on the nodes of another part along straight lines and share them.
struct Rib {
  Vector3 from, to;
};
/// @param height     m, along `direction` (unit)
/// @param divisions  elements over the height
/// @throws InputError  fewer than two nodes of `on` lie on a line
void add_ribs(Assembly& assembly, int part, int on, const std::vector<Rib>& ribs, double height,
              const Vector3& direction, int divisions);

}  // namespace avrenk
