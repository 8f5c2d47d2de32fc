/// core/modes/lanczos.h: the lowest modes of K φ = λ M φ by block Lanczos on K⁻¹M.
#pragma once

#include "core/progress.h"
#include "core/system/factorisation.h"

namespace avrenk {

struct EigenPairs {
  Eigen::VectorXd values;   ///< λ = ω², ascending, (rad/s)²
  Eigen::MatrixXd vectors;  ///< n x m, ΦᵀMΦ = I
  bool exhausted = false;   ///< fewer modes than asked for: the mass carries no more
  int solves = 0;           ///< right-hand sides solved
};

/// Largest ‖λ K⁻¹M x − x‖_M at which a pair counts as converged; the error of λ is about its square.
inline constexpr double lanczos_tolerance = 1e-9;

/// Block Lanczos with full two-pass M-orthogonalisation; Ritz vectors are purified by x ← (θx + V₊Rs)/θ, which removes
/// what a singular M leaves in its null space (Ericsson & Ruhe, Math. Comp. 35, 1980; Grimes, Lewis & Simon, SIAM J.
/// Matrix Anal. 15(1), 1994; Nour-Omid, Parlett, Ericsson & Jensen, Math. Comp. 48, 1987).
///
/// Repeated eigenvalues are found up to the block size; the caller proves by a pivot count that none is missing and
/// comes back with a larger block if one is. When the Krylov space closes early, a fresh random block looks at the
/// rest. Start vectors come from a fixed seed: same input, same digits.
/// @param stiffness  K factorised, positive definite
/// @param mass       M, positive semi-definite, may be singular
/// @param block      columns of a block; 0: 8, or 16 above 100 modes
/// @throws NumericalError  not converged within the largest basis: says how many were
[[nodiscard]] EigenPairs lowest_modes(const Factorisation& stiffness, const SparseMatrix& mass, int wanted,
                                      int block = 0, const Progress& progress = {});

}  // namespace avrenk
