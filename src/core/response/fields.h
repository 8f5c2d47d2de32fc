/// core/response/fields.h: what the whole model does at once: the motion of every node in a mode, or at one instant.
#pragma once

#include "core/response/case_response.h"

namespace avrenk {

/// Motion of every node, 6 x N: m and rad, global axes.
using NodeMotions = Eigen::Matrix<double, 6, Eigen::Dynamic>;

/// u = T [Φ q; 0]: motion relative to the base (of several bases: to their quasi-static motion) for real modal
/// coordinates q (m).
[[nodiscard]] NodeMotions node_motions(const System& system, const ModalBasis& basis, const Eigen::VectorXd& q);

/// The first of the largest translations of all nodes, rounding aside.
struct LargestMotion {
  double value = 0;  ///< m
  int node = 0;
};
[[nodiscard]] LargestMotion largest_translation(const Eigen::Ref<const NodeMotions>& motions);

/// The shape of the whole model at one frequency of a sine case, relative to the base, level applied.
struct OperatingDeflectionShape {
  std::string outcome;                           ///< of the case: "sine.x"
  std::shared_ptr<const Excitation> excitation;  ///< the case, or held at the frequency
  std::string at;                                ///< "the strongest peak, that of tip.acceleration", "mode 4", "63 Hz"
  double frequency = 0;                          ///< Hz
  const ModalBasis* basis = nullptr;
  Eigen::VectorXcd coordinates;  ///< of the basis
  double instant = 0;            ///< rad, ωt at which the largest translation of any node is largest
  double largest = 0;            ///< m, the largest translation of any node
  int node = 0;                  ///< that moves so
  /// Real part at an instant ωt (rad).
  [[nodiscard]] Eigen::VectorXd coordinates_at(double angle) const;
};
/// @pre excited.sine
[[nodiscard]] OperatingDeflectionShape shape_at(const CaseResponse& excited, const System& system, double frequency);

}  // namespace avrenk
