/// core/response/motion_rows.h: motions of nodes as rows on some columns, a few columns at a time.
#pragma once

#include <functional>
#include <span>

#include "core/model/assembly.h"
#include "core/simd.h"

namespace avrenk {

/// The six motions of the nodes of a model as rows on k columns. Whole rows of many nodes do not fit into caches; eight
/// columns of them do.
struct MotionRows {
  /// Fills columns `first` to `first + count`, count ≤ simd_width, of the rows of some nodes: row i begins at
  /// panel[simd_width i].
  using Panels = std::function<void(Eigen::Index first, Eigen::Index count, double* panel)>;

  Eigen::Index columns = 0;  ///< k
  /// What the last columns do to the free shape of elements, one each: no node moves in them.
  std::vector<const LoadColumn*> free_shapes{};
  /// Nodes whose unknowns lie near one another come cheap together.
  std::function<Panels(std::span<const int> nodes)> of_nodes{};

  /// Whole rows of some nodes, below one another: 6 n x k.
  [[nodiscard]] Eigen::MatrixXd whole(std::span<const int> nodes) const;
};

/// Rows of motions that are known at every node, 6 N x k. Holds a reference to them.
[[nodiscard]] MotionRows rows_of_motions(const Eigen::MatrixXd& motions);

}  // namespace avrenk
