#include "core/modes/lanczos.h"

#include <fmt/format.h>

#include <algorithm>
#include <random>

#include "core/error.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double dependent = 1e-13;  // part of a column left by orthogonalisation that is only rounding

MatrixXd random_block(Index rows, Index columns, unsigned seed) {
  std::mt19937 generator(seed);  // its sequence is fixed by the standard; distributions are not
  MatrixXd block(rows, columns);
  for (Index j = 0; j < columns; ++j)
    for (Index i = 0; i < rows; ++i) block(i, j) = static_cast<double>(generator()) / 2147483648.0 - 1;
  return block;
}

struct Orthonormal {
  MatrixXd block;  // n x r, M-orthonormal
  MatrixXd r;      // r x b: W = block · r
};

// M-orthonormalises the columns of W among themselves, dropping what is dependent. Twice is enough.
Orthonormal orthonormalise(const MatrixXd& w, const SparseMatrix& mass, const VectorXd& size_before) {
  Orthonormal result{MatrixXd(w.rows(), w.cols()), MatrixXd::Zero(w.cols(), w.cols())};
  MatrixXd mass_block(w.rows(), w.cols());
  Index kept = 0;
  for (Index j = 0; j < w.cols(); ++j) {
    VectorXd v = w.col(j);
    for (int pass = 0; pass < 2; ++pass) {
      const VectorXd h = mass_block.leftCols(kept).transpose() * v;
      v -= result.block.leftCols(kept) * h;
      result.r.col(j).head(kept) += h;
    }
    const VectorXd mv = mass * v;
    const double norm = std::sqrt(std::max(0.0, v.dot(mv)));
    if (!(norm > dependent * size_before[j])) continue;
    result.block.col(kept) = v / norm;
    mass_block.col(kept) = mv / norm;
    result.r(kept, j) = norm;
    ++kept;
  }
  result.block.conservativeResize(Eigen::NoChange, kept);
  result.r.conservativeResize(kept, Eigen::NoChange);
  return result;
}

VectorXd mass_norms(const MatrixXd& w, const MatrixXd& mass_w) {
  return w.cwiseProduct(mass_w).colwise().sum().transpose().cwiseMax(0).cwiseSqrt();
}

// The basis V with the projected operator H = VᵀM K⁻¹M V, grown block by block.
class Krylov {
 public:
  Krylov(const Factorisation& stiffness, const SparseMatrix& mass, Index block, Index most)
      : stiffness_(stiffness),
        mass_(mass),
        block_(block),
        basis_(mass.rows(), most),
        projected_(MatrixXd::Zero(most, most)) {}

  // A fresh random block, orthogonal to all so far; false if nothing is left.
  bool start(unsigned seed) {
    const MatrixXd random = random_block(mass_.rows(), std::min(block_, mass_.rows()), seed);
    const MatrixXd w = stiffness_.solve(mass_ * random);
    solves += static_cast<int>(w.cols());
    next_ = orthogonal_to_basis(w, nullptr);
    return next_.block.cols() > 0;
  }

  // Takes the next block into the basis and applies the operator to it; false when the space is closed or full.
  bool grow() {
    const Index first = size_, width = std::min(next_.block.cols(), basis_.cols() - size_);
    basis_.middleCols(first, width) = next_.block.leftCols(width);
    size_ += width;
    const MatrixXd w = stiffness_.solve(mass_ * basis_.middleCols(first, width));
    solves += static_cast<int>(width);
    MatrixXd coefficients;
    next_ = orthogonal_to_basis(w, &coefficients);
    projected_.block(0, first, size_, width) = coefficients;
    projected_.block(first, 0, width, size_) = coefficients.transpose();
    last_width_ = width;
    return next_.block.cols() > 0 && size_ < basis_.cols();
  }

