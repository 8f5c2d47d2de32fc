#include "core/system/factorisation.h"

#include <dmumps_c.h>
#include <fmt/format.h>
#include <metis.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

#include "core/error.h"

namespace avrenk {

struct Factorisation::Instance {
  DMUMPS_STRUC_C mumps{};
  std::vector<MUMPS_INT> rows, columns, order;
  std::vector<double> values;
  Eigen::VectorXd scale;
  bool started = false;

  // MUMPS counts its controls from 1; so does its manual, and so do these.
  MUMPS_INT& control(int index) { return mumps.icntl[index - 1]; }
  [[nodiscard]] MUMPS_INT info(int index) const { return mumps.infog[index - 1]; }

  void run(int job) {
    mumps.job = job;
    dmumps_c(&mumps);
  }

  Instance() {
    mumps.sym = 2;  // symmetric, may be indefinite
    mumps.par = 1;
    mumps.comm_fortran = -987654;  // the communicator of the sequential build
    run(-1);
    started = mumps.infog[0] == 0;
    for (int silent = 1; silent <= 4; ++silent) control(silent) = silent == 4 ? 0 : -1;
  }
  ~Instance() {
    if (started) run(-2);
  }
  Instance(const Instance&) = delete;
  Instance& operator=(const Instance&) = delete;
};

namespace {

void load(const SparseMatrix& matrix, const Eigen::VectorXd& scale, std::vector<MUMPS_INT>& rows,
          std::vector<MUMPS_INT>& columns, std::vector<double>& values) {
  const auto lower = static_cast<std::size_t>(matrix.nonZeros() / 2 + matrix.rows());
  rows.reserve(lower);
  columns.reserve(lower);
  values.reserve(lower);
  for (int column = 0; column < matrix.outerSize(); ++column) {
    for (SparseMatrix::InnerIterator entry(matrix, column); entry; ++entry) {
      if (entry.row() < column) continue;
      rows.push_back(static_cast<MUMPS_INT>(entry.row()) + 1);
      columns.push_back(column + 1);
      values.push_back(scale[entry.row()] * entry.value() * scale[column]);
    }
  }
}

Eigen::VectorXd row_scale(const SparseMatrix& matrix) {
  Eigen::VectorXd largest = Eigen::VectorXd::Zero(matrix.rows());
  for (int column = 0; column < matrix.outerSize(); ++column)
    for (SparseMatrix::InnerIterator entry(matrix, column); entry; ++entry)
      largest[entry.row()] = std::max(largest[entry.row()], std::abs(entry.value()));
  return largest.unaryExpr([](double x) { return x > 0 ? 1 / std::sqrt(x) : 1.0; });
}

}  // namespace

std::vector<int> node_ordering(const SparseMatrix& matrix, std::span<const int> node_of_row) {
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
    const auto& own = rows_of_vertex[static_cast<std::size_t>(vertex)];
    seen[static_cast<std::size_t>(vertex)] = vertex;
    for (const idx_t row : own) {
      for (SparseMatrix::InnerIterator entry(matrix, row); entry; ++entry) {
        const int other = vertex_of_row[static_cast<std::size_t>(entry.row())];
        if (seen[static_cast<std::size_t>(other)] == vertex) continue;
        seen[static_cast<std::size_t>(other)] = vertex;
        neighbours.push_back(other);
      }
    }
    start.push_back(static_cast<idx_t>(neighbours.size()));
    weight.push_back(static_cast<idx_t>(own.size()));
  }
  std::vector<idx_t> elimination(rows_of_vertex.size()), position(rows_of_vertex.size());
  std::iota(elimination.begin(), elimination.end(), 0);
  if (vertex_count > 2 && !neighbours.empty()) {
    idx_t options[METIS_NOPTIONS];
    METIS_SetDefaultOptions(options);
    const int status = METIS_NodeND(&vertex_count, start.data(), neighbours.data(), weight.data(), options,
                                    elimination.data(), position.data());
    if (status != METIS_OK) throw NumericalError("the fill-reducing ordering failed (METIS)");
  }
  std::vector<int> order(row_count);
  int next = 0;
  for (const idx_t vertex : elimination)
    for (const idx_t row : rows_of_vertex[static_cast<std::size_t>(vertex)])
      order[static_cast<std::size_t>(row)] = next++;
  return order;
}

