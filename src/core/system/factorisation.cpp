#include "core/system/factorisation.h"

#include <dmumps_c.h>
#include <fmt/format.h>
#include <metis.h>
#include <zmumps_c.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <vector>

#include "core/dense.h"
#include "core/error.h"
#include "core/memory.h"

namespace avrenk {

namespace sparse {  // named, because the instances derive from it

// The same interface for real and complex numbers.
template <typename Scalar>
struct Interface;
template <>
struct Interface<double> {
  using Data = DMUMPS_STRUC_C;
  using Number = double;
  static void call(Data& data) { dmumps_c(&data); }
};
template <>
struct Interface<std::complex<double>> {
  using Data = ZMUMPS_STRUC_C;
  using Number = mumps_double_complex;  // the same two numbers in the same order
  static void call(Data& data) { zmumps_c(&data); }
};

template <typename Scalar>
Eigen::VectorXd row_scale(const Eigen::SparseMatrix<Scalar>& matrix) {
  Eigen::VectorXd largest = Eigen::VectorXd::Zero(matrix.rows());
  for (int column = 0; column < matrix.outerSize(); ++column)
    for (typename Eigen::SparseMatrix<Scalar>::InnerIterator entry(matrix, column); entry; ++entry)
      largest[entry.row()] = std::max(largest[entry.row()], std::abs(entry.value()));
  return largest.unaryExpr([](double x) { return x > 0 ? 1 / std::sqrt(x) : 1.0; });
}

template <typename Scalar>
class Mumps {
 public:
  using Matrix = Eigen::Matrix<Scalar, Eigen::Dynamic, Eigen::Dynamic>;

  Mumps(const Eigen::SparseMatrix<Scalar>& matrix, const EliminationOrder& order, bool detect_zero_pivots) {
    start();
    scale = row_scale(matrix);
    load(matrix);
    std::vector<MUMPS_INT> position;
    position.reserve(order.position.size());
    for (const int row : order.position) position.push_back(row + 1);
    data_.n = static_cast<MUMPS_INT>(matrix.rows());
    data_.nnz = static_cast<MUMPS_INT8>(values_.size());
    data_.irn = rows_.data();
    data_.jcn = columns_.data();
    data_.a = reinterpret_cast<typename Interface<Scalar>::Number*>(values_.data());
    data_.perm_in = position.data();
    control(6) = 0;    // no permutation for large diagonals
    control(7) = 1;    // our own ordering
    control(8) = 0;    // our own scaling
    control(12) = 1;   // an ordering of the matrix as it is, so that ours is kept
    control(13) = 1;   // root on one process: exact inertia
    control(14) = 40;  // % of extra workspace
    control(24) = detect_zero_pivots ? 1 : 0;
    data_.cntl[2] = -Factorisation::zero_pivot;  // negative: absolute, the matrix is scaled
    run(1);
    require("ordering failed");
    require_memory(1e6 * info(16), fmt::format("the factorisation of {} equations", matrix.rows()),
                   "make the mesh coarser, or take a machine with more");
    run(2);
    for (int attempt = 0; attempt < 4 && (info(1) == -8 || info(1) == -9); ++attempt) {
      control(14) *= 2;  // delayed pivots took the workspace
      run(2);
    }
    if (info(1) == -13 || info(1) == -7) throw NumericalError("not enough memory to factorise the stiffness matrix");
    if (info(1) == -10) throw NumericalError("the matrix to be factorised is singular");
    require("factorisation failed");
    rows_ = {};  // kept by MUMPS in its own form
    columns_ = {};
    values_ = {};
  }
  ~Mumps() {
    if (started_) run(-2);
  }
  Mumps(const Mumps&) = delete;
  Mumps& operator=(const Mumps&) = delete;

  [[nodiscard]] Matrix solve(const Matrix& right_hand_sides) {
    Matrix x = scale.asDiagonal() * right_hand_sides;
    if (x.cols() == 0) return x;
    control(25) = 0;
    control(27) = 16;  // right-hand sides solved together
    solve_into(x, "solve failed");
    return x;
  }
  [[nodiscard]] Matrix set_aside() {
    Matrix basis(scale.size(), control(24) == 1 ? info(28) : 0);
    if (basis.cols() == 0) return basis;
    control(25) = -1;
    solve_into(basis, "null vectors could not be computed");
    return basis;
  }

  // MUMPS counts its controls from 1; so does its manual, and so do these.
  [[nodiscard]] MUMPS_INT info(int index) const { return data_.infog[index - 1]; }
  [[nodiscard]] double operations() const { return data_.rinfog[2]; }

