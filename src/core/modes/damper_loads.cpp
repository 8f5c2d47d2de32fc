#include "core/modes/damper_loads.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <set>

#include "core/dense.h"
#include "core/element/discrete.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Of the largest mass, or inertia, at a node: what rounding leaves of turned ones is less.
constexpr double no_mass = 1e-13;
constexpr double same_spread = 1e-10;

// Columns that are collected entry by entry.
class CollectedLoads {
 public:
  // One for each direction of a node.
  void add(Index first, const MatrixXd& directions) {
    for (Index d = 0; d < directions.cols(); ++d, ++count_)
      for (Index j = 0; j < directions.rows(); ++j)
        if (directions(j, d) != 0) entries_.emplace_back(static_cast<int>(first + j), count_, directions(j, d));
  }
  // Into the column that is being made, of a motion of a node what is free of it.
  void put(const System& system, int node, Index motion, double value) {
    if (node < 0 || value == 0) return;
    for (SparseMatrix::InnerIterator entry(system.transformation, 6L * node + motion); entry; ++entry)
      if (entry.row() < system.free)
        entries_.emplace_back(static_cast<int>(entry.row()), count_, entry.value() * value);
  }
  // The column is made, where there is anything in it.
  void close() {
    if (!entries_.empty() && entries_.back().col() == count_) ++count_;
  }
  [[nodiscard]] SparseMatrix matrix(Index rows) const {
    SparseMatrix made(rows, count_);
    made.setFromTriplets(entries_.begin(), entries_.end());
    return made;
  }

 private:
  std::vector<Eigen::Triplet<double>> entries_;
  int count_ = 0;
};

void add_dashpots(const Assembly& assembly, const System& system, CollectedLoads& loads) {
  for (const Spring& spring : assembly.springs) {
    if (!spring.has_dashpot()) continue;
    const auto position = [&](int node) { return node < 0 ? spring.point : assembly.position(node); };
    const TravelRows travel =
        travel_rows(spring.point, spring.axes, position(spring.nodes[0]), position(spring.nodes[1]));
    for (int axis = 0; axis < 6; ++axis) {
      if (spring.dashpot[axis] == 0) continue;
      for (int motion = 0; motion < 12; ++motion)
        loads.put(system, spring.nodes[static_cast<std::size_t>(motion / 6)], motion % 6, travel(axis, motion));
      loads.close();
    }
  }
}

using SparseRows = Eigen::SparseMatrix<double, Eigen::RowMajor>;

// Entries of the rows of one node: shareᵀ [X_ff, X_fs], supports after the free unknowns; d numbers a column.
using Entries = std::map<Index, VectorXd>;
class NodeRows {
 public:
  explicit NodeRows(const Partitioned& matrix) : free_(matrix.ff), supports_(matrix.fs) {}
  [[nodiscard]] Entries of(Index first, const MatrixXd& share) const {
    Entries entries;
    const auto add = [&](Index column, Index row, double value) {
      const auto found = entries.try_emplace(column, VectorXd::Zero(share.cols())).first;
      found->second += value * share.row(row).transpose();
    };
    for (Index j = 0; j < share.rows(); ++j) {
      for (SparseMatrix::InnerIterator entry(free_, first + j); entry; ++entry) add(entry.row(), j, entry.value());
      for (SparseRows::InnerIterator entry(supports_, first + j); entry; ++entry)
        add(free_.rows() + entry.col(), j, entry.value());
    }
    return entries;
  }
  [[nodiscard]] bool touches(Index first, Index count) const {
    return free_.outerIndexPtr()[first + count] > free_.outerIndexPtr()[first];
  }

 private:
  const SparseMatrix& free_;  // symmetric: its columns are its rows
  SparseRows supports_;
};

double dot(const Entries& a, const Entries& b) {
  double sum = 0;
  for (const auto& [column, values] : a)
    if (const auto found = b.find(column); found != b.end()) sum += values.dot(found->second);
  return sum;
}

// The unknowns of a node, one after another.
struct Unknowns {
  Index first, count;
};
Unknowns unknowns_beside(const System& system, Index one) {
  const auto& node_of = system.node_of_column;
  const auto at = node_of.begin() + one;
  const auto first =
      std::find_if(std::make_reverse_iterator(at), node_of.rend(), [&](int n) { return n != *at; }).base();
  const auto end = std::find_if(at, node_of.end(), [&](int n) { return n != *at; });
  return {first - node_of.begin(), end - first};
}

// Directions of one node that have no mass, as columns on its unknowns. M is positive semidefinite: they are null
// vectors of the node's own block. Kilograms and kg m² are measured each by its largest.
MatrixXd without_mass(const System& system, Index first, Index count) {
  const SparseMatrix& mass = system.mass.ff;
  MatrixXd block = MatrixXd::Zero(count, count);
  for (Index j = 0; j < count; ++j)
    for (SparseMatrix::InnerIterator entry(mass, first + j); entry; ++entry)
      if (entry.row() >= first && entry.row() < first + count) block(entry.row() - first, j) = entry.value();
  double largest[2] = {0, 0};  // of translations, of rotations
  const auto is_rotation = [&](Index j) {
    return system.component_of_column[static_cast<std::size_t>(first + j)] > 2 ? 1 : 0;
  };
  for (Index j = 0; j < count; ++j) largest[is_rotation(j)] = std::max(largest[is_rotation(j)], block(j, j));
  VectorXd scale(count);
  for (Index j = 0; j < count; ++j) scale[j] = largest[is_rotation(j)] > 0 ? 1 / std::sqrt(largest[is_rotation(j)]) : 1;
  const SymmetricEigen eigen = symmetric_eigen(scale.asDiagonal() * block * scale.asDiagonal());
  return scale.asDiagonal() * eigen.vectors.leftCols((eigen.values.array() <= no_mass).count());
}

