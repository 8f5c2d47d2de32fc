/// core/mesh/surface.h: what can be seen of shells and solids: outer faces, and the edges where the surface ends or
/// folds.
#pragma once

#include <functional>
#include <map>
#include <vector>

#include "core/model/assembly.h"

namespace avrenk {

struct Surface {
  struct Face {
    std::vector<int> nodes;  ///< corners, anticlockwise from outside, then the middles of edges
    int corners = 4;
    int part = 0;
    std::size_t group = 0, element = 0;       ///< the element that it belongs to
    const std::vector<int>* local = nullptr;  ///< its nodes as numbered in the element
  };
  struct Edge {
    int from = 0, to = 0;  ///< nodes
    int part = 0;
  };
  std::vector<Face> faces;          ///< of solids those that no other solid of the part shares; all of shells
  std::vector<Edge> feature_edges;  ///< of one face only, of more than two, or where two faces meet at more than 30°
};

/// What a node of shells has on either side of it.
struct ShellSide {
  Vector3 normal = Vector3::Zero();  ///< unit, the mean of its faces; zero of what is no shell
  double half = 0;                   ///< m, of the thickness
};
/// Of nodes, each by its index; one that is not there is no shell.
class ShellSides : public std::map<int, ShellSide> {
 public:
  [[nodiscard]] const ShellSide& of(int node) const {
    static const ShellSide none;
    const auto found = find(node);
    return found == end() ? none : found->second;
  }
};
/// Of the nodes of those shells that are asked for.
[[nodiscard]] ShellSides shell_sides(const Assembly& assembly, const Surface& surface,
                                     const std::function<bool(int part)>& asked);

/// Area times outward normal of a face by its corners, m².
[[nodiscard]] Vector3 area_vector(const Assembly& assembly, const Surface::Face& face);

/// The outer faces and feature edges of all parts of shells and solids, part by part; the nodes of an edge that two
/// parts share belong to both.
[[nodiscard]] Surface surface_of(const Assembly& assembly);

}  // namespace avrenk
