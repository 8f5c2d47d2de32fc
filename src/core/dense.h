/// core/dense.h: decompositions of dense matrices as plain functions, by LAPACK, and products that keep a symmetric
/// matrix symmetric. Templates of a decomposition cost more to compile than the code that uses it: they are made in
/// dense.cpp and nowhere else.
#pragma once

#include <optional>
#include <vector>

#include "core/algebra.h"

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

/// Ascending eigenvalues alone; lower triangle. n x n.
/// @throws NumericalError  it does not converge
[[nodiscard]] Eigen::VectorXd symmetric_eigenvalues(Eigen::MatrixXd a);

/// The same of a tensor, by the tridiagonal form.
struct TensorEigen {
  Eigen::Vector3d values;
  Eigen::Matrix3d vectors;
};
[[nodiscard]] TensorEigen tensor_eigen(const Eigen::Matrix3d& a);
/// In closed form: a few times faster, and good to about 1e-8 of the largest value only.
[[nodiscard]] TensorEigen tensor_eigen_directly(const Eigen::Matrix3d& a);

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

/// L of A = L Lᵀ, A symmetric (lower triangle), n x n, zero above the diagonal; nothing if A is not positive definite.
[[nodiscard]] std::optional<Eigen::MatrixXd> cholesky(Eigen::MatrixXd a);
/// (L Lᵀ)⁻¹ B: n x n, n x k.
[[nodiscard]] Eigen::MatrixXd solve_cholesky(const Eigen::MatrixXd& lower, Eigen::MatrixXd b);
/// X ← X L⁻ᵀ in place: k x n, n x n.
void divide_by_transposed(Eigen::Ref<Eigen::MatrixXd> x, const Eigen::MatrixXd& lower);

/// A⁻¹ of any size, n x n; entries beyond all numbers if A is singular.
[[nodiscard]] Eigen::MatrixXd inverse(const Eigen::MatrixXd& a);

/// C ← C + A Aᵀ, of C the lower triangle alone: n x n, n x k.
void add_self_product(Eigen::MatrixXd& c, const Eigen::MatrixXd& a);
/// The upper triangle of C becomes its lower one: C = Cᵀ.
void mirror_lower(Eigen::MatrixXd& c);

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

/// R of A = QR, upper triangular: min(m, n) x n of A, m x n. RᵀR = AᵀA.
[[nodiscard]] Eigen::MatrixXd upper_factor(Eigen::MatrixXd a);

/// x with the least |Ax − b|, of several the shortest: m x n, m ≥ n; n x 1.
[[nodiscard]] Eigen::VectorXd least_squares(Eigen::MatrixXd a, Eigen::VectorXd b);

}  // namespace avrenk
