#include "core/response/motion_rows.h"

#include <algorithm>
#include <vector>

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;

MatrixXd MotionRows::whole(std::span<const int> nodes) const {
  MatrixXd rows(6 * std::ssize(nodes), columns);
  const Panels panels = of_nodes(nodes);
  std::vector<double> panel(static_cast<std::size_t>(simd_width * rows.rows()));
  for (Index first = 0; first < columns; first += simd_width) {
    const Index count = std::min<Index>(simd_width, columns - first);
    panels(first, count, panel.data());
    rows.middleCols(first, count) =
        Eigen::Map<const Eigen::Matrix<double, Eigen::Dynamic, simd_width, Eigen::RowMajor>>(panel.data(), rows.rows(),
                                                                                             simd_width)
            .leftCols(count);
  }
  return rows;
}

MotionRows rows_of_motions(const MatrixXd& motions) {
  return {motions.cols(), {}, [&](std::span<const int> nodes) {
            return [&motions, own = std::vector<int>(nodes.begin(), nodes.end())](Index first, Index count,
                                                                                  double* panel) {
              for (const int node : own)
                for (Index i = 6L * node; i < 6L * node + 6; ++i, panel += simd_width)
                  for (Index j = 0; j < count; ++j) panel[j] = motions(i, first + j);
            };
          }};
}

}  // namespace avrenk
