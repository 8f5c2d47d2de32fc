/// core/system/factorisation.h: LDLᵀ of a sparse symmetric matrix, definite or not, with its inertia.
#pragma once

#include <Eigen/SparseCore>
#include <complex>
#include <memory>
#include <span>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

using SparseMatrix = Eigen::SparseMatrix<double>;

/// A fill-reducing order of elimination: the position (from 0) of each row. It depends on the pattern alone, so that
/// one serves K and every K − σM.
struct EliminationOrder {
  std::vector<int> position;

  /// Nested dissection (METIS) of the graph whose vertices are the nodes; the rows of a node stay together.
  /// @param matrix       n x n, symmetric, both triangles stored
  /// @param node_of_row  the node to which each row belongs
  EliminationOrder(const SparseMatrix& matrix, std::span<const int> node_of_row);
};

/// A = L D Lᵀ by MUMPS (multifrontal, threshold pivoting), ordered by nested dissection of the *node* graph, after
/// the scaling d_i a_ij d_j with d_i = 1/√max_j|a_ij|. One object serves stiffness solves, shifted solves with
/// many right-hand sides, pivot counts and the detection of mechanisms. Not for use from two threads at once.
class Factorisation {
 public:
  /// A pivot below this, after scaling, is set aside: nothing could be divided by it. Null vectors of which
  /// rounding has left larger pivots are found by null_space().
  static constexpr double zero_pivot = 1e-18;

  enum class ZeroPivots { ignore, detect };

  /// @param matrix        n x n, symmetric, both triangles stored
  /// @param order         of a matrix whose pattern holds this one's, or nearly
  /// @param zero_pivots   detect: a zero pivot is set aside, and null vectors can be asked for
  /// @throws NumericalError  not enough memory, or the factorisation fails
  Factorisation(const SparseMatrix& matrix, const EliminationOrder& order, ZeroPivots zero_pivots = ZeroPivots::ignore);
  ~Factorisation();
  Factorisation(Factorisation&&) noexcept;
  Factorisation& operator=(Factorisation&&) noexcept;
  Factorisation(const Factorisation&) = delete;
  Factorisation& operator=(const Factorisation&) = delete;

  /// A⁻¹ B, n x k.
  [[nodiscard]] Eigen::MatrixXd solve(const Eigen::MatrixXd& right_hand_sides) const;

  /// Number of negative pivots: by Sylvester's law the number of negative eigenvalues of A.
  [[nodiscard]] int negative_pivots() const;

  /// Null vectors of the pivots that were set aside, n x their number; empty unless asked to detect.
  [[nodiscard]] Eigen::MatrixXd set_aside() const;

  /// Entries of the factors and floating-point operations of the elimination.
  [[nodiscard]] double factor_entries() const;
  [[nodiscard]] double operations() const;

 private:
  struct Instance;
  std::unique_ptr<Instance> instance_;
};

/// A vector x of A x = λ D x, D the diagonal of A, belongs to the null space where λ is below this. Of 1500 drawn
/// mechanisms of turned beams and springs rounding leaves 9e-16 at most (tests/core/system/mechanism_test.cpp); a line
/// of n elements in one bending span has 0.8/n⁴.
constexpr double null_value = 3e-15;

/// What rounding does not tell from the null space of a symmetric matrix: the vectors of A x = λ D x with
/// |λ| ≤ null_value, D-orthonormal, n x k, by inverse iteration from random vectors. One pass through the factor shows
/// that there are none.
/// @param factor  of the matrix, zero pivots detected
[[nodiscard]] Eigen::MatrixXd null_space(const SparseMatrix& matrix, const Factorisation& factor);

/// The same of a complex symmetric matrix (not Hermitian), such as K + iωC − ω²M.
class ComplexFactorisation {
 public:
  ComplexFactorisation(const Eigen::SparseMatrix<std::complex<double>>& matrix, const EliminationOrder& order);
  ~ComplexFactorisation();
  ComplexFactorisation(const ComplexFactorisation&) = delete;
  ComplexFactorisation& operator=(const ComplexFactorisation&) = delete;
  [[nodiscard]] Eigen::MatrixXcd solve(const Eigen::MatrixXcd& right_hand_sides) const;

 private:
  struct Instance;
  std::unique_ptr<Instance> instance_;
};

}  // namespace avrenk
