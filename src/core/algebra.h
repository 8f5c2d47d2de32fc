/// core/algebra.h: matrices and vectors. The one place that includes Eigen's dense matrices, so that every file has
/// products of dynamic size the same way: they are calls of plain functions over BLAS (product.cpp), whatever the types
/// of the operands are. Eigen's own would be compiled anew for each combination of types, which takes most of the time
/// that a file compiles. Decompositions: dense.h.
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <complex>
#include <concepts>
#include <type_traits>

namespace avrenk {

using Vector3 = Eigen::Vector3d;
using Matrix3 = Eigen::Matrix3d;
using Vector6 = Eigen::Matrix<double, 6, 1>;
using Matrix6 = Eigen::Matrix<double, 6, 6>;

}  // namespace avrenk

namespace avrenk::product {

/// A dense matrix in memory: entry (i, j) stands at data[i · down + j · across].
template <typename Scalar>
struct Operand {
  const Scalar* data;
  Eigen::Index rows, columns, down, across;
  bool conjugate = false;
};
template <typename Scalar>
struct Target {
  Scalar* data;
  Eigen::Index rows, columns, down, across;
};
enum class Into { set, add };

/// C = α A B, or C += α A B. A real operand beside a complex one costs two real products, not a complex one.
/// C must not lie over A or B.
void multiply(Into into, Target<double> c, double alpha, Operand<double> a, Operand<double> b);
using Complex = std::complex<double>;
void multiply(Into into, Target<Complex> c, Complex alpha, Operand<Complex> a, Operand<Complex> b);
void multiply(Into into, Target<Complex> c, Complex alpha, Operand<double> a, Operand<Complex> b);
void multiply(Into into, Target<Complex> c, Complex alpha, Operand<Complex> a, Operand<double> b);

template <typename Scalar>
concept Number = std::same_as<Scalar, double> || std::same_as<Scalar, Complex>;

/// What stands before an expression as a factor taken out, and what it is in memory, evaluated if it is not there yet.
template <typename Expression>
class Evaluated {
  using Traits = Eigen::internal::blas_traits<Expression>;
  using Scalar = typename Expression::Scalar;

 public:
  explicit Evaluated(const Expression& expression)
      : factor_(Traits::extractScalarFactor(expression)), matrix_(Traits::extract(expression)) {}
  [[nodiscard]] Operand<Scalar> operand() const {
    return {matrix_.data(),      matrix_.rows(),      matrix_.cols(),
            matrix_.rowStride(), matrix_.colStride(), Traits::NeedToConjugate};
  }
  [[nodiscard]] Scalar factor() const { return factor_; }

 private:
  Scalar factor_;
  typename Eigen::internal::add_const_on_value_type<typename Traits::DirectLinearAccessType>::type matrix_;
};

template <typename Left, typename Right>
struct ByBlas {
  using Scalar = typename Eigen::Product<Left, Right>::Scalar;
  template <typename Result>
  static void run(Into into, Result& result, const Left& left, const Right& right, Scalar alpha) {
    const Evaluated<Left> a(left);
    const Evaluated<Right> b(right);
    multiply(into, {result.data(), result.rows(), result.cols(), result.rowStride(), result.colStride()},
             alpha * a.factor() * b.factor(), a.operand(), b.operand());
  }
  template <typename Result>
  static void evalTo(Result& result, const Left& left, const Right& right) {
    run(Into::set, result, left, right, Scalar(1));
  }
  template <typename Result>
  static void addTo(Result& result, const Left& left, const Right& right) {
    run(Into::add, result, left, right, Scalar(1));
  }
  template <typename Result>
  static void subTo(Result& result, const Left& left, const Right& right) {
    run(Into::add, result, left, right, Scalar(-1));
  }
  template <typename Result>
  static void scaleAndAddTo(Result& result, const Left& left, const Right& right, const Scalar& alpha) {
    run(Into::add, result, left, right, alpha);
  }
};

}  // namespace avrenk::product

namespace Eigen::internal {

template <typename Left, typename Right>
requires avrenk::product::Number<typename Left::Scalar> && avrenk::product::Number<typename Right::Scalar>
struct generic_product_impl<Left, Right, DenseShape, DenseShape, GemmProduct> : avrenk::product::ByBlas<Left, Right> {
};

template <typename Left, typename Right>
requires avrenk::product::Number<typename Left::Scalar> && avrenk::product::Number<typename Right::Scalar>
struct generic_product_impl<Left, Right, DenseShape, DenseShape, GemvProduct> : avrenk::product::ByBlas<Left, Right> {
};

}  // namespace Eigen::internal