Factorisation::Factorisation(const SparseMatrix& matrix, std::span<const int> node_of_row, ZeroPivots zero_pivots)
    : instance_(std::make_unique<Instance>()) {
  Instance& own = *instance_;
  if (!own.started) throw NumericalError("the sparse factorisation could not be started");
  own.scale = row_scale(matrix);
  load(matrix, own.scale, own.rows, own.columns, own.values);
  for (const int position : node_ordering(matrix, node_of_row)) own.order.push_back(position + 1);
  own.mumps.n = static_cast<MUMPS_INT>(matrix.rows());
  own.mumps.nnz = static_cast<MUMPS_INT8>(own.values.size());
  own.mumps.irn = own.rows.data();
  own.mumps.jcn = own.columns.data();
  own.mumps.a = own.values.data();
  own.mumps.perm_in = own.order.data();
  own.control(6) = 0;    // no permutation for large diagonals
  own.control(7) = 1;    // our own ordering
  own.control(8) = 0;    // our own scaling
  own.control(12) = 1;   // an ordering of the matrix as it is, so that ours is kept
  own.control(13) = 1;   // root on one process: exact inertia
  own.control(14) = 40;  // % of extra workspace
  own.control(24) = zero_pivots == ZeroPivots::detect ? 1 : 0;
  own.mumps.cntl[2] = -zero_pivot;  // negative: absolute, the matrix is scaled
  own.run(4);
  for (int attempt = 0; attempt < 4 && (own.info(1) == -8 || own.info(1) == -9); ++attempt) {
    own.control(14) *= 2;  // delayed pivots took the workspace
    own.run(2);
  }
  if (own.info(1) == -13 || own.info(1) == -7)
    throw NumericalError("not enough memory to factorise the stiffness matrix");
  if (own.info(1) == -10) throw NumericalError("the matrix to be factorised is singular");
  if (own.info(1) < 0)
    throw NumericalError(fmt::format("the sparse factorisation failed (MUMPS {}, {})", own.info(1), own.info(2)));
  own.rows = {};  // kept by MUMPS in its own form
  own.columns = {};
  own.values = {};
}

Factorisation::~Factorisation() = default;
Factorisation::Factorisation(Factorisation&&) noexcept = default;
Factorisation& Factorisation::operator=(Factorisation&&) noexcept = default;

Eigen::MatrixXd Factorisation::solve(const Eigen::MatrixXd& right_hand_sides) const {
  Instance& own = *instance_;
  Eigen::MatrixXd x = own.scale.asDiagonal() * right_hand_sides;
  if (x.cols() == 0) return x;
  own.mumps.nrhs = static_cast<MUMPS_INT>(x.cols());
  own.mumps.lrhs = static_cast<MUMPS_INT>(x.rows());
  own.mumps.rhs = x.data();
  own.control(25) = 0;
  own.control(27) = 16;  // right-hand sides solved together
  own.run(3);
  if (own.info(1) < 0)
    throw NumericalError(fmt::format("the sparse solve failed (MUMPS {}, {})", own.info(1), own.info(2)));
  return own.scale.asDiagonal() * x;
}

int Factorisation::negative_pivots() const { return instance_->info(12); }

Eigen::MatrixXd Factorisation::null_space() const {
  Instance& own = *instance_;
  const auto count = own.control(24) == 1 ? own.info(28) : 0;
  Eigen::MatrixXd basis(own.scale.size(), count);
  if (count == 0) return basis;
  own.mumps.nrhs = count;
  own.mumps.lrhs = static_cast<MUMPS_INT>(basis.rows());
  own.mumps.rhs = basis.data();
  own.control(25) = -1;
  own.run(3);
  if (own.info(1) < 0)
    throw NumericalError(fmt::format("the null space could not be computed (MUMPS {}, {})", own.info(1), own.info(2)));
  return own.scale.asDiagonal() * basis;
}

double Factorisation::factor_entries() const {
  const auto entries = static_cast<double>(instance_->info(29));
  return entries < 0 ? -1e6 * entries : entries;  // negative: millions
}

double Factorisation::operations() const { return instance_->mumps.rinfog[2]; }

}  // namespace avrenk
