/// core/element/solid_shapes.h: the reference elements of solids: their functions, and where they are integrated and
/// sampled. For the files of this folder that make solids.
#pragma once

#include "core/element/solid.h"

namespace avrenk {

/// A point of the reference element and its weight.
struct Quadrature {
  Eigen::Vector3d point;
  double weight;
};
using Rule = std::vector<Quadrature>;

/// Of all nodes of a solid at one point: values, and slopes along the reference axes.
struct SolidFunctions {
  Eigen::Matrix<double, Eigen::Dynamic, 1, 0, 20, 1> value;
  Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, 20> slope;
};
[[nodiscard]] SolidFunctions solid_functions(SolidShape shape, const Eigen::Vector3d& point);

[[nodiscard]] Rule stiffness_rule(SolidShape shape);
[[nodiscard]] Rule mass_rule(SolidShape shape);
/// As many points as the shape has corners: where stresses are most accurate.
[[nodiscard]] Rule sampling_rule(SolidShape shape);
/// The shape with the same corners and no middle nodes.
[[nodiscard]] SolidShape corners_of(SolidShape shape);

/// Functions at all points of a rule: the same for every element of a block.
struct Tabulated {
  Tabulated(SolidShape shape, const Rule& rule);
  std::vector<SolidFunctions> at;
  Rule rule;
};

/// Coordinates of the nodes of one element of a block, 3 x n.
using SolidNodes = Eigen::Matrix<double, 3, Eigen::Dynamic, 0, 3, 20>;
[[nodiscard]] SolidNodes nodes_of(const SolidBlock& block, Eigen::Index element);

/// ∂x/∂ξ, rows along the reference axes.
[[nodiscard]] Eigen::Matrix3d jacobian_of(const SolidFunctions& at, const SolidNodes& nodes);

/// The nine incompatible modes of the 8-node hexahedron: gradients of 1 − ξ², 1 − η², 1 − ζ² by the Jacobian in the
/// middle of the element, scaled so that their mean over the element vanishes, which is what the patch test asks for.
struct IncompatibleModes {
  explicit IncompatibleModes(const SolidNodes& nodes);
  /// Of the three functions; each moves in three directions. @param jacobian  its determinant at the point
  [[nodiscard]] Eigen::Matrix3d gradients(const Eigen::Vector3d& point, double jacobian) const;
  Eigen::Matrix3d inverse;
  double determinant = 0;
};

/// Their amplitudes from the displacements of the nodes of one element, 9 x 24.
[[nodiscard]] Eigen::Matrix<double, 9, 24> incompatible_amplitudes(const SolidBlock& block, Eigen::Index element);

}  // namespace avrenk
