/// core/response/fields.h: what the whole model does at once: the motion of every node in a mode, or at one instant.
#pragma once

#include "core/response/excited.h"

namespace avrenk {

/// Motion of every node, 6 x N: m and rad, global axes.
using NodeMotions = Eigen::Matrix<double, 6, Eigen::Dynamic>;

/// u = T [Φ q; 0]: motion relative to the base (of several bases: to their quasi-static motion) for real modal
/// coordinates q (m).
[[nodiscard]] NodeMotions node_motions(const System& system, const ModalBasis& basis, const Eigen::VectorXd& q);

/// Modal coordinates under a case of a sine environment at one frequency (Hz), level applied.
[[nodiscard]] Eigen::VectorXcd sine_coordinates(const Excitation& excitation, const ModalBasis& basis,
                                                const ModalDamping& damping, double frequency);

/// The instant ωt (rad) in one cycle at which the largest translation of any node is largest.
[[nodiscard]] double worst_instant(const System& system, const ModalBasis& basis, const Eigen::VectorXcd& q);

}  // namespace avrenk
