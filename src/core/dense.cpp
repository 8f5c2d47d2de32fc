#include "core/dense.h"

#include <fmt/format.h>

#include <algorithm>
#include <complex>

#include "core/error.h"

// LAPACK, by the names of its Fortran routines; OpenBLAS holds it. A workspace size of −1 asks for the right one.
extern "C" {
void dsyevd_(const char* jobz, const char* uplo, const int* n, double* a, const int* lda, double* w, double* work,
             const int* lwork, int* iwork, const int* liwork, int* info);
void dsygvd_(const int* itype, const char* jobz, const char* uplo, const int* n, double* a, const int* lda, double* b,
             const int* ldb, double* w, double* work, const int* lwork, int* iwork, const int* liwork, int* info);
void zgeev_(const char* jobvl, const char* jobvr, const int* n, std::complex<double>* a, const int* lda,
            std::complex<double>* w, std::complex<double>* vl, const int* ldvl, std::complex<double>* vr,
            const int* ldvr, std::complex<double>* work, const int* lwork, double* rwork, int* info);
void zgees_(const char* jobvs, const char* sort, void* select, const int* n, std::complex<double>* a, const int* lda,
            int* sdim, std::complex<double>* w, std::complex<double>* vs, const int* ldvs, std::complex<double>* work,
            const int* lwork, double* rwork, int* bwork, int* info);
void dsysv_(const char* uplo, const int* n, const int* nrhs, double* a, const int* lda, int* ipiv, double* b,
            const int* ldb, double* work, const int* lwork, int* info);
void dgetrf_(const int* m, const int* n, double* a, const int* lda, int* ipiv, int* info);
void dgetrs_(const char* trans, const int* n, const int* nrhs, const double* a, const int* lda, const int* ipiv,
             double* b, const int* ldb, int* info);
void zgetrf_(const int* m, const int* n, std::complex<double>* a, const int* lda, int* ipiv, int* info);
void zgetrs_(const char* trans, const int* n, const int* nrhs, const std::complex<double>* a, const int* lda,
             const int* ipiv, std::complex<double>* b, const int* ldb, int* info);
void dgeqrf_(const int* m, const int* n, double* a, const int* lda, double* tau, double* work, const int* lwork,
             int* info);
void dorgqr_(const int* m, const int* n, const int* k, double* a, const int* lda, const double* tau, double* work,
             const int* lwork, int* info);
void dgelsy_(const int* m, const int* n, const int* nrhs, double* a, const int* lda, double* b, const int* ldb,
             int* jpvt, const double* rcond, int* rank, double* work, const int* lwork, int* info);
}

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

void require(int info, const char* what) {
  if (info != 0) throw NumericalError(fmt::format("{} (LAPACK {})", what, info));
}

}  // namespace

SymmetricEigen symmetric_eigen(Eigen::MatrixXd a) {
  const int n = size(a.rows());
  SymmetricEigen result{Eigen::VectorXd(n), std::move(a)};
  if (n == 0) return result;
  int info = 0, integers = 0, ask = -1;
  double best = 0;
  double* const matrix = result.vectors.data();
  dsyevd_("V", "L", &n, matrix, &n, result.values.data(), &best, &ask, &integers, &ask, &info);
  const int length = static_cast<int>(best);
  std::vector<double> work(static_cast<std::size_t>(length));
  std::vector<int> whole(static_cast<std::size_t>(integers));
  dsyevd_("V", "L", &n, matrix, &n, result.values.data(), work.data(), &length, whole.data(), &integers, &info);
  require(info, "a symmetric eigenvalue problem did not converge");
  return result;
}

SymmetricEigen symmetric_eigen(Eigen::MatrixXd a, Eigen::MatrixXd b) {
  const int n = size(a.rows()), kind = 1;
  SymmetricEigen result{Eigen::VectorXd(n), std::move(a)};
  if (n == 0) return result;
  int info = 0, integers = 0, ask = -1;
  double best = 0;
  double *const matrix = result.vectors.data(), *const metric = b.data();
  dsygvd_(&kind, "V", "L", &n, matrix, &n, metric, &n, result.values.data(), &best, &ask, &integers, &ask, &info);
  const int length = static_cast<int>(best);
  std::vector<double> work(static_cast<std::size_t>(length));
  std::vector<int> whole(static_cast<std::size_t>(integers));
  dsygvd_(&kind, "V", "L", &n, matrix, &n, metric, &n, result.values.data(), work.data(), &length, whole.data(),
          &integers, &info);
  require(info, "a symmetric eigenvalue problem of two matrices did not converge");
  return result;
}

