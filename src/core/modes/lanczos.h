/// core/modes/lanczos.h: the modes of K φ = λ M φ nearest to a shift, by block Lanczos on (K − σM)⁻¹M.
#pragma once

#include <functional>

#include "core/system/factorisation.h"
#include "core/system/symmetric_product.h"

namespace avrenk {

/// Where the time of a search went, s.
struct EigenCost {
  double solves = 0, products = 0, orthogonalisation = 0, projected = 0;
  int right_hand_sides = 0, restarts = 0;
  EigenCost& operator+=(const EigenCost& other);
};

struct EigenPairs {
  Eigen::VectorXd values;   ///< λ = ω², (rad/s)²: nearest to the shift first
  Eigen::MatrixXd vectors;  ///< n x m, ΦᵀMΦ = I
  bool exhausted = false;   ///< the mass carries no more
  EigenCost cost;
};

/// Largest ‖(λ − σ)(K − σM)⁻¹M x − x‖_M at which a pair counts as converged; the error of λ is about its square.
inline constexpr double lanczos_tolerance = 1e-9;

/// What is to be done once some pairs have converged.
enum class Search {
  go_on,
  look_again,  ///< all near the shift have converged, yet some are missing: a multiplicity above the block's width
  enough
};
/// @param found  λ of the converged pairs, nearest to the shift first: of these none is passed over
using Judge = std::function<Search(std::span<const double> found)>;

struct LanczosRequest {
  double shift = 0;  ///< σ, (rad/s)²
  Judge judge;       ///< when to stop
  /// Told after each block how many right-hand sides were solved.
  std::function<void(int columns)> grown{};
  int expected = 0;                        ///< about how many pairs that will be: sizes the block and the basis
  int block = 0;                           ///< columns of a block; 0: 8, or 16 above 100 pairs
  int most = 0;                            ///< columns of the basis before it is restarted; 0: 3 expected + 10 blocks
  const Eigen::MatrixXd* known = nullptr;  ///< pairs found already, M-orthonormal: the search keeps clear of them
};

/// Block Lanczos with full M-orthogonalisation, thick restart and locking of converged pairs (Grimes, Lewis & Simon,
/// SIAM J. Matrix Anal. 15(1), 1994; Wu & Simon, SIAM J. Matrix Anal. 22(2), 2000). Each block costs one solve and two
/// products with M: its coefficients on the last block follow from symmetry, one full pass removes what rounding left.
/// Ritz vectors are purified by x ← (θx + V₊Rs)/θ, which removes what a singular M leaves in its null space (Ericsson &
/// Ruhe, Math. Comp. 35, 1980; Nour-Omid, Parlett, Ericsson & Jensen, Math. Comp. 48, 1987).
///
/// Repeated eigenvalues are found up to the width of a block; when the judge knows that some are missing, or the Krylov
/// space closes, a fresh random block looks at what is left. Start vectors come from a fixed seed: same input, same
/// digits.
/// @param shifted  K − σM factorised
/// @throws NumericalError  the judge is not content after many restarts: says how many pairs converged
[[nodiscard]] EigenPairs modes_near_shift(const Factorisation& shifted, const SymmetricProduct& mass,
                                          const LanczosRequest& request);

}  // namespace avrenk
