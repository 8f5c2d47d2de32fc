/// Small models of shells and solids.
#pragma once

#include <numeric>

#include "core/mesh/shapes.h"
#include "core/mesh/surface.h"
#include "core/response/stress.h"
#include "support/models.h"

namespace avrenk::test {

inline Material alloy(std::optional<double> eta = std::nullopt) { return {"alloy", 71e9, 0.33, 2810, eta}; }

/// A model of one part and no base.
inline Assembly part_of(const Mesh& mesh, const Part& part, const Material& material = alloy(),
                        const std::vector<Placement>& placements = {Placement{}}) {
  Assembly model;
  model.materials = {material};
  model.parts = {part};
  add_mesh(model, 0, mesh, placements);
  return model;
}
inline Part shell_part(const std::string& name, double thickness) {
  Part part{name};
  part.form = Part::Form::shell;
  part.thickness = thickness;
  return part;
}
inline Part solid_part(const std::string& name) {
  Part part{name};
  part.form = Part::Form::solid;
  return part;
}

/// Holds every node that `chosen` says.
template <typename Chosen>
void hold(Assembly& model, const Chosen& chosen) {
  model.bases = {{"fixture", {}, Vector3::Zero()}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node)
    if (chosen(model.position(node))) model.bases[0].feet.push_back({node});
}

/// One mesh of unit cubes' worth of each kind of solid over a block, its inner nodes pushed about.
inline Mesh distorted_block(SolidShape shape, const Vector3& size, int n) {
  const ElementKind& kind = kind_of(shape);
  // Reference cells whose union is the cube −1 … 1.
  std::vector<Eigen::Matrix3Xd> cells;
  const Eigen::Matrix3Xd nodes = solid_reference_nodes(shape);
  const auto mapped = [&](const std::vector<Vector3>& corners) {  // linear along edges
    Eigen::Matrix3Xd cell(3, nodes.cols());
    for (int i = 0; i < kind.corners; ++i) cell.col(i) = corners[static_cast<std::size_t>(i)];
    const auto edges = solid_edges(shape);
    for (int i = kind.corners; i < kind.nodes; ++i) {
      const auto& e = edges[static_cast<std::size_t>(i - kind.corners)];
      cell.col(i) = 0.5 * (cell.col(e[0]) + cell.col(e[1]));
    }
    return cell;
  };
  const auto at = [](int k) { return Vector3(k & 1 ? 1 : -1, k & 2 ? 1 : -1, k & 4 ? 1 : -1); };
  if (kind.corners == 8) {
    cells.push_back(mapped({at(0), at(1), at(3), at(2), at(4), at(5), at(7), at(6)}));
  } else if (kind.corners == 6) {
    cells.push_back(mapped({at(0), at(1), at(3), at(4), at(5), at(7)}));
    cells.push_back(mapped({at(0), at(3), at(2), at(4), at(7), at(6)}));
  } else {  // six tetrahedra around the diagonal 0–7
    for (const auto& [a, b] : {std::pair{1, 3}, {3, 2}, {2, 6}, {6, 4}, {4, 5}, {5, 1}})
      cells.push_back(mapped({at(0), at(a), at(b), at(7)}));
  }
  Mesh mesh;
  PointMerger spots(1e-6 * size.norm());
  const auto push = [&](const Vector3& x) {  // straight edges and flat faces do not survive, nodes stay shared
    const Vector3 s = x.cwiseQuotient(size);
    const auto bump = [](double v) { return 4 * v * (1 - v); };
    const double inside = 0.06 * bump(s.x()) * bump(s.y()) * bump(s.z());
    return Vector3(x + inside * size.minCoeff() * Vector3(1, -0.7, 0.5));
  };
  for (int k = 0; k < n; ++k)
    for (int j = 0; j < n; ++j)
      for (int i = 0; i < n; ++i)
        for (const auto& cell : cells) {
          std::vector<int> own;
          for (const auto& point : cell.colwise()) {
            const Vector3 x = (Vector3(i, j, k) + 0.5 * (point + Vector3::Ones())).cwiseProduct(size) / n;
            int found = spots.find(x);
            if (found < 0) {
              found = static_cast<int>(mesh.points.size());
              mesh.points.push_back(x);
              spots.add(x, found);
            }
            own.push_back(found);
          }
          mesh.add(kind, own);
        }
  // Middles stay in the middle of their pushed corners: edges stay straight, so that linear fields stay exact.
  std::vector<bool> corner(mesh.points.size());
  for (const Mesh::Cells& each : mesh.cells)
    for (std::size_t a = 0; a < each.nodes.size(); ++a)
      if (static_cast<int>(a) % kind.nodes < kind.corners) corner[static_cast<std::size_t>(each.nodes[a])] = true;
  for (std::size_t p = 0; p < mesh.points.size(); ++p)
    if (corner[p]) mesh.points[p] = push(mesh.points[p]);
  const auto edges = solid_edges(shape);
  for (const Mesh::Cells& each : mesh.cells)
    for (std::size_t first = 0; first < each.nodes.size(); first += static_cast<std::size_t>(kind.nodes))
      for (int i = kind.corners; i < kind.nodes; ++i) {
        const auto& e = edges[static_cast<std::size_t>(i - kind.corners)];
        const auto node = [&](int local) {
          return static_cast<std::size_t>(each.nodes[first + static_cast<std::size_t>(local)]);
        };
        mesh.points[node(i)] = 0.5 * (mesh.points[node(e[0])] + mesh.points[node(e[1])]);
      }
  return mesh;
}

inline constexpr SolidShape every_solid[] = {SolidShape::hexahedron8,  SolidShape::hexahedron20,
                                             SolidShape::tetrahedron4, SolidShape::tetrahedron10,
                                             SolidShape::wedge6,       SolidShape::wedge15};

inline std::vector<int> all_of(const StressStations& stations) {
  std::vector<int> all(stations.size());
  std::iota(all.begin(), all.end(), 0);
  return all;
}

/// Motions of nodes as one column, from those of each.
inline MotionRows one_by_one(const std::function<Vector6(int node)>& of) {
  return {1, {}, [of](std::span<const int> nodes) {
            return [of, own = std::vector<int>(nodes.begin(), nodes.end())](Eigen::Index, Eigen::Index, double* panel) {
              for (const int node : own)
                for (const double value : of(node)) {
                  *panel = value;
                  panel += simd_width;
                }
            };
          }};
}

}  // namespace avrenk::test
