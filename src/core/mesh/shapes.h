/// core/mesh/shapes.h: plates, boxes, tubes, cones and discs, meshed with shells of their middle surface or with
/// solids.
///
/// All sizes are those of the real piece, outer ones where it is hollow. Boxes, tubes and cones stand on z = 0
/// around the z axis; plates and discs lie with their middle surface in z = 0. Round pieces have nodes on the true
/// surface: flat elements, n around, have an area and a mass lower by the factor sin(π/n)/(π/n).
#pragma once

#include <optional>
#include <variant>

#include "core/mesh/mesh.h"

namespace avrenk {

/// Elements of a size that a length is divided into.
/// @throws InputError  more than most_in_a_row
[[nodiscard]] int elements_over(double length, double element);

/// How fine: elements no longer than `element` (m), or their numbers.
struct MeshDensity {
  std::optional<double> element;
  std::vector<int> divisions{};
  /// Elements over a length; `which` counts the shape's own directions.
  [[nodiscard]] int over(double length, std::size_t which) const;
};

/// A round hole in a plate, m; elements run around it.
struct RoundHole {
  double diameter = 0;
  Eigen::Vector2d at = Eigen::Vector2d::Zero();
};
struct Plate {
  double length = 0, width = 0;                ///< m, along x and y, around the origin
  std::array<std::vector<double>, 2> lines{};  ///< m: x and y at which a line of nodes must run
  std::optional<RoundHole> hole{};
};
struct Box {
  Vector3 size;  ///< m; as shells: closed, of six walls
};
/// A cone, or a tube if both are the same; open at both ends.
struct Cone {
  double bottom = 0, top = 0;  ///< outer diameters, m
  double height = 0;           ///< m
};
struct Disc {
  double diameter = 0, hole = 0;  ///< m; no hole: 0
};
using Shape = std::variant<Plate, Box, Cone, Disc>;

/// What it is meshed with.
struct Meshing {
  bool solid = false, quadratic = false;
  double thickness = 0;  ///< m, at right angles to the wall; of a solid box not used
  int layers = 1;        ///< solids over the thickness
};

/// What is wrong with a shape, or nothing.
[[nodiscard]] std::optional<std::string> why_invalid(const Shape& shape, const Meshing& meshing);

/// @pre why_invalid() finds nothing
[[nodiscard]] Mesh mesh_shape(const Shape& shape, const Meshing& meshing, const MeshDensity& density);

}  // namespace avrenk