  Eigen::VectorXd scale;

 private:
  MUMPS_INT& control(int index) { return data_.icntl[index - 1]; }
  void run(int job) {
    data_.job = job;
    Interface<Scalar>::call(data_);
  }
  void require(const char* what) const {
    if (info(1) < 0) throw NumericalError(fmt::format("the sparse {} (MUMPS {}, {})", what, info(1), info(2)));
  }
  void start() {
    data_.sym = 2;  // symmetric, may be indefinite
    data_.par = 1;
    data_.comm_fortran = -987654;  // the communicator of the sequential build
    run(-1);
    started_ = info(1) == 0;
    if (!started_) throw NumericalError("the sparse factorisation could not be started");
    for (int silent = 1; silent <= 4; ++silent) control(silent) = silent == 4 ? 0 : -1;
  }
  void load(const Eigen::SparseMatrix<Scalar>& matrix) {
    const auto lower = static_cast<std::size_t>(matrix.nonZeros() / 2 + matrix.rows());
    rows_.reserve(lower);
    columns_.reserve(lower);
    values_.reserve(lower);
    for (int column = 0; column < matrix.outerSize(); ++column) {
      for (typename Eigen::SparseMatrix<Scalar>::InnerIterator entry(matrix, column); entry; ++entry) {
        if (entry.row() < column) continue;
        rows_.push_back(static_cast<MUMPS_INT>(entry.row()) + 1);
        columns_.push_back(column + 1);
        values_.push_back(scale[entry.row()] * entry.value() * scale[column]);
      }
    }
  }
  void solve_into(Matrix& x, const char* what) {
    data_.nrhs = static_cast<MUMPS_INT>(x.cols());
    data_.lrhs = static_cast<MUMPS_INT>(x.rows());
    data_.rhs = reinterpret_cast<typename Interface<Scalar>::Number*>(x.data());
    run(3);
    require(what);
    x = scale.asDiagonal() * x;
  }

