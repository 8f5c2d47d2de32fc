#include "core/assess/base_load.h"

#include <algorithm>
#include <cmath>

namespace avrenk {

BaseLoad base_load(const CaseResponse& load, const Channels& channels, int base, const Vector3& point, int axis,
                   double mass) {
  const StateLayout& layout = load.transfer->layout();
  const Eigen::MatrixXcd reaction = channels.base_reaction(base, point);
  Eigen::MatrixXcd force = reaction.row(axis), moment(2, reaction.cols());
  force(0, layout.base(2) + 6 * base + axis) += mass;
  for (int k = 1; k <= 2; ++k) moment.row(k - 1) = reaction.row(3 + (axis + k) % 3);
  if (load.covariance) {
    const auto rms = [&](const Eigen::MatrixXcd& rows) {
      const auto width = static_cast<int>(rows.rows());
      return std::sqrt(std::max(0.0, block_covariances(rows, width, *load.covariance, layout).trace()));
    };
    return {rms(force), 0, rms(moment), 0};
  }
  const SinePeak largest = load.sine->peak({"", force}), turning = load.sine->peak({"", moment});
  return {largest.value, largest.frequency, turning.value, turning.frequency};
}

}  // namespace avrenk
