/// core/model/reduced_model.h: the dynamics of a structure without its geometry: motions of an interface, coordinates
/// of its inside, and what each makes of points that may be watched (docs/theory.md, "Components").
#pragma once

#include <string>
#include <vector>

#include "core/algebra.h"
#include "core/element/discrete.h"

namespace avrenk {

struct ReducedModel {
  /// What one row and column of the matrices is: a motion of a node of the interface, 0 … 5 = x y z rx ry rz, or a
  /// coordinate of the inside, which moves with no rigid motion.
  struct Column {
    int node = -1;      ///< index into `interface`; −1: a coordinate
    int direction = 0;  ///< of coordinates: 0, one after the other
  };
  std::vector<Vector3> interface {};  ///< m
  std::vector<Column> columns{};
  Eigen::MatrixXd stiffness, mass;    ///< n x n, SI
  Eigen::MatrixXd dashpot{}, loss{};  ///< C and K_η; empty: the general damping of whoever uses it
  std::vector<std::string> names{};   ///< of the points; may be empty texts
  std::vector<Vector3> points{};      ///< m
  Eigen::MatrixXd recovery{};         ///< 6 p x n: motions of each point, x y z rx ry rz
  double bound = 0;                   ///< Hz: modes of the held interface below it are kept; 0: not known
  [[nodiscard]] Eigen::Index size() const { return static_cast<Eigen::Index>(columns.size()); }
  [[nodiscard]] Eigen::Index coordinates() const;
};

/// What of it does not fit together, in words; empty: it is sound. Matrices are square and symmetric to 1e-9 of their
/// largest entry, the mass has no negative eigenvalue beyond that, rigid motions of the interface strain nothing (to
/// 1e-6 of what else strains) and carry every point along, no motion is named twice.
[[nodiscard]] std::string why_invalid(const ReducedModel& model);

/// R: the columns' motions when the whole moves as a rigid body about a point, n x 6; of coordinates none.
[[nodiscard]] Eigen::MatrixXd rigid_columns(const ReducedModel& model, const Vector3& about);

/// The same structure put elsewhere: positions x ↦ rotation x + shift, translations turned, rotations too (of a mirror
/// image the other way about); coordinates stay what they are.
[[nodiscard]] ReducedModel placed(const ReducedModel& model, const Matrix3& rotation, const Vector3& shift);

}  // namespace avrenk
