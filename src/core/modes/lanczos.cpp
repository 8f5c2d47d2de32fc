#include "core/modes/lanczos.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>
#include <random>

#include "core/clock.h"
#include "core/dense.h"
#include "core/error.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr double dependent = 1e-12;  // part of a column left by orthogonalisation that is only rounding
constexpr int most_restarts = 60;
constexpr int narrow = 8, wide = 16, many = 100;  // columns of a block, and pairs from which on the wide one pays

MatrixXd random_block(Index rows, Index columns, unsigned seed) {
  std::mt19937 generator(seed);  // its sequence is fixed by the standard; distributions are not
  MatrixXd block(rows, columns);
  for (Index j = 0; j < columns; ++j)
    for (Index i = 0; i < rows; ++i) block(i, j) = static_cast<double>(generator()) / 2147483648.0 - 1;
  return block;
}

// Purified pairs are no longer quite M-orthonormal, by the tolerance: made so again.
void orthonormalise(MatrixXd& pairs, const SymmetricProduct& mass) {
  const auto lower = cholesky(pairs.transpose() * mass(pairs));
  if (!lower) throw NumericalError("the modes found are not independent of one another");
  divide_by_transposed(pairs, *lower);
}

// Which purified pairs are modes. Where a basis holds all that has mass, the next block is rounding made unit: what it
// adds is large, without mass, and the operator leaves nothing of it.
std::vector<Index> sound_columns(const MatrixXd& pairs, const SymmetricProduct& mass) {
  const VectorXd squares = pairs.cwiseProduct(mass(pairs)).colwise().sum().transpose();
  std::vector<Index> sound;
  for (Index j = 0; j < squares.size(); ++j)
    if (squares[j] > 0.25 && squares[j] < 4) sound.push_back(j);
  return sound;
}

// The basis V, M-orthonormal, with the projected operator H = VᵀM A V, A = (K − σM)⁻¹M, grown block by block. The first
// `locked` columns are converged pairs: they take no more part in H. With the next block V₊ and its coupling C,
//     A V = V H + V₊ C.
class Krylov {
 public:
  Krylov(const Factorisation& shifted, const SymmetricProduct& mass, const LanczosRequest& request, Index block,
         Index most)
      : shifted_(shifted),
        mass_(mass),
        known_(request.known),
        block_(block),
        basis_(mass.rows(), most),
        projected_(MatrixXd::Zero(most, most)) {}

  // A fresh random block, orthogonal to all so far; false if nothing is left. What was coupled to an earlier block
  // is let go: only what has converged may be kept then.
  bool start(unsigned seed) {
    const Index width = std::min(block_, mass_.rows());
    MatrixXd w = solve(product(random_block(mass_.rows(), width, seed)));
    const MatrixXd mass_w = product(w);
    const VectorXd before = w.cwiseProduct(mass_w).colwise().sum().transpose().cwiseMax(0).cwiseSqrt();
    clear_of_basis(w, mass_w);
    make_next(std::move(w), before);
    coupling_ = MatrixXd::Zero(next_.cols(), size_);
    coupled_from_ = size_;
    return next_.cols() > 0;
  }

  [[nodiscard]] bool full() const { return size_ + next_.cols() > basis_.cols(); }
  [[nodiscard]] bool closed() const { return next_.cols() == 0; }

  // Takes the next block into the basis and applies the operator to it.
  void grow() {
    const Index first = size_, width = next_.cols();
    basis_.middleCols(first, width) = next_;
    MatrixXd w = solve(mass_next_);
    const MatrixXd known_part = coupling_.rightCols(first - coupled_from_);  // on what went before, by symmetry
    VectorXd squares;
    {
      const TimedUntilEnd timed(cost.orthogonalisation);
      w.noalias() -= basis_.middleCols(coupled_from_, first - coupled_from_) * known_part.transpose();
      const MatrixXd projection = mass_next_.transpose() * w;
      w.noalias() -= basis_.middleCols(first, width) * projection;
      size_ += width;
      projected_.block(coupled_from_, first, first - coupled_from_, width) = known_part.transpose();
      projected_.block(first, coupled_from_, width, first - coupled_from_) = known_part;
      projected_.block(first, first, width, width) = 0.5 * (projection + projection.transpose());
      squares = projected_.block(locked, first, size_ - locked, width).colwise().squaredNorm().transpose();
    }
    make_next(std::move(w), squares.cwiseSqrt());
    coupled_from_ = first;
    coupling_ = MatrixXd::Zero(next_.cols(), size_);
    coupling_.rightCols(width) = factor_;
  }

