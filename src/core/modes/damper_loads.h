/// core/modes/damper_loads.h: the loads by which dampers bend a model as none of its modes do (theory 3).
#pragma once

#include "core/system/system.h"

namespace avrenk {

/// Unit loads on the free unknowns, n_f x k, one column each.
struct DamperLoads {
  /// Along or about each axis of each dashpot, opposite at its two ends; and on each direction without mass at whose
  /// node elements of different damping meet. There a load K_η u or C u is left though K u is none, so that the
  /// direction moves against all modes; where damping is spread like stiffness, in the midst of a part, none is.
  SparseMatrix needed;
  /// On the unknowns with mass of all other nodes at which loss factors differ: the lighter a node, the more it moves
  /// like one without mass, and its own mode lies above all that are known.
  SparseMatrix unlike;
};
/// They depend on where damping acts and where it is the same, not on how much of it: the modes of a model may be kept
/// while it is varied.
/// Damping that is not general acts through these loads alone but for parts with mass, so that for a model with all its
/// modes their static shapes K⁻¹f make the answer whole.
[[nodiscard]] DamperLoads damper_loads(const Assembly& assembly, const System& system);

/// What of K⁻¹ loads has no mass, n_f x k: Z (ZᵀKZ)⁻¹Zᵀ loads, the columns of Z the directions without mass that
/// elements join to those of the loads. Zero where a load acts on mass alone. MZ = 0, so that it is
/// stiffness-orthogonal to all modes; the rest of K⁻¹ loads lies in their span.
[[nodiscard]] Eigen::MatrixXd massless_shapes(const System& system, const SparseMatrix& loads);

}  // namespace avrenk
