#include "core/dense.h"

#include <gmock/gmock.h>

#include <algorithm>
#include <numbers>

#include "core/error.h"

namespace avrenk {
namespace {

using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXd;

MatrixXd random_matrix(int rows, int columns, unsigned seed) {
  std::srand(seed);
  return MatrixXd::Random(rows, columns);
}

// Each decomposition gives back what it was made of, to 1e-12 of its size, for no row, one and many.
TEST(Dense, DecompositionsAreWhatTheySay) {
  for (const int n : {0, 1, 2, 7, 40}) {
    SCOPED_TRACE(n);
    const MatrixXd any = random_matrix(n, n, 1), a = 0.5 * (any + any.transpose()),
                   b = any * any.transpose() + MatrixXd::Identity(n, n);
    const double near = 1e-12 * (1 + n);
    const SymmetricEigen own = symmetric_eigen(a);
    EXPECT_LE((a * own.vectors - own.vectors * own.values.asDiagonal()).norm(), near);
    EXPECT_LE((own.vectors.transpose() * own.vectors - MatrixXd::Identity(n, n)).norm(), near);
    EXPECT_TRUE(std::is_sorted(own.values.begin(), own.values.end()));
    const SymmetricEigen two = symmetric_eigen(a, b);
    EXPECT_LE((a * two.vectors - b * two.vectors * two.values.asDiagonal()).norm(), near * (1 + b.norm()));
    EXPECT_LE((two.vectors.transpose() * b * two.vectors - MatrixXd::Identity(n, n)).norm(), near);
    const MatrixXd right = random_matrix(n, 3, 2);
    EXPECT_LE((a * solve_symmetric(a, right) - right).norm(), 1e3 * near);
    EXPECT_LE((symmetric_eigenvalues(a) - own.values).norm(), near);
    const auto lower = cholesky(b);
    ASSERT_TRUE(lower);
    EXPECT_LE((*lower * lower->transpose() - b).norm(), near * (1 + b.norm()));
    EXPECT_TRUE(lower->isLowerTriangular(0));
    EXPECT_LE((b * solve_cholesky(*lower, right) - right).norm(), near * (1 + b.norm()));
    MatrixXd divided = right.transpose();
    divide_by_transposed(divided, *lower);
    EXPECT_LE((divided * lower->transpose() - right.transpose()).norm(), near * (1 + b.norm()));
    EXPECT_LE((b * inverse(b) - MatrixXd::Identity(n, n)).norm(), near * (1 + b.norm()));
    MatrixXd products = a;
    add_self_product(products, right);
    mirror_lower(products);
    EXPECT_LE((products - a - right * right.transpose()).norm(), near);
    const MatrixXd upper = upper_factor(right);
    EXPECT_LE((upper.transpose() * upper - right.transpose() * right).norm(), near);
    EXPECT_TRUE(upper.isUpperTriangular(0));
    EXPECT_EQ(upper.rows(), std::min(n, 3));
    const MatrixXcd c = any.cast<std::complex<double>>() + std::complex<double>(0, 1) * b;
    const RealLu real(c.real());
    EXPECT_LE((c.real() * real.solve(right) - right).norm(), 1e3 * near);
    EXPECT_EQ(real.has_positive_determinant(), c.real().determinant() > 0);
    EXPECT_LE((c * ComplexLu(c).solve(right.cast<std::complex<double>>()) - right).norm(), 1e3 * near);
    // The sum and the product of the eigenvalues are trace and determinant.
    const ComplexEigen eigen = complex_eigen(c);
    ASSERT_EQ(eigen.values.size(), n);
    EXPECT_LE(std::abs(eigen.values.sum() - c.trace()), near * (1 + b.norm()));
    EXPECT_LE((c * eigen.vectors - eigen.vectors * eigen.values.asDiagonal()).norm(), near * (1 + b.norm()));
    const ComplexSchur schur = complex_schur(c);
    EXPECT_LE((c - schur.vectors * schur.triangle * schur.vectors.adjoint()).norm(), near * (1 + b.norm()));
    EXPECT_LE((schur.vectors.adjoint() * schur.vectors - MatrixXcd::Identity(n, n)).norm(), near);
    EXPECT_TRUE(schur.triangle.isUpperTriangular(0));
  }
}

// A matrix with an eigenvalue of zero or below has no Cholesky factor.
TEST(Dense, OnlyPositiveMatricesHaveACholeskyFactor) {
  for (const double lowest : {-1.0, 0.0}) {
    const MatrixXd q = orthonormal_basis(random_matrix(4, 4, 5), 4);
    EXPECT_FALSE(
        cholesky(q * Eigen::Vector4d(lowest, 1, 2, 3).asDiagonal() * q.transpose() - 1e-14 * MatrixXd::Identity(4, 4)));
  }
}

// Of a tensor by both ways: λ in ascending order, A v = λ v; in closed form to what it promises, also of equal values.
TEST(Dense, TensorsHavePrincipalAxes) {
  for (unsigned seed = 1; seed <= 100; ++seed) {
    const MatrixXd any = random_matrix(3, 3, seed);
    Eigen::Matrix3d a = any + any.transpose();
    if (seed % 5 == 0) a = Eigen::Matrix3d::Identity() + 1e-9 * a;
    const auto check = [&](const TensorEigen& found, double near) {
      EXPECT_TRUE(std::is_sorted(found.values.begin(), found.values.end()));
      EXPECT_LE((a * found.vectors - found.vectors * found.values.asDiagonal()).norm(), near * a.norm());
      EXPECT_LE((found.vectors.transpose() * found.vectors - Eigen::Matrix3d::Identity()).norm(), near);
    };
    check(tensor_eigen(a), 1e-14);
    check(tensor_eigen_directly(a), 1e-7);
  }
}

// Eigenvalues of a companion matrix are the roots of its polynomial: z⁵ = 1.
TEST(Dense, ComplexEigenvaluesAreRoots) {
  MatrixXcd companion = MatrixXcd::Zero(5, 5);
  companion.diagonal(-1).setOnes();
  companion(0, 4) = 1;
  const Eigen::VectorXcd roots = complex_eigen(companion).values;
  for (int k = 0; k < 5; ++k) {
    const std::complex<double> exact = std::polar(1.0, 2 * std::numbers::pi * k / 5);
    EXPECT_LE((roots.array() - exact).abs().minCoeff(), 1e-14);
  }
}

TEST(Dense, BasesAreOrthonormalAndExtended) {
  for (const auto& [rows, columns, wanted] : {std::array{6, 2, 2}, {6, 2, 6}, {3, 6, 3}, {4, 1, 3}, {5, 0, 2}}) {
    const MatrixXd a = random_matrix(rows, columns, 3), q = orthonormal_basis(a, wanted);
    EXPECT_LE((q.transpose() * q - MatrixXd::Identity(wanted, wanted)).norm(), 1e-14);
    const int held = std::min(columns, wanted);  // what the columns span lies in the first of the basis
    const MatrixXd first = a.leftCols(held), back = q.leftCols(held) * (q.leftCols(held).transpose() * first);
    EXPECT_LE((back - first).norm(), 1e-14 * (1 + first.norm()));
  }
}

// Of many solutions the shortest: a singular matrix answers with its pseudo-inverse.
TEST(Dense, LeastSquaresAreShortest) {
  MatrixXd a(3, 2);
  a << 1, 1, 2, 2, 3, 3;
  const VectorXd x = least_squares(a, Eigen::Vector3d(1, 2, 4));
  EXPECT_NEAR(x[0], 17.0 / 28, 1e-14);  // t = aᵀb/2aᵀa with a = (1, 2, 3)
  EXPECT_NEAR(x[1], x[0], 1e-15);
  EXPECT_EQ(least_squares(MatrixXd::Zero(3, 3), VectorXd::Ones(3)).norm(), 0);
}

TEST(Dense, RefuseWhatHasNoAnswer) {
  EXPECT_THROW((void)solve_symmetric(MatrixXd::Zero(2, 2), MatrixXd::Ones(2, 1)), NumericalError);
  EXPECT_THROW((void)symmetric_eigen(MatrixXd::Identity(2, 2), MatrixXd(-MatrixXd::Identity(2, 2))), NumericalError);
}

}  // namespace
}  // namespace avrenk