// Whether the rows X of one node are no multiple of those of K.
bool differs(const Entries& x, const Entries& k) {
  const double size = dot(x, x), stiffness = dot(k, k);
  if (size == 0 || stiffness == 0) return size > 0;
  return size - std::pow(dot(x, k), 2) / stiffness > same_spread * size;
}

// Where elements of different damping meet: directions without mass, and whole nodes that have it.
void add_unlike(const System& system, CollectedLoads& massless, CollectedLoads& with_mass) {
  std::optional<Partitioned> without;  // K_σ
  if (system.geometric) {
    without = system.own_stiffness;
    without->ff -= system.geometric->ff;
    without->fs -= system.geometric->fs;
    without->ss -= system.geometric->ss;
  }
  const Partitioned& elements = without ? *without : system.own_stiffness;
  if (elements.ff.nonZeros() == 0 && system.dashpot.ff.nonZeros() == 0) return;
  const NodeRows node_rows(elements), loss(system.loss), dashpot(system.dashpot), stiffness(system.stiffness);
  for (Index next = 0; next < system.free;) {
    const auto [at, count] = unknowns_beside(system, next);
    next = at + count;
    const bool own = node_rows.touches(at, count);
    if (!own && !dashpot.touches(at, count)) continue;
    const MatrixXd free_of_mass = without_mass(system, at, count), all = MatrixXd::Identity(count, count);
    if (free_of_mass.cols() > 0) {
      const Entries k = stiffness.of(at, free_of_mass);
      if (differs(node_rows.of(at, free_of_mass), k) || differs(loss.of(at, free_of_mass), k) ||
          differs(dashpot.of(at, free_of_mass), k))
        massless.add(at, free_of_mass);
    }
    if (!own || free_of_mass.cols() == count) continue;
    if (const Entries k = stiffness.of(at, all); differs(node_rows.of(at, all), k) || differs(loss.of(at, all), k))
      with_mass.add(at, all);
  }
}

// Motions of components that move no mass, of the interface against the modes of the inside: all that supplied modes
// carry, where they carry all there is. Their stiffness and loss meet those of neighbours there.
void add_components(const Assembly& assembly, const System& system, CollectedLoads& unlike) {
  if (system.own_stiffness.ff.nonZeros() == 0) return;
  for (const Component& component : assembly.components) {
    const VectorXd scale = component.mass.diagonal().unaryExpr([](double m) { return m > 0 ? 1 / std::sqrt(m) : 1.0; });
    const SymmetricEigen eigen = symmetric_eigen(MatrixXd(scale.asDiagonal() * component.mass * scale.asDiagonal()));
    for (Index k = 0; k < eigen.values.size() && eigen.values[k] <= no_mass; ++k) {
      const VectorXd motion = scale.cwiseProduct(eigen.vectors.col(k));
      for (Index i = 0; i < motion.size(); ++i)
        unlike.put(system, component.nodes[static_cast<std::size_t>(i / 6)], i % 6, motion[i]);
      unlike.close();
    }
  }
}

}  // namespace

DamperLoads damper_loads(const Assembly& assembly, const System& system) {
  CollectedLoads needed, unlike;
  add_dashpots(assembly, system, needed);
  add_unlike(system, needed, unlike);
  add_components(assembly, system, unlike);
  return {needed.matrix(system.free), unlike.matrix(system.free)};
}

MatrixXd massless_shapes(const System& system, const SparseMatrix& loads) {
  const SparseMatrix& stiffness = system.stiffness.ff;
  const auto& node_of = system.node_of_column;
  // From the loads on, over elements, as far as there are directions without mass.
  std::set<int> seen;  // nodes
  std::vector<Unknowns> open;
  const auto see = [&](Index unknown) {
    if (seen.insert(node_of[static_cast<std::size_t>(unknown)]).second)
      open.push_back(unknowns_beside(system, unknown));
  };
  for (Index column = 0; column < loads.cols(); ++column)
    for (SparseMatrix::InnerIterator entry(loads, column); entry; ++entry) see(entry.row());
  std::vector<Eigen::Triplet<double>> entries;
  std::vector<int> node_of_direction;
  while (!open.empty()) {
    const auto [first, count] = open.back();
    open.pop_back();
    const MatrixXd directions = without_mass(system, first, count);
    for (Index d = 0; d < directions.cols(); ++d) {
      for (Index j = 0; j < count; ++j)
        if (directions(j, d) != 0)
          entries.emplace_back(static_cast<int>(first + j), static_cast<int>(node_of_direction.size()),
                               directions(j, d));
      node_of_direction.push_back(node_of[static_cast<std::size_t>(first)]);
    }
    if (directions.cols() == 0) continue;
    for (Index j = 0; j < count; ++j)
      for (SparseMatrix::InnerIterator entry(stiffness, first + j); entry; ++entry) see(entry.row());
  }
  if (node_of_direction.empty()) return MatrixXd::Zero(stiffness.rows(), loads.cols());
  SparseMatrix z(stiffness.rows(), static_cast<Index>(node_of_direction.size()));
  z.setFromTriplets(entries.begin(), entries.end());
  const SparseMatrix inner = SparseMatrix(z.transpose()) * SparseMatrix(stiffness * z);
  const Factorisation factor(inner, {inner, node_of_direction});
  return z * factor.solve(MatrixXd(z.transpose() * loads));
}

}  // namespace avrenk