  // Ritz values θ (largest magnitude first) of what is not locked, with their residual norms ‖C s‖.
  void ritz() {
    const TimedUntilEnd timed(cost.projected);
    const Index active = size_ - locked;
    const auto [values, s] = symmetric_eigen(MatrixXd(projected_.block(locked, locked, active, active)));
    std::vector<Index> order(static_cast<std::size_t>(active));
    std::iota(order.begin(), order.end(), Index{0});
    std::stable_sort(order.begin(), order.end(),
                     [&size = values](Index a, Index b) { return std::abs(size[a]) > std::abs(size[b]); });
    theta = values(order);
    vectors_ = s(Eigen::all, order);
    residual = closed() ? VectorXd(VectorXd::Zero(active))
                        : VectorXd((coupling_.rightCols(active) * vectors_).colwise().norm().transpose());
  }

  // How many of the first Ritz values have converged.
  [[nodiscard]] Index converged() const {
    const double largest = std::max(theta.size() > 0 ? std::abs(theta[0]) : 0.0, largest_locked_);
    Index count = 0;
    while (count < theta.size() && std::abs(theta[count]) > dependent * largest &&
           residual[count] <= lanczos_tolerance * std::abs(theta[count]))
      ++count;
    return count;
  }

  // Locks the first `done` Ritz pairs and keeps `kept` more; the next block stays as it is.
  void restart(Index done, Index kept) {
    const Index active = size_ - locked;
    const MatrixXd pairs = ritz_vectors(done + kept),
                   rest = coupling_.rightCols(active) * vectors_.middleCols(done, kept);
    if (done > 0) {
      MatrixXd modes = pairs.leftCols(done);
      purify(modes);
      const std::vector<Index> sound = sound_columns(modes, mass_);
      modes = modes(Eigen::all, sound).eval();
      orthonormalise(modes, mass_);
      basis_.middleCols(locked, modes.cols()) = modes;
      locked_theta.conservativeResize(locked + modes.cols());
      locked_theta.tail(modes.cols()) = theta(sound);
      largest_locked_ = std::max(largest_locked_, std::abs(theta[0]));
      locked += modes.cols();
    }
    basis_.middleCols(locked, kept) = pairs.rightCols(kept);
    size_ = locked + kept;
    projected_.setZero();
    projected_.block(locked, locked, kept, kept) = theta.segment(done, kept).asDiagonal();
    coupling_ = MatrixXd::Zero(next_.cols(), size_);
    coupling_.rightCols(kept) = rest;
    coupled_from_ = locked;
    ++cost.restarts;
  }

  // All locked pairs and the first `count` others.
  [[nodiscard]] MatrixXd pairs(Index count) {
    MatrixXd all(basis_.rows(), locked + count);
    all.leftCols(locked) = basis_.leftCols(locked);
    if (count > 0) {
      all.rightCols(count) = ritz_vectors(count);
      purify(all.rightCols(count));
    }
    return all;
  }

  [[nodiscard]] Index active() const { return size_ - locked; }
  Index locked = 0;
  VectorXd theta, residual, locked_theta;
  EigenCost cost;

 private:
  MatrixXd solve(const MatrixXd& right_hand_sides) {
    const TimedUntilEnd timed(cost.solves);
    cost.right_hand_sides += static_cast<int>(right_hand_sides.cols());
    return shifted_.solve(right_hand_sides);
  }
  MatrixXd product(const Eigen::Ref<const MatrixXd>& x) {
    const TimedUntilEnd timed(cost.products);
    return mass_(x);
  }
  [[nodiscard]] MatrixXd ritz_vectors(Index count) {
    const TimedUntilEnd timed(cost.orthogonalisation);
    return basis_.middleCols(locked, size_ - locked) * vectors_.leftCols(count);
  }
  // The first Ritz vectors times A/θ: by what the next block says of it, or, of a closed space, by the operator itself.
  void purify(Eigen::Ref<MatrixXd> pairs) {
    const Index count = pairs.cols();
    if (closed())
      pairs = solve(product(pairs)) * theta.head(count).cwiseInverse().asDiagonal();
    else
      pairs.noalias() += next_ * (coupling_.rightCols(size_ - locked) * vectors_.leftCols(count) *
                                  theta.head(count).cwiseInverse().asDiagonal());
  }

