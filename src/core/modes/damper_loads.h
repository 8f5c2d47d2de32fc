/// core/modes/damper_loads.h: the loads by which dampers bend a model as none of its modes do (theory 3).
#pragma once

#include "core/system/system.h"

namespace avrenk {

/// Unit loads on the free unknowns, n_f x k, one column each:
///
///  - along or about each axis of each dashpot, opposite at its two ends;
///  - on each direction without mass at whose node elements of different damping meet. There a load K_η u or C u is
///    left though K u is none, so that the direction moves against all modes; where damping is spread like stiffness,
///    in the midst of a part, none is.
///
/// They depend on where damping acts, not on how much of it: the modes of a model may be kept while it is varied.
/// Damping that is not general acts through these loads alone but for parts with mass, so that for a model with all its
/// modes their static shapes K⁻¹f make the answer whole.
[[nodiscard]] SparseMatrix damper_loads(const Assembly& assembly, const System& system);

/// What of K⁻¹ loads has no mass, n_f x k: Z (ZᵀKZ)⁻¹Zᵀ loads, the columns of Z the directions without mass that
/// elements join to those of the loads. Zero where a load acts on mass alone. MZ = 0, so that it is
/// stiffness-orthogonal to all modes; the rest of K⁻¹ loads lies in their span.
[[nodiscard]] Eigen::MatrixXd massless_shapes(const System& system, const SparseMatrix& loads);

}  // namespace avrenk
