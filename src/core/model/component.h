/// core/model/component.h: parts that are known by their dynamics alone.
#pragma once

#include <vector>

#include "core/algebra.h"

namespace avrenk {

/// A part that is known by its dynamics alone, on six numbers of each of its nodes.
struct Component {
  int part = 0;
  std::vector<int> nodes;           ///< of its interface, then those that hold its coordinates
  int interface = 0;                ///< so many are the first
  Eigen::MatrixXd stiffness, mass;  ///< 6 n x 6 n
  Eigen::MatrixXd dashpot, loss;    ///< C and K_η; empty: none of its own
  double bound = 0;                 ///< Hz: see ReducedModel
  /// Else the general damping applies.
  [[nodiscard]] bool has_own_damping() const { return dashpot.size() > 0 || loss.size() > 0; }
};

}  // namespace avrenk
