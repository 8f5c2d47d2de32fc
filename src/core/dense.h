/// core/dense.h: decompositions of dense matrices as plain functions, by LAPACK. Templates of a decomposition cost more
/// to compile than the code that uses it, and are not made here.
#pragma once

#include <Eigen/Dense>
#include <vector>

namespace avrenk {

/// Ascending eigenvalues and their vectors, as columns.
struct SymmetricEigen {
  Eigen::VectorXd values;
  Eigen::MatrixXd vectors;
};

/// A x = λ x, orthonormal vectors; of A the lower triangle counts. n x n; divide and conquer.
/// @throws NumericalError  it does not converge
[[nodiscard]] SymmetricEigen symmetric_eigen(Eigen::MatrixXd a);

/// A x = λ B x, B positive definite, vectors with XᵀBX = I; lower triangles count. n x n.
/// @throws NumericalError  B is not positive definite, or it does not converge
[[nodiscard]] SymmetricEigen symmetric_eigen(Eigen::MatrixXd a, Eigen::MatrixXd b);

/// A = V diag(λ) V⁻¹ of a complex matrix, n x n; columns of V have length 1. Of a defective matrix V is singular.
struct ComplexEigen {
  Eigen::VectorXcd values;
  Eigen::MatrixXcd vectors;
};
/// @throws NumericalError  it does not converge
[[nodiscard]] ComplexEigen complex_eigen(Eigen::MatrixXcd a);

/// A = U T Uᴴ of any complex matrix, n x n: U unitary, T upper triangular.
struct ComplexSchur {
  Eigen::MatrixXcd triangle, vectors;
};
/// @throws NumericalError  it does not converge
[[nodiscard]] ComplexSchur complex_schur(Eigen::MatrixXcd a);

/// A⁻¹B, A symmetric (lower triangle), definite or not: n x n, n x k.
/// @throws NumericalError  A is singular
[[nodiscard]] Eigen::MatrixXd solve_symmetric(Eigen::MatrixXd a, Eigen::MatrixXd b);

/// A = P L U of a complex matrix, n x n.
class ComplexLu {
 public:
  explicit ComplexLu(Eigen::MatrixXcd a);
  /// A⁻¹B, n x k.
  [[nodiscard]] Eigen::MatrixXcd solve(Eigen::MatrixXcd b) const;

 private:
  Eigen::MatrixXcd factors_;
  std::vector<int> pivots_;
};

/// A = P L U, n x n.
class RealLu {
 public:
  explicit RealLu(Eigen::MatrixXd a);
  /// A⁻¹B, n x k.
  [[nodiscard]] Eigen::MatrixXd solve(Eigen::MatrixXd b) const;
  [[nodiscard]] bool has_positive_determinant() const;

 private:
  Eigen::MatrixXd factors_;
  std::vector<int> pivots_;
};

/// The first columns of Q of A = QR (Householder): an orthonormal basis of the columns of A, m x n, extended where more
/// are wanted by what is orthogonal to them.
/// @param columns  at most m
[[nodiscard]] Eigen::MatrixXd orthonormal_basis(Eigen::MatrixXd a, Eigen::Index columns);

/// x with the least |Ax − b|, of several the shortest: m x n, m ≥ n; n x 1.
[[nodiscard]] Eigen::VectorXd least_squares(Eigen::MatrixXd a, Eigen::VectorXd b);

}  // namespace avrenk
