/// core/response/explanation.h: for explaining responses of one environment: states with the damping whole beside
/// such that leave out what couples the modes, and the parts that are worth telling.
#pragma once

#include <deque>

#include "core/modes/damping.h"
#include "core/response/random.h"

namespace avrenk {

/// Parts of a response by their size, small ones left out; after the modes the base's own motion, mode −1, and what
/// loads do without moving anything, −2.
[[nodiscard]] std::vector<std::pair<int, double>> largest_shares(const Eigen::VectorXd& shares);

/// Those that make most of a variance, whatever their sign, two different ones taken together.
/// @param pairs  as variance_share_pairs has them
[[nodiscard]] std::vector<ModePair> largest_pairs(const Eigen::MatrixXd& pairs);

/// The first of those that are the largest but for rounding: it is named.
[[nodiscard]] std::size_t first_largest(const Eigen::VectorXd& values);

/// States with what couples the modes kept, beside a transfer that leaves it out; each frequency is solved once.
class CoupledStates {
 public:
  explicit CoupledStates(const Transfer& transfer)
      : coupled_(transfer.with_coupling()), differ_(transfer.damping().couples() && !transfer.damping().coupled()) {}
  [[nodiscard]] bool differ() const { return differ_; }
  /// z per unit input, one column each.
  const Eigen::MatrixXcd& at(double frequency);

 private:
  const Transfer coupled_;
  bool differ_;
  std::deque<std::pair<double, Eigen::MatrixXcd>> states_;
};

}  // namespace avrenk
