#include <cblas.h>

#include <algorithm>
#include <vector>

#include "core/algebra.h"

namespace avrenk::product {
namespace {

using Eigen::Index;

template <typename Scalar>
using Matrix = Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic>;
// Any Target or Operand as a matrix of Eigen, to copy from or to.
template <typename Scalar>
using Strided = Eigen::Map<Matrix<std::remove_const_t<Scalar>>, 0, Eigen::Stride<Eigen::Dynamic, Eigen::Dynamic>>;
template <typename Scalar>
Strided<Scalar> map_of(const Target<Scalar>& c) {
  return {c.data, c.rows, c.columns, {c.across, c.down}};
}
template <typename Scalar>
Matrix<Scalar> copy_of(const Operand<Scalar>& a) {
  Matrix<Scalar> copy = Strided<Scalar>(const_cast<Scalar*>(a.data), a.rows, a.columns, {a.across, a.down});
  if constexpr (std::is_same_v<Scalar, Complex>)
    if (a.conjugate) copy = copy.conjugate().eval();
  return copy;
}
template <typename Scalar>
Operand<Scalar> operand_of(const Matrix<Scalar>& a) {
  return {a.data(), a.rows(), a.cols(), 1, std::max<Index>(1, a.rows())};
}
template <typename Scalar>
Operand<Scalar> transposed(const Operand<Scalar>& a) {
  return {a.data, a.columns, a.rows, a.across, a.down, a.conjugate};
}
template <typename Scalar>
Target<Scalar> transposed(const Target<Scalar>& c) {
  return {c.data, c.columns, c.rows, c.across, c.down};
}
template <typename Scalar>
Scalar entry(const Operand<Scalar>& a, Index i, Index j) {
  const Scalar value = a.data[i * a.down + j * a.across];
  if constexpr (std::is_same_v<Scalar, Complex>) return a.conjugate ? std::conj(value) : value;
  return value;
}

int number(Index n) { return static_cast<int>(n); }

// Columns one after the other, each without gaps: what BLAS takes as it is.
template <typename Array>
bool is_by_columns(const Array& a) {
  return (a.down == 1 || a.rows <= 1) && (a.across >= std::max<Index>(1, a.rows));
}

// How BLAS is told of an operand.
template <typename Scalar>
struct Told {
  CBLAS_TRANSPOSE kind = CblasNoTrans;
  int stride = 1;
  const Scalar* data = nullptr;
  Matrix<Scalar> copy{};
  explicit Told(const Operand<Scalar>& a) : data(a.data) {
    if (is_by_columns(a)) {
      kind = a.conjugate ? CblasConjNoTrans : CblasNoTrans;
      stride = number(a.across);
    } else if (is_by_columns(transposed(a))) {
      kind = a.conjugate ? CblasConjTrans : CblasTrans;
      stride = number(a.down);
    } else {
      copy = copy_of(a);
      data = copy.data();
      stride = number(std::max<Index>(1, copy.rows()));
    }
  }
};

void gemm(const Told<double>& a, const Told<double>& b, const Target<double>& c, Index depth, double alpha,
          double beta) {
  cblas_dgemm(CblasColMajor, a.kind, b.kind, number(c.rows), number(c.columns), number(depth), alpha, a.data, a.stride,
              b.data, b.stride, beta, c.data, number(c.across));
}
void gemm(const Told<Complex>& a, const Told<Complex>& b, const Target<Complex>& c, Index depth, Complex alpha,
          Complex beta) {
  cblas_zgemm(CblasColMajor, a.kind, b.kind, number(c.rows), number(c.columns), number(depth), &alpha, a.data, a.stride,
              b.data, b.stride, &beta, c.data, number(c.across));
}
void gemv(const Told<double>& a, int rows, int columns, const double* x, int step, double* y, int step_of_y,
          double alpha, double beta) {
  cblas_dgemv(CblasColMajor, a.kind, rows, columns, alpha, a.data, a.stride, x, step, beta, y, step_of_y);
}
void gemv(const Told<Complex>& a, int rows, int columns, const Complex* x, int step, Complex* y, int step_of_y,
          Complex alpha, Complex beta) {
  cblas_zgemv(CblasColMajor, a.kind, rows, columns, &alpha, a.data, a.stride, x, step, &beta, y, step_of_y);
}

// A column: c = α A b.
template <typename Scalar>
void multiply_vector(Into into, const Target<Scalar>& c, Scalar alpha, const Operand<Scalar>& a,
                     const Operand<Scalar>& b) {
  const Told<Scalar> told(a);
  Matrix<Scalar> copy;
  const bool as_it_is = b.down > 0 && !b.conjugate;
  if (!as_it_is) copy = copy_of(b);
  const bool by_columns = told.kind == CblasNoTrans || told.kind == CblasConjNoTrans;
  gemv(told, number(by_columns ? a.rows : a.columns), number(by_columns ? a.columns : a.rows),
       as_it_is ? b.data : copy.data(), as_it_is ? number(b.down) : 1, c.data, number(c.down), alpha,
       Scalar(into == Into::add ? 1 : 0));
}

// Below this sum of the three sizes a loop is done before BLAS has begun.
constexpr Index small = 20;

template <typename Scalar>
void multiply_same(Into into, Target<Scalar> c, Scalar alpha, const Operand<Scalar>& a, const Operand<Scalar>& b) {
  const Index depth = a.columns;
  if (c.rows == 0 || c.columns == 0) return;
  if (c.rows + c.columns + depth < small) {
    for (Index j = 0; j < c.columns; ++j)
      for (Index i = 0; i < c.rows; ++i) {
        Scalar sum = 0;
        for (Index k = 0; k < depth; ++k) sum += entry(a, i, k) * entry(b, k, j);
        if (alpha != Scalar(1)) sum *= alpha;
        Scalar& here = c.data[i * c.down + j * c.across];
        here = into == Into::set ? sum : here + sum;
      }
    return;
  }
  if (depth == 0) {
    if (into == Into::set) map_of(c).setZero();
    return;
  }
  if (c.columns == 1) return multiply_vector(into, c, alpha, a, b);
  if (c.rows == 1) return multiply_vector(into, transposed(c), alpha, transposed(b), transposed(a));
  if (is_by_columns(c)) return gemm(Told<Scalar>(a), Told<Scalar>(b), c, depth, alpha, into == Into::add ? 1 : 0);
  if (is_by_columns(transposed(c)))
    return gemm(Told<Scalar>(transposed(b)), Told<Scalar>(transposed(a)), transposed(c), depth, alpha,
                into == Into::add ? 1 : 0);
  Matrix<Scalar> result(c.rows, c.columns);
  multiply_same<Scalar>(Into::set, {result.data(), c.rows, c.columns, 1, c.rows}, alpha, a, b);
  if (into == Into::set)
    map_of(c) = result;
  else
    map_of(c) += result;
}

// C (+)= α (re + i im).
void combine(Into into, const Target<Complex>& c, Complex alpha, const Eigen::Ref<const Matrix<double>>& re,
             const Eigen::Ref<const Matrix<double>>& im) {
  for (Index j = 0; j < c.columns; ++j)
    for (Index i = 0; i < c.rows; ++i) {
      const Complex value = alpha * Complex(re(i, j), im(i, j));
      Complex& here = c.data[i * c.down + j * c.across];
      here = into == Into::set ? value : here + value;
    }
}

// Real and imaginary parts side by side, rows x 2 columns.
Matrix<double> parts_of(const Operand<Complex>& a) {
  Matrix<double> parts(a.rows, 2 * a.columns);
  for (Index j = 0; j < a.columns; ++j)
    for (Index i = 0; i < a.rows; ++i) {
      const Complex value = entry(a, i, j);
      parts(i, j) = value.real();
      parts(i, a.columns + j) = value.imag();
    }
  return parts;
}

}  // namespace

void multiply(Into into, Target<double> c, double alpha, Operand<double> a, Operand<double> b) {
  multiply_same(into, c, alpha, a, b);
}

void multiply(Into into, Target<Complex> c, Complex alpha, Operand<Complex> a, Operand<Complex> b) {
  multiply_same(into, c, alpha, a, b);
}

void multiply(Into into, Target<Complex> c, Complex alpha, Operand<double> a, Operand<Complex> b) {
  const Matrix<double> parts = parts_of(b);
  Matrix<double> both(a.rows, parts.cols());
  multiply_same<double>(Into::set, {both.data(), both.rows(), both.cols(), 1, std::max<Index>(1, both.rows())}, 1, a,
                        operand_of(parts));
  combine(into, c, alpha, both.leftCols(b.columns), both.rightCols(b.columns));
}

void multiply(Into into, Target<Complex> c, Complex alpha, Operand<Complex> a, Operand<double> b) {
  multiply(into, transposed(c), alpha, transposed(b), transposed(a));
}

}  // namespace avrenk::product
