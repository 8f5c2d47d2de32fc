/// core/system/factorisation.h: LDLᵀ of a sparse symmetric matrix, definite or not, with its inertia.
#pragma once

#include <Eigen/Dense>
#include <Eigen/Sparse>
#include <memory>
#include <span>

namespace avrenk {

using SparseMatrix = Eigen::SparseMatrix<double>;

/// A = L D Lᵀ by MUMPS (multifrontal, threshold pivoting), ordered by nested dissection of the *node* graph (METIS),
/// after the scaling d_i a_ij d_j with d_i = 1/√max_j|a_ij|. One object serves stiffness solves, shifted solves with
/// many right-hand sides, pivot counts and the detection of mechanisms. Not for use from two threads at once.
class Factorisation {
 public:
  /// A pivot below this, after scaling, counts as zero: a mechanism leaves about 1e-15; the tip pivot of a cantilever
  /// of n elements is 1/(4 n³), so lines of up to 1500 elements in one bending span are safe.
  static constexpr double zero_pivot = 5e-14;

  enum class ZeroPivots { ignore, detect };

  /// @param matrix        n x n, symmetric, both triangles stored
  /// @param node_of_row   the node to which each row belongs: rows of one node are kept together by the ordering
  /// @param zero_pivots   detect: a zero pivot is set aside and its null vector can be asked for
  /// @throws NumericalError  not enough memory, or the factorisation fails
  Factorisation(const SparseMatrix& matrix, std::span<const int> node_of_row,
                ZeroPivots zero_pivots = ZeroPivots::ignore);
  ~Factorisation();
  Factorisation(Factorisation&&) noexcept;
  Factorisation& operator=(Factorisation&&) noexcept;
  Factorisation(const Factorisation&) = delete;
  Factorisation& operator=(const Factorisation&) = delete;

  /// A⁻¹ B, n x k.
  [[nodiscard]] Eigen::MatrixXd solve(const Eigen::MatrixXd& right_hand_sides) const;

  /// Number of negative pivots: by Sylvester's law the number of negative eigenvalues of A.
  [[nodiscard]] int negative_pivots() const;

  /// Basis of the null space, n x (number of zero pivots); empty unless asked to detect.
  [[nodiscard]] Eigen::MatrixXd null_space() const;

  /// Entries of the factors and floating-point operations of the elimination.
  [[nodiscard]] double factor_entries() const;
  [[nodiscard]] double operations() const;

 private:
  struct Instance;
  std::unique_ptr<Instance> instance_;
};

/// Position (from 0) of each row in a fill-reducing elimination order: nested dissection of the graph whose vertices
/// are the nodes; the rows of a node stay together.
[[nodiscard]] std::vector<int> node_ordering(const SparseMatrix& matrix, std::span<const int> node_of_row);

}  // namespace avrenk