  // One pass against all that is there.
  void clear_of_basis(MatrixXd& w, const MatrixXd& mass_w) {
    const TimedUntilEnd timed(cost.orthogonalisation);
    if (known_ && known_->cols() > 0) w.noalias() -= *known_ * (known_->transpose() * mass_w);
    w.noalias() -= basis_.leftCols(size_) * (basis_.leftCols(size_).transpose() * mass_w);
  }

  // W = V₊ C: M-orthonormal V₊ (n x r) and C (r x b). As a rule the spectral form of WᵀMW gives them at once; where its
  // condition would cost digits, column by column, and columns that only rounding holds up are dropped.
  void make_next(MatrixXd w, const VectorXd& part_in_basis) {
    MatrixXd mass_w = product(w);
    const VectorXd squares = w.cwiseProduct(mass_w).colwise().sum().transpose().cwiseMax(0);
    const VectorXd before = (part_in_basis.cwiseAbs2() + squares).cwiseSqrt();
    clear_of_basis(w, mass_w);
    mass_w = product(w);
    factor_ = MatrixXd::Identity(w.cols(), w.cols());
    if (!to_unit_at_once(w, mass_w, before.maxCoeff())) {
      to_unit_by_column(w, mass_w, dependent * before);
      clear_of_basis(w, product(w));
      mass_w = product(w);
      // What loses half of itself once more was rounding (Kahan: twice is enough).
      to_unit_by_column(w, mass_w, VectorXd::Constant(w.cols(), 0.5));
      mass_w = product(w);
    }
    next_ = std::move(w);
    mass_next_ = std::move(mass_w);
  }

  bool to_unit_at_once(MatrixXd& w, MatrixXd& mass_w, double scale) {
    constexpr double well_conditioned = 1e-6, far_above_rounding = 1e-7;
    const TimedUntilEnd timed(cost.orthogonalisation);
    const MatrixXd gram = w.transpose() * mass_w;
    const auto [squares, vectors] = symmetric_eigen(MatrixXd(0.5 * (gram + gram.transpose())));
    if (!(squares[0] > well_conditioned * squares[squares.size() - 1]) ||
        !(squares[0] > std::pow(far_above_rounding * scale, 2)))
      return false;
    const VectorXd sizes = squares.cwiseSqrt();
    const MatrixXd to_unit = vectors * sizes.cwiseInverse().asDiagonal();
    w = (w * to_unit).eval();
    mass_w = (mass_w * to_unit).eval();
    factor_ = sizes.asDiagonal() * vectors.transpose();
    return true;
  }

  // Gram–Schmidt, each column twice; M W is carried along. @param least  norms of which less is left are dropped
  void to_unit_by_column(MatrixXd& w, MatrixXd& mass_w, const VectorXd& least) {
    const TimedUntilEnd timed(cost.orthogonalisation);
    MatrixXd r = MatrixXd::Zero(w.cols(), w.cols());
    Index kept = 0;
    for (Index j = 0; j < w.cols(); ++j) {
      VectorXd v = w.col(j), mass_v = mass_w.col(j);
      for (int pass = 0; pass < 2; ++pass) {
        const VectorXd h = mass_w.leftCols(kept).transpose() * v;
        v -= w.leftCols(kept) * h;
        mass_v -= mass_w.leftCols(kept) * h;
        r.col(j).head(kept) += h;
      }
      const double norm = std::sqrt(std::max(0.0, v.dot(mass_v)));
      if (!(norm > least[j])) continue;
      w.col(kept) = v / norm;
      mass_w.col(kept) = mass_v / norm;
      r(kept, j) = norm;
      ++kept;
    }
    w.conservativeResize(Eigen::NoChange, kept);
    mass_w.conservativeResize(Eigen::NoChange, kept);
    factor_ = (r.topRows(kept) * factor_).eval();
  }

  const Factorisation& shifted_;
  const SymmetricProduct& mass_;
  const MatrixXd* known_;
  Index block_;
  MatrixXd basis_, projected_, vectors_;
  MatrixXd next_, mass_next_, factor_, coupling_;  // V₊, M V₊, W = V₊ · factor, C
  Index size_ = 0, coupled_from_ = 0;              // columns of C before that are zero
  double largest_locked_ = 0;
};

}  // namespace