ComplexEigen complex_eigen(Eigen::MatrixXcd a) {
  const int n = size(a.rows()), one = 1;
  ComplexEigen result{Eigen::VectorXcd(n), Eigen::MatrixXcd(n, n)};
  if (n == 0) return result;
  std::vector<double> real_work(static_cast<std::size_t>(2 * n));
  int info = 0;
  with_workspace<std::complex<double>>([&](std::complex<double>* work, int length) {
    zgeev_("N", "V", &n, a.data(), &n, result.values.data(), nullptr, &one, result.vectors.data(), &n, work, &length,
           real_work.data(), &info);
  });
  require(info, "a complex eigenvalue problem did not converge");
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
    zgees_("V", "N", nullptr, &n, result.triangle.data(), &n, &sorted, values.data(), result.vectors.data(), &n, work,
           &length, real_work.data(), nullptr, &info);
  });
  require(info, "a complex Schur form did not converge");
  return result;
}

Eigen::MatrixXd solve_symmetric(Eigen::MatrixXd a, Eigen::MatrixXd b) {
  const int n = size(a.rows()), count = size(b.cols());
  if (n == 0 || count == 0) return b;
  std::vector<int> pivots(static_cast<std::size_t>(n));
  int info = 0;
  with_workspace<double>([&](double* work, int length) {
    dsysv_("L", &n, &count, a.data(), &n, pivots.data(), b.data(), &n, work, &length, &info);
  });
  require(info, "a symmetric matrix is singular");
  return b;
}

ComplexLu::ComplexLu(Eigen::MatrixXcd a) : factors_(std::move(a)), pivots_(static_cast<std::size_t>(factors_.rows())) {
  const int n = size(factors_.rows());
  int info = 0;
  if (n > 0) zgetrf_(&n, &n, factors_.data(), &n, pivots_.data(), &info);
}

Eigen::MatrixXcd ComplexLu::solve(Eigen::MatrixXcd b) const {
  const int n = size(factors_.rows()), count = size(b.cols());
  int info = 0;
  if (n > 0 && count > 0) zgetrs_("N", &n, &count, factors_.data(), &n, pivots_.data(), b.data(), &n, &info);
  return b;
}

RealLu::RealLu(Eigen::MatrixXd a) : factors_(std::move(a)), pivots_(static_cast<std::size_t>(factors_.rows())) {
  const int n = size(factors_.rows());
  int info = 0;
  if (n > 0) dgetrf_(&n, &n, factors_.data(), &n, pivots_.data(), &info);
}

Eigen::MatrixXd RealLu::solve(Eigen::MatrixXd b) const {
  const int n = size(factors_.rows()), count = size(b.cols());
  int info = 0;
  if (n > 0 && count > 0) dgetrs_("N", &n, &count, factors_.data(), &n, pivots_.data(), b.data(), &n, &info);
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
  std::vector<double> factors(static_cast<std::size_t>(std::max(1, std::min(m, n))));
  int info = 0;
  if (n > 0)
    with_workspace<double>(
        [&](double* work, int length) { dgeqrf_(&m, &n, a.data(), &m, factors.data(), work, &length, &info); });
  q.leftCols(reflections) = a.leftCols(reflections);
  with_workspace<double>([&](double* work, int length) {
    dorgqr_(&m, &wanted, &reflections, q.data(), &m, factors.data(), work, &length, &info);
  });
  return q;
}

Eigen::VectorXd least_squares(Eigen::MatrixXd a, Eigen::VectorXd b) {
  const int m = size(a.rows()), n = size(a.cols()), one = 1;
  constexpr double rounding = 1e-14;  // a column that depends on the others by less than this counts as dependent
  std::vector<int> order(static_cast<std::size_t>(n));
  int info = 0, rank = 0;
  with_workspace<double>([&](double* work, int length) {
    dgelsy_(&m, &n, &one, a.data(), &m, b.data(), &m, order.data(), &rounding, &rank, work, &length, &info);
  });
  return b.head(n);
}

}  // namespace avrenk