  // Ritz values (largest first) with their residual norms ‖R s‖.
  void ritz() {
    const MatrixXd h =
        0.5 * (projected_.topLeftCorner(size_, size_) + projected_.topLeftCorner(size_, size_).transpose());
    const Eigen::SelfAdjointEigenSolver<MatrixXd> solver(h);
    theta = solver.eigenvalues().reverse();
    vectors_ = solver.eigenvectors().rowwise().reverse();
    residual = next_.block.cols() == 0
                   ? VectorXd(VectorXd::Zero(size_))
                   : VectorXd((next_.r * vectors_.bottomRows(last_width_)).colwise().norm().transpose());
  }

  [[nodiscard]] Index converged() const {
    Index count = 0;
    while (count < theta.size() && theta[count] > dependent * theta[0] &&
           residual[count] <= lanczos_tolerance * theta[count])
      ++count;
    return count;
  }

  [[nodiscard]] MatrixXd purified(Index count) const {
    MatrixXd x = basis_.leftCols(size_) * vectors_.leftCols(count);
    if (next_.block.cols() > 0)
      x += next_.block * (next_.r * vectors_.bottomRows(last_width_).leftCols(count)) *
           theta.head(count).cwiseInverse().asDiagonal();
    for (Index j = 0; j < count; ++j) x.col(j) /= std::sqrt(x.col(j).dot(mass_ * x.col(j)));
    return x;
  }

  [[nodiscard]] Index size() const { return size_; }
  VectorXd theta, residual;
  int solves = 0;

 private:
  Orthonormal orthogonal_to_basis(MatrixXd w, MatrixXd* coefficients) const {
    MatrixXd mass_w = mass_ * w;
    const VectorXd before = mass_norms(w, mass_w);
    const auto v = basis_.leftCols(size_);
    if (coefficients) *coefficients = MatrixXd::Zero(size_, w.cols());
    for (int pass = 0; pass < 2; ++pass) {
      const MatrixXd h = v.transpose() * mass_w;
      w.noalias() -= v * h;
      mass_w = mass_ * w;
      if (coefficients) *coefficients += h;
    }
    return orthonormalise(w, mass_, before);
  }

  const Factorisation& stiffness_;
  const SparseMatrix& mass_;
  Index block_;
  MatrixXd basis_, projected_, vectors_;
  Orthonormal next_;
  Index size_ = 0, last_width_ = 0;
};

}  // namespace

EigenPairs lowest_modes(const Factorisation& stiffness, const SparseMatrix& mass, int wanted, int block_size,
                        const Progress& progress) {
  const Index n = mass.rows();
  const Index block = block_size > 0 ? block_size : wanted > 100 ? 16 : 8;
  const Index most = std::min<Index>(n, 3 * wanted + 12 * block + 60);
  Krylov krylov(stiffness, mass, block, most);
  EigenPairs pairs;
  unsigned seed = 1;
  bool open = krylov.start(seed);
  for (int step = 1; open; ++step) {
    const bool more = krylov.grow();
    if (!more || step % 2 == 0) {
      krylov.ritz();
      const Index converged = krylov.converged();
      tell(progress, fmt::format("modes: {} of {} converged", std::min<Index>(converged, wanted), wanted),
           static_cast<double>(converged) / wanted);
      if (converged >= wanted) break;
    }
    if (!more) {
      if (krylov.size() >= most) break;
      open = krylov.start(++seed);  // the space closed on some of the modes: look at the rest
    }
  }
  if (krylov.size() == 0) {
    pairs.vectors.resize(n, 0);
    pairs.exhausted = true;
    return pairs;
  }
  const Index converged = krylov.converged();
  pairs.exhausted = converged < wanted && (!open || krylov.size() == n);
  if (converged < wanted && !pairs.exhausted)
    throw NumericalError(
        fmt::format("only {} of {} modes converged in a Krylov space of {} vectors", converged, wanted, most));
  const Index kept = std::min<Index>(converged, wanted);
  pairs.values = krylov.theta.head(kept).cwiseInverse();
  pairs.vectors = krylov.purified(kept);
  pairs.solves = krylov.solves;
  return pairs;
}

}  // namespace avrenk
