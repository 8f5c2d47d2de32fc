#include "core/assess/base_load.h"

#include <cmath>

namespace avrenk {

BaseLoad base_load(const Excited& load, const Channels& channels, const StateLayout& layout, int base,
                   const Vector3& point, int axis, double mass) {
  const Eigen::MatrixXcd reaction = channels.base_reaction(base, point);
  Eigen::MatrixXcd force = reaction.row(axis), moment(2, reaction.cols());
  force(0, layout.base(2) + 6 * base + axis) += mass;
  for (int k = 1; k <= 2; ++k) moment.row(k - 1) = reaction.row(3 + (axis + k) % 3);
  BaseLoad result;
  if (load.covariance) {
    const auto rms = [&](const Eigen::MatrixXcd& rows) {
      return std::sqrt(std::max(0.0, (rows * load.covariance->gamma).cwiseProduct(rows.conjugate()).sum().real()));
    };
    result.force = rms(force);
    result.moment = rms(moment);
    return result;
  }
  const SinePeak largest = load.sine->peak({"", force}), turning = load.sine->peak({"", moment});
  result.force = largest.value;
  result.force_at = largest.frequency;
  result.moment = turning.value;
  result.moment_at = turning.frequency;
  return result;
}

}  // namespace avrenk