EigenCost& EigenCost::operator+=(const EigenCost& other) {
  solves += other.solves;
  products += other.products;
  orthogonalisation += other.orthogonalisation;
  projected += other.projected;
  right_hand_sides += other.right_hand_sides;
  restarts += other.restarts;
  return *this;
}

EigenPairs modes_near_shift(const Factorisation& shifted, const SymmetricProduct& mass, const LanczosRequest& request) {
  const Index n = mass.rows();
  const Index block = std::min<Index>(n, request.block > 0 ? request.block : request.expected > many ? wide : narrow);
  const Index most = std::min<Index>(n, request.most > 0 ? request.most : 3L * request.expected + 10 * block) + block;
  Krylov krylov(shifted, mass, request, block, most);
  EigenPairs pairs;
  unsigned seed = 1;
  bool open = krylov.start(seed);
  Index converged = 0;
  // θ of all that is locked or has converged, largest magnitude first, and where each stands.
  const auto found = [&] {
    std::vector<std::pair<double, Index>> all;
    for (Index i = 0; i < krylov.locked; ++i) all.emplace_back(krylov.locked_theta[i], i);
    for (Index i = 0; i < converged; ++i) all.emplace_back(krylov.theta[i], krylov.locked + i);
    std::stable_sort(all.begin(), all.end(),
                     [](const auto& a, const auto& b) { return std::abs(a.first) > std::abs(b.first); });
    return all;
  };
  const auto values_of = [&](const std::vector<std::pair<double, Index>>& all) {
    std::vector<double> values;
    values.reserve(all.size());
    for (const auto& [theta, column] : all) values.push_back(request.shift + 1 / theta);
    return values;
  };
  const auto too_many = [&](Index found_modes) {
    return fmt::format(
        "{} modes near {:.5g} Hz are found, more are there, and no more fit into the {} vectors of the "
        "search; ask for fewer modes, or up to a lower frequency",
        found_modes, std::sqrt(std::abs(request.shift)) / (2 * pi), most);
  };
  // The dense problem is looked at every second block, once the basis could hold what is expected.
  for (int step = 1; open; ++step) {
    if (krylov.full()) {
      if (krylov.cost.restarts >= most_restarts)
        throw NumericalError(fmt::format("only {} modes near {:.5g} Hz converged in {} restarts of {} vectors",
                                         krylov.locked + converged, std::sqrt(std::abs(request.shift)) / (2 * pi),
                                         most_restarts, most));
      krylov.ritz();
      converged = krylov.converged();
      const Index room = most - krylov.locked - converged - 2 * block;
      if (room < 0) throw NumericalError(too_many(krylov.locked + converged));
      krylov.restart(converged, std::min(krylov.active() - converged, room / 2));
      converged = 0;
    }
    krylov.grow();
    if (request.grown) request.grown(krylov.cost.right_hand_sides);
    const bool due =
        krylov.closed() || krylov.full() || (step % 2 == 0 && krylov.locked + krylov.active() > request.expected);
    if (!due) continue;
    krylov.ritz();
    converged = krylov.converged();
    const Search next = request.judge(values_of(found()));
    if (next == Search::enough) break;
    if (krylov.closed() || next == Search::look_again) {
      krylov.restart(converged, 0);
      converged = 0;
      if (krylov.full()) throw NumericalError(too_many(krylov.locked));
      open = krylov.start(++seed);
    }
  }
  pairs.exhausted = !open;
  pairs.vectors = krylov.pairs(converged);
  const std::vector<Index> sound = sound_columns(pairs.vectors, mass);
  auto result = found();
  std::erase_if(result, [&](const auto& each) { return !std::binary_search(sound.begin(), sound.end(), each.second); });
  const std::vector<double> values = values_of(result);
  pairs.values = Eigen::Map<const VectorXd>(values.data(), static_cast<Index>(values.size()));
  std::vector<Index> columns;
  columns.reserve(result.size());
  for (const auto& [theta, column] : result) columns.push_back(column);
  if (std::ssize(columns) < pairs.vectors.cols() || !std::is_sorted(columns.begin(), columns.end()))
    pairs.vectors = pairs.vectors(Eigen::all, columns).eval();
  if (!columns.empty()) orthonormalise(pairs.vectors, mass);
  pairs.cost = krylov.cost;
  return pairs;
}

}  // namespace avrenk
