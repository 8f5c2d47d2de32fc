#include "core/dense.h"

#include <cblas.h>
#include <fmt/format.h>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <complex>

#include "core/error.h"
#include "core/words.h"

#define LAPACK_COMPLEX_CUSTOM
#define lapack_complex_float std::complex<float>
#define lapack_complex_double std::complex<double>
#include <lapack.h>

namespace avrenk {
namespace {

int size(Eigen::Index n) { return static_cast<int>(n); }

// Asks a routine for its workspace, then lets it work.
template <typename Scalar, typename Call>
void with_workspace(const Call& call) {
  Scalar best = 0;
  call(&best, -1);
  const int length = static_cast<int>(std::real(best));
  std::vector<Scalar> work(static_cast<std::size_t>(std::max(1, length)));
  call(work.data(), length);
}

// A = QR in place, m x n: R above the diagonal, the reflections of Q below it; their factors.
std::vector<double> reflections_of(Eigen::MatrixXd& a) {
  const int m = size(a.rows()), n = size(a.cols());
  std::vector<double> factors(static_cast<std::size_t>(std::max(1, std::min(m, n))));
  int info = 0;
  if (m > 0 && n > 0)
    with_workspace<double>(
        [&](double* work, int length) { LAPACK_dgeqrf(&m, &n, a.data(), &m, factors.data(), work, &length, &info); });
  return factors;
}

// @param info  of LAPACK: 0 where it came to an end
void require(int info, const char* what, int n) {
  if (info != 0)
    throw NumericalError(
        fmt::format("{} of {} has no solution in numbers of this size; look for an amount or a unit in the plan that "
                    "cannot be meant",
                    what, counted(static_cast<std::size_t>(n), "unknown")));
}

}  // namespace

SymmetricEigen symmetric_eigen(Eigen::MatrixXd a) {
  const int n = size(a.rows());
  SymmetricEigen result{Eigen::VectorXd(n), std::move(a)};
  if (n == 0) return result;
  int info = 0, integers = 0, ask = -1;
  double best = 0;
  double* const matrix = result.vectors.data();
  LAPACK_dsyevd("V", "L", &n, matrix, &n, result.values.data(), &best, &ask, &integers, &ask, &info);
  const int length = static_cast<int>(best);
  std::vector<double> work(static_cast<std::size_t>(length));
  std::vector<int> whole(static_cast<std::size_t>(integers));
  LAPACK_dsyevd("V", "L", &n, matrix, &n, result.values.data(), work.data(), &length, whole.data(), &integers, &info);
  require(info, "a symmetric eigenvalue problem", n);
  return result;
}

SymmetricEigen symmetric_eigen(Eigen::MatrixXd a, Eigen::MatrixXd b) {
  const int n = size(a.rows()), kind = 1;
  SymmetricEigen result{Eigen::VectorXd(n), std::move(a)};
  if (n == 0) return result;
  int info = 0, integers = 0, ask = -1;
  double best = 0;
  double *const matrix = result.vectors.data(), *const metric = b.data();
  LAPACK_dsygvd(&kind, "V", "L", &n, matrix, &n, metric, &n, result.values.data(), &best, &ask, &integers, &ask, &info);
  const int length = static_cast<int>(best);
  std::vector<double> work(static_cast<std::size_t>(length));
  std::vector<int> whole(static_cast<std::size_t>(integers));
  LAPACK_dsygvd(&kind, "V", "L", &n, matrix, &n, metric, &n, result.values.data(), work.data(), &length, whole.data(),
                &integers, &info);
  if (info > n)
    throw NumericalError(
        fmt::format("some of {} have no mass, or less than none", counted(static_cast<std::size_t>(n), "unknown")));
  require(info, "a symmetric eigenvalue problem of two matrices", n);
  return result;
}

Eigen::VectorXd symmetric_eigenvalues(Eigen::MatrixXd a) {
  const int n = size(a.rows());
  Eigen::VectorXd values(n);
  if (n == 0) return values;
  int info = 0;
  with_workspace<double>(
      [&](double* work, int length) { LAPACK_dsyev("N", "L", &n, a.data(), &n, values.data(), work, &length, &info); });
  require(info, "a symmetric eigenvalue problem", n);
  return values;
}

TensorEigen tensor_eigen(const Eigen::Matrix3d& a) {
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(a);
  return {solver.eigenvalues(), solver.eigenvectors()};
}

TensorEigen tensor_eigen_directly(const Eigen::Matrix3d& a) {
  Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver;
  solver.computeDirect(a);
  return {solver.eigenvalues(), solver.eigenvectors()};
}

ComplexEigen complex_eigen(Eigen::MatrixXcd a) {
  const int n = size(a.rows()), one = 1;
  ComplexEigen result{Eigen::VectorXcd(n), Eigen::MatrixXcd(n, n)};
  if (n == 0) return result;
  std::vector<double> real_work(static_cast<std::size_t>(2 * n));
  int info = 0;
  with_workspace<std::complex<double>>([&](std::complex<double>* work, int length) {
    LAPACK_zgeev("N", "V", &n, a.data(), &n, result.values.data(), nullptr, &one, result.vectors.data(), &n, work,
                 &length, real_work.data(), &info);
  });
  require(info, "a complex eigenvalue problem", n);
  return result;
}

ComplexSchur complex_schur(Eigen::MatrixXcd a) {
  const int n = size(a.rows());
  ComplexSchur result{std::move(a), Eigen::MatrixXcd(n, n)};
  if (n == 0) return result;
  std::vector<double> real_work(static_cast<std::size_t>(n));
  Eigen::VectorXcd values(n);
  int info = 0, sorted = 0;
  with_workspace<std::complex<double>>([&](std::complex<double>* work, int length) {
    LAPACK_zgees("V", "N", nullptr, &n, result.triangle.data(), &n, &sorted, values.data(), result.vectors.data(), &n,
                 work, &length, real_work.data(), nullptr, &info);
  });
  require(info, "a complex Schur form", n);
  return result;
}

Eigen::MatrixXd solve_symmetric(Eigen::MatrixXd a, Eigen::MatrixXd b) {
  const int n = size(a.rows()), count = size(b.cols());
  if (n == 0 || count == 0) return b;
  std::vector<int> pivots(static_cast<std::size_t>(n));
  int info = 0;
  with_workspace<double>([&](double* work, int length) {
    LAPACK_dsysv("L", &n, &count, a.data(), &n, pivots.data(), b.data(), &n, work, &length, &info);
  });
  require(info, "a symmetric system of equations", n);
  return b;
}

std::optional<Eigen::MatrixXd> cholesky(Eigen::MatrixXd a) {
  const int n = size(a.rows());
  if (n == 0) return a;
  int info = 0;
  LAPACK_dpotrf("L", &n, a.data(), &n, &info);
  if (info != 0) return std::nullopt;
  a.triangularView<Eigen::StrictlyUpper>().setZero();
  return a;
}

Eigen::MatrixXd solve_cholesky(const Eigen::MatrixXd& lower, Eigen::MatrixXd b) {
  const int n = size(b.rows()), count = size(b.cols());
  int info = 0;
  if (n > 0 && count > 0) LAPACK_dpotrs("L", &n, &count, lower.data(), &n, b.data(), &n, &info);
  return b;
}

void divide_by_transposed(Eigen::Ref<Eigen::MatrixXd> x, const Eigen::MatrixXd& lower) {
  if (x.size() > 0)
    cblas_dtrsm(CblasColMajor, CblasRight, CblasLower, CblasTrans, CblasNonUnit, size(x.rows()), size(x.cols()), 1,
                lower.data(), size(lower.rows()), x.data(), size(x.outerStride()));
}

Eigen::MatrixXd inverse(const Eigen::MatrixXd& a) {
  return RealLu(a).solve(Eigen::MatrixXd::Identity(a.rows(), a.cols()));
}

void add_self_product(Eigen::MatrixXd& c, const Eigen::MatrixXd& a) {
  if (c.size() > 0 && a.size() > 0)
    cblas_dsyrk(CblasColMajor, CblasLower, CblasNoTrans, size(c.rows()), size(a.cols()), 1, a.data(), size(a.rows()), 1,
                c.data(), size(c.rows()));
}

void mirror_lower(Eigen::MatrixXd& c) {
  for (Eigen::Index j = 1; j < c.cols(); ++j)
    for (Eigen::Index i = 0; i < j; ++i) c(i, j) = c(j, i);
}

ComplexLu::ComplexLu(Eigen::MatrixXcd a) : factors_(std::move(a)), pivots_(static_cast<std::size_t>(factors_.rows())) {
  const int n = size(factors_.rows());
  int info = 0;
  if (n > 0) LAPACK_zgetrf(&n, &n, factors_.data(), &n, pivots_.data(), &info);
}

Eigen::MatrixXcd ComplexLu::solve(Eigen::MatrixXcd b) const {
  const int n = size(factors_.rows()), count = size(b.cols());
  int info = 0;
  if (n > 0 && count > 0) LAPACK_zgetrs("N", &n, &count, factors_.data(), &n, pivots_.data(), b.data(), &n, &info);
  return b;
}

RealLu::RealLu(Eigen::MatrixXd a) : factors_(std::move(a)), pivots_(static_cast<std::size_t>(factors_.rows())) {
  const int n = size(factors_.rows());
  int info = 0;
  if (n > 0) LAPACK_dgetrf(&n, &n, factors_.data(), &n, pivots_.data(), &info);
}

Eigen::MatrixXd RealLu::solve(Eigen::MatrixXd b) const {
  const int n = size(factors_.rows()), count = size(b.cols());
  int info = 0;
  if (n > 0 && count > 0) LAPACK_dgetrs("N", &n, &count, factors_.data(), &n, pivots_.data(), b.data(), &n, &info);
  return b;
}

bool RealLu::has_positive_determinant() const {
  bool positive = true;
  for (Eigen::Index i = 0; i < factors_.rows(); ++i) {
    if (factors_(i, i) == 0) return false;
    positive = positive == ((factors_(i, i) > 0) == (pivots_[static_cast<std::size_t>(i)] == i + 1));
  }
  return positive;
}

Eigen::MatrixXd orthonormal_basis(Eigen::MatrixXd a, Eigen::Index columns) {
  const int m = size(a.rows()), n = size(a.cols()), wanted = size(columns), reflections = std::min({m, n, wanted});
  Eigen::MatrixXd q = Eigen::MatrixXd::Zero(m, columns);
  if (m == 0 || wanted == 0) return q;
  const std::vector<double> factors = reflections_of(a);
  int info = 0;
  q.leftCols(reflections) = a.leftCols(reflections);
  with_workspace<double>([&](double* work, int length) {
    LAPACK_dorgqr(&m, &wanted, &reflections, q.data(), &m, factors.data(), work, &length, &info);
  });
  return q;
}

Eigen::MatrixXd upper_factor(Eigen::MatrixXd a) {
  const Eigen::Index least = std::min(a.rows(), a.cols());
  (void)reflections_of(a);
  Eigen::MatrixXd upper = a.topRows(least);
  for (Eigen::Index j = 0; j < least; ++j) upper.col(j).tail(least - j - 1).setZero();
  return upper;
}

Eigen::VectorXd least_squares(Eigen::MatrixXd a, Eigen::VectorXd b) {
  const int m = size(a.rows()), n = size(a.cols()), one = 1;
  constexpr double rounding = 1e-14;  // a column that depends on the others by less than this counts as dependent
  std::vector<int> order(static_cast<std::size_t>(n));
  int info = 0, rank = 0;
  with_workspace<double>([&](double* work, int length) {
    LAPACK_dgelsy(&m, &n, &one, a.data(), &m, b.data(), &m, order.data(), &rounding, &rank, work, &length, &info);
  });
  return b.head(n);
}

}  // namespace avrenk