  typename Interface<Scalar>::Data data_{};
  std::vector<MUMPS_INT> rows_, columns_;
  std::vector<Scalar> values_;
  bool started_ = false;
};

}  // namespace sparse

struct Factorisation::Instance : sparse::Mumps<double> {
  using Mumps::Mumps;
};
struct ComplexFactorisation::Instance : sparse::Mumps<std::complex<double>> {
  using Mumps::Mumps;
};

EliminationOrder::EliminationOrder(const SparseMatrix& matrix, std::span<const int> node_of_row) {
  const auto row_count = static_cast<std::size_t>(matrix.rows());
  std::vector<int> vertex_of_row(row_count);
  std::vector<std::vector<idx_t>> rows_of_vertex;
  {
    std::vector<int> vertex_of_node(
        row_count == 0 ? 0 : static_cast<std::size_t>(*std::max_element(node_of_row.begin(), node_of_row.end())) + 1,
        -1);
    for (std::size_t row = 0; row < row_count; ++row) {
      int& vertex = vertex_of_node[static_cast<std::size_t>(node_of_row[row])];
      if (vertex < 0) {
        vertex = static_cast<int>(rows_of_vertex.size());
        rows_of_vertex.emplace_back();
      }
      vertex_of_row[row] = vertex;
      rows_of_vertex[static_cast<std::size_t>(vertex)].push_back(static_cast<idx_t>(row));
    }
  }
  auto vertex_count = static_cast<idx_t>(rows_of_vertex.size());
  std::vector<idx_t> start{0}, neighbours, weight, seen(rows_of_vertex.size(), -1);
  for (idx_t vertex = 0; vertex < vertex_count; ++vertex) {
    const auto& rows = rows_of_vertex[static_cast<std::size_t>(vertex)];
    seen[static_cast<std::size_t>(vertex)] = vertex;
    for (const idx_t row : rows) {
      for (SparseMatrix::InnerIterator entry(matrix, row); entry; ++entry) {
        const int other = vertex_of_row[static_cast<std::size_t>(entry.row())];
        if (seen[static_cast<std::size_t>(other)] == vertex) continue;
        seen[static_cast<std::size_t>(other)] = vertex;
        neighbours.push_back(other);
      }
    }
    start.push_back(static_cast<idx_t>(neighbours.size()));
    weight.push_back(static_cast<idx_t>(rows.size()));
  }
  std::vector<idx_t> elimination(rows_of_vertex.size()), place(rows_of_vertex.size());
  std::iota(elimination.begin(), elimination.end(), 0);
  if (vertex_count > 2 && !neighbours.empty()) {
    idx_t options[METIS_NOPTIONS];
    METIS_SetDefaultOptions(options);
    const int status = METIS_NodeND(&vertex_count, start.data(), neighbours.data(), weight.data(), options,
                                    elimination.data(), place.data());
    if (status != METIS_OK) throw NumericalError("the fill-reducing ordering failed (METIS)");
  }
  position.resize(row_count);
  int next = 0;
  for (const idx_t vertex : elimination)
    for (const idx_t row : rows_of_vertex[static_cast<std::size_t>(vertex)])
      position[static_cast<std::size_t>(row)] = next++;
}

Factorisation::Factorisation(const SparseMatrix& matrix, const EliminationOrder& order, ZeroPivots zero_pivots)
    : instance_(std::make_unique<Instance>(matrix, order, zero_pivots == ZeroPivots::detect)) {}
Factorisation::~Factorisation() = default;
Factorisation::Factorisation(Factorisation&&) noexcept = default;
Factorisation& Factorisation::operator=(Factorisation&&) noexcept = default;

Eigen::MatrixXd Factorisation::solve(const Eigen::MatrixXd& right_hand_sides) const {
  return instance_->solve(right_hand_sides);
}

int Factorisation::negative_pivots() const { return instance_->info(12); }

Eigen::MatrixXd Factorisation::set_aside() const { return instance_->set_aside(); }

Eigen::MatrixXd null_space(const SparseMatrix& matrix, const Factorisation& factor) {
  using Eigen::Index;
  const Index n = matrix.rows();
  const Eigen::VectorXd root =
      matrix.diagonal().unaryExpr([](double d) { return d != 0 ? std::sqrt(std::abs(d)) : 1; });
  const Eigen::MatrixXd aside = root.asDiagonal() * factor.set_aside();
  std::mt19937 generator(1);
  std::normal_distribution<double> normal;
  // Two vectors and one pass show whether anything is near: a null vector outgrows all others by far.
  constexpr double far_from_null = 1e4 * null_value;
  for (Index width = std::min<Index>(2, n);; width = std::min(4 * width, n)) {
    const bool first = width == std::min<Index>(2, n);
    Eigen::MatrixXd x = Eigen::MatrixXd::NullaryExpr(n, width, [&] { return normal(generator); });  // √D times vectors
    Eigen::VectorXd values;
    for (int pass = 0; pass < (first ? 1 : 3); ++pass) {
      Eigen::MatrixXd grown(n, aside.cols() + x.cols());
      grown << aside, root.asDiagonal() * factor.solve(root.asDiagonal() * x);
      const Eigen::MatrixXd basis = orthonormal_basis(grown, std::min(n, grown.cols()));
      const Eigen::MatrixXd vectors = root.cwiseInverse().asDiagonal() * basis;
      const Eigen::MatrixXd projected = vectors.transpose() * (matrix * vectors);
      const SymmetricEigen ritz = symmetric_eigen(0.5 * (projected + projected.transpose()));
      std::vector<Index> nearest(static_cast<std::size_t>(ritz.values.size()));
      std::iota(nearest.begin(), nearest.end(), Index{0});
      std::stable_sort(nearest.begin(), nearest.end(),
                       [&](Index a, Index b) { return std::abs(ritz.values[a]) < std::abs(ritz.values[b]); });
      x = basis * ritz.vectors(Eigen::all, nearest);
      values = ritz.values(nearest).cwiseAbs();
      if (pass < 2) x.conservativeResize(Eigen::NoChange, std::min(width, x.cols()));
    }
    const Index count = (values.array() <= null_value).count();
    if (values.size() > 0 && values[0] > far_from_null) return Eigen::MatrixXd(n, 0);
    if (width == n || (!first && count < x.cols())) return root.cwiseInverse().asDiagonal() * x.leftCols(count);
  }
}

double Factorisation::factor_entries() const {
  const auto entries = static_cast<double>(instance_->info(29));
  return entries < 0 ? -1e6 * entries : entries;  // negative: millions
}

double Factorisation::operations() const { return instance_->operations(); }

ComplexFactorisation::ComplexFactorisation(const Eigen::SparseMatrix<std::complex<double>>& matrix,
                                           const EliminationOrder& order)
    : instance_(std::make_unique<Instance>(matrix, order, false)) {}
ComplexFactorisation::~ComplexFactorisation() = default;

Eigen::MatrixXcd ComplexFactorisation::solve(const Eigen::MatrixXcd& right_hand_sides) const {
  return instance_->solve(right_hand_sides);
}

}  // namespace avrenk
