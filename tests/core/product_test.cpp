// Products of dense matrices, whatever their types and shapes, against sums written out.
#include <gtest/gtest.h>

#include <limits>
#include <random>

#include "core/algebra.h"

namespace avrenk {
namespace {

using Complex = std::complex<double>;
using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using RowMajorXd = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

template <typename Scalar>
Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic> drawn(Index rows, Index columns, unsigned seed) {
  std::mt19937 generator(seed);
  std::uniform_real_distribution<double> entry(-1, 1);
  Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic> matrix(rows, columns);
  for (Index j = 0; j < columns; ++j)
    for (Index i = 0; i < rows; ++i) {
      const double real = entry(generator);
      if constexpr (std::is_same_v<Scalar, double>)
        matrix(i, j) = real;
      else
        matrix(i, j) = {real, entry(generator)};
    }
  return matrix;
}

// Σ a_ik b_kj, entry by entry.
template <typename A, typename B>
MatrixXcd summed(const A& a, const B& b) {
  MatrixXcd sum = MatrixXcd::Zero(a.rows(), b.cols());
  for (Index i = 0; i < a.rows(); ++i)
    for (Index j = 0; j < b.cols(); ++j)
      for (Index k = 0; k < a.cols(); ++k) sum(i, j) += Complex(a(i, k)) * Complex(b(k, j));
  return sum;
}

template <typename C>
void expect_same(const C& found, const MatrixXcd& exact, double depth) {
  ASSERT_EQ(found.rows(), exact.rows());
  ASSERT_EQ(found.cols(), exact.cols());
  if (exact.size() == 0) return;
  EXPECT_LE((found.template cast<Complex>() - exact).cwiseAbs().maxCoeff(), 1e-15 * (4 + depth));
}

// m x k times k x n for sizes on both sides of where loops give way to BLAS, none and one among them.
template <typename Left, typename Right>
void check(Index m, Index k, Index n) {
  SCOPED_TRACE(testing::Message() << m << " x " << k << " times " << k << " x " << n);
  using Scalar = typename Eigen::ScalarBinaryOpTraits<Left, Right>::ReturnType;
  using Matrix = Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic>;
  const auto a = drawn<Left>(m, k, 1);
  const auto b = drawn<Right>(k, n, 2);
  const auto a_turned = drawn<Left>(k, m, 3);
  const auto b_turned = drawn<Right>(n, k, 4);
  const auto depth = static_cast<double>(k);
  const MatrixXcd plain = summed(a, b);
  expect_same(Matrix(a * b), plain, depth);
  expect_same(Matrix(a_turned.transpose() * b), summed(a_turned.transpose(), b), depth);
  expect_same(Matrix(a * b_turned.transpose()), summed(a, b_turned.transpose()), depth);
  expect_same(Matrix(a_turned.adjoint() * b_turned.adjoint()), summed(a_turned.adjoint(), b_turned.adjoint()), depth);
  expect_same(Matrix(a.conjugate() * b.conjugate()), summed(a.conjugate(), b.conjugate()), depth);
  expect_same(Matrix((2.0 * a) * (-b)), -2 * plain, 3 * depth);
  // What was there before does not count where it is set, whatever it was; it does where it is added to.
  Matrix set = Matrix::Constant(m, n, std::numeric_limits<double>::quiet_NaN());
  set.noalias() = a * b;
  expect_same(set, plain, depth);
  Matrix sum = Matrix::Ones(m, n);
  sum += a * b;
  sum.noalias() += a * b;
  sum.noalias() -= 3.0 * (a * b);
  expect_same(sum, MatrixXcd::Ones(m, n) - plain, 6 * depth);
  // Into blocks, rows and other orders of storage.
  Matrix frame = Matrix::Constant(m + 2, n + 3, Scalar(7));
  frame.block(1, 2, m, n) = a * b;
  expect_same(frame.block(1, 2, m, n).eval(), plain, depth);
  EXPECT_EQ(frame.row(0), (Matrix::Constant(m + 2, n + 3, Scalar(7)).row(0)));
  EXPECT_EQ(frame.col(1), (Matrix::Constant(m + 2, n + 3, Scalar(7)).col(1)));
  Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor> by_rows = a * b;
  expect_same(by_rows, plain, depth);
  by_rows.noalias() = by_rows.eval() * 0.0 + a_turned.transpose() * b;
  expect_same(by_rows, summed(a_turned.transpose(), b), depth);
  // Matrices that lie apart in memory: every second column and every second row.
  const auto wide = drawn<Left>(2 * m, 2 * k, 5);
  const Eigen::Map<const Eigen::Matrix<Left, Eigen::Dynamic, Eigen::Dynamic>, 0,
                   Eigen::Stride<Eigen::Dynamic, Eigen::Dynamic>>
      apart(wide.data(), m, k, {4 * std::max<Index>(1, m), 2});
  if (m > 0 && k > 0) expect_same(Matrix(apart * b), summed(apart, b), depth);
  if (n == 0 || m == 0) return;
  const Eigen::Matrix<Scalar, Eigen::Dynamic, 1> column = a * b.col(0);
  expect_same(column, plain.col(0), depth);
  const Eigen::Matrix<Scalar, 1, Eigen::Dynamic> row = a.row(m - 1) * b;
  expect_same(row, plain.row(m - 1), depth);
  Matrix into = frame;
  into.row(m / 2).tail(n) = a.row(0).conjugate() * b;
  expect_same(into.row(m / 2).tail(n).eval(), summed(a.row(0).conjugate(), b), depth);
  into.col(0).head(m).noalias() += a * b_turned.row(0).adjoint();
  expect_same(into.col(0).head(m).eval(),
              frame.col(0).head(m).template cast<Complex>() + summed(a, b_turned.row(0).adjoint()), 2 * depth);
}

TEST(Product, IsTheSumWhateverTheTypesAndSizes) {
  for (const Index m : {0, 1, 3, 8, 33})
    for (const Index k : {0, 1, 5, 21})
      for (const Index n : {0, 1, 2, 9, 30}) {
        check<double, double>(m, k, n);
        check<Complex, Complex>(m, k, n);
        check<double, Complex>(m, k, n);
        check<Complex, double>(m, k, n);
      }
}

// A matrix that is a factor of its own product is taken as it was.
TEST(Product, MayBeOfItself) {
  for (const Index n : {2, 25}) {
    MatrixXd a = drawn<double>(n, n, 6);
    const MatrixXcd square = summed(a, a);
    a = a * a;
    expect_same(a, square, static_cast<double>(n));
  }
}

}  // namespace
}  // namespace avrenk
