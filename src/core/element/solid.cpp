#include "core/element/solid.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

#include "core/element/solid_shapes.h"
#include "core/error.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Matrix3d;
using Eigen::MatrixXd;
using Eigen::Vector3d;

[[noreturn]] void refuse_inverted(SolidShape shape, double jacobian) {
  throw NumericalError(
      fmt::format("is a {} turned inside out: its Jacobian is {:.2g} m³", facts_of(shape).name, jacobian));
}

// Right-hand sides in place, by the Cholesky factor of a small positive matrix.
template <int n, int columns>
void solve_positive(Eigen::Matrix<double, n, n> a, Eigen::Matrix<double, n, columns>& b) {
  for (int k = 0; k < n; ++k) {
    const double root = std::sqrt(a(k, k));
    for (int i = k; i < n; ++i) a(i, k) /= root;
    for (int j = k + 1; j < n; ++j)
      for (int i = j; i < n; ++i) a(i, j) -= a(i, k) * a(j, k);
  }
  for (int c = 0; c < columns; ++c) {
    for (int k = 0; k < n; ++k) {
      b(k, c) /= a(k, k);
      for (int i = k + 1; i < n; ++i) b(i, c) -= a(i, k) * b(k, c);
    }
    for (int k = n - 1; k >= 0; --k) {
      for (int i = k + 1; i < n; ++i) b(k, c) -= a(i, k) * b(i, c);
      b(k, c) /= a(k, k);
    }
  }
}

// Stiffness, with its part that couples to the incompatible modes condensed where there are any. Compiled for each
// number of nodes, so that the loops over entries of B have known lengths.
template <int nodes>
class ElementStiffness {
 public:
  using Matrix = Eigen::Matrix<double, 3 * nodes, 3 * nodes>;

  ElementStiffness(const SolidBlock& block, Index element, const Tabulated& table) : whole_(Whole::Zero()) {
    const SolidNodes solid_nodes = nodes_of(block, element);
    std::optional<IncompatibleModes> modes;
    if constexpr (incompatible > 0) modes.emplace(solid_nodes);
    for (std::size_t g = 0; g < table.at.size(); ++g) {
      const Matrix3d jacobian = jacobian_of(table.at[g], solid_nodes);
      const double determinant = jacobian.determinant();
      if (!(determinant > 0)) refuse_inverted(block.shape, determinant);
      const Matrix3d inverse = jacobian.inverse();
      Gradients gradients;
      for (int i = 0; i < nodes; ++i)
        for (int r = 0; r < 3; ++r) {
          double sum = inverse(r, 0) * table.at[g].slope(0, i);
          for (int k = 1; k < 3; ++k) sum += inverse(r, k) * table.at[g].slope(k, i);
          gradients(r, i) = sum;
        }
      if constexpr (incompatible > 0)
        gradients.template rightCols<3>() = modes->gradients(table.rule[g].point, determinant);
      add(gradients, table.rule[g].weight * determinant * block.elasticity);
    }
    for (int j = 0; j < own_rows; ++j)
      for (int i = 0; i < own_rows; ++i) matrix_(i, j) = whole_(i, j);
    if constexpr (incompatible > 0) {
      Eigen::Matrix<double, 9, own_rows> mixed;
      Eigen::Matrix<double, 9, 9> inner;
      for (int j = 0; j < own_rows; ++j)
        for (int i = 0; i < 9; ++i) mixed(i, j) = whole_(own_rows + i, j);
      for (int j = 0; j < 9; ++j)
        for (int i = 0; i < 9; ++i) inner(i, j) = whole_(own_rows + i, own_rows + j);
      condensed_ = -mixed;
      solve_positive<9, own_rows>(inner, condensed_);
      for (int j = 0; j < own_rows; ++j)
        for (int i = j; i < own_rows; ++i) matrix_(i, j) += mixed.col(i).dot(condensed_.col(j));
    }
    for (int j = 0; j < own_rows; ++j)
      for (int i = 0; i < j; ++i) matrix_(i, j) = matrix_(j, i);
  }
  [[nodiscard]] const Matrix& matrix() const { return matrix_; }
  /// Amplitudes of the incompatible modes from the displacements of the nodes.
  [[nodiscard]] const auto& amplitudes() const { return condensed_; }

 private:
  static constexpr int incompatible = nodes == 8 ? 3 : 0, functions = nodes + incompatible;  // those of the nodes first
  static constexpr int own_rows = 3 * nodes;
  using Gradients = Eigen::Matrix<double, 3, functions>;
  using Whole = Eigen::Matrix<double, 3 * functions, 3 * functions>;
  // BᵀDB below its diagonal. A column of B has three entries, and so has a row of Bᵀ: general products, and calls of
  // BLAS, which locks, would cost several times that.
  void add(const Gradients& g, const Elasticity& d) {
    for (int k = 0; k < functions; ++k) {
      const double gx = g(0, k), gy = g(1, k), gz = g(2, k);
      const std::array<Eigen::Matrix<double, 6, 1>, 3> stress{gx * d.col(0) + gy * d.col(3) + gz * d.col(5),
                                                              gy * d.col(1) + gx * d.col(3) + gz * d.col(4),
                                                              gz * d.col(2) + gy * d.col(4) + gx * d.col(5)};
      for (int c = 0; c < 3; ++c) {
        const Eigen::Matrix<double, 6, 1>& s = stress[static_cast<std::size_t>(c)];
        double* const column = whole_.data() + static_cast<Index>(3 * functions) * (3 * k + c);
        for (int i = k; i < functions; ++i) {
          const double x = g(0, i), y = g(1, i), z = g(2, i);
          column[3 * i] += x * s[0] + y * s[3] + z * s[5];
          column[3 * i + 1] += y * s[1] + x * s[3] + z * s[4];
          column[3 * i + 2] += z * s[2] + y * s[4] + x * s[5];
        }
      }
    }
  }
  Whole whole_;
  Matrix matrix_;
  Eigen::Matrix<double, 9, own_rows> condensed_;
};

template <int nodes>
MatrixXd stiffness_of(const SolidBlock& block, Index first, Index count) {
  const Tabulated table(block.shape, stiffness_rule(block.shape));
  MatrixXd all(3 * nodes, 3 * nodes * count);
  for (Index k = 0; k < count; ++k) {
    const ElementStiffness<nodes> own(block, first + k, table);
    std::copy_n(own.matrix().data(), own.matrix().size(), all.col(3 * nodes * k).data());
  }
  return all;
}

}  // namespace

MatrixXd solid_stiffness(const SolidBlock& block, Index first, Index count) {
  switch (facts_of(block.shape).nodes) {
    case 4:
      return stiffness_of<4>(block, first, count);
    case 6:
      return stiffness_of<6>(block, first, count);
    case 10:
      return stiffness_of<10>(block, first, count);
    case 15:
      return stiffness_of<15>(block, first, count);
    case 20:
      return stiffness_of<20>(block, first, count);
    default:
      return stiffness_of<8>(block, first, count);
  }
}

Eigen::Matrix<double, 9, 24> incompatible_amplitudes(const SolidBlock& block, Index element) {
  return ElementStiffness<8>(block, element, Tabulated(block.shape, stiffness_rule(block.shape))).amplitudes();
}

MatrixXd solid_mass(const SolidBlock& block, Index first, Index count) {
  const Tabulated table(block.shape, mass_rule(block.shape));
  const int n = facts_of(block.shape).nodes;
  MatrixXd rows = MatrixXd::Zero(3 * n, 3 * n * count);
  for (Index k = 0; k < count; ++k) {
    const SolidNodes nodes = nodes_of(block, first + k);
    std::array<double, 400> scalar{};  // n x n
    for (std::size_t g = 0; g < table.at.size(); ++g) {
      const double determinant = jacobian_of(table.at[g], nodes).determinant();
      if (!(determinant > 0)) refuse_inverted(block.shape, determinant);
      const double* const value = table.at[g].value.data();
      const double factor = block.density * table.rule[g].weight * determinant;
      for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) scalar[static_cast<std::size_t>(n * j + i)] += factor * value[i] * value[j];
    }
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j)
        for (int d = 0; d < 3; ++d) rows(3 * i + d, 3 * (n * k + j) + d) = scalar[static_cast<std::size_t>(n * j + i)];
  }
  return rows;
}

Moments solid_moments(const SolidBlock& block) {
  const Tabulated table(block.shape, mass_rule(block.shape));
  Moments sum;
  for (Index element = 0; element < block.elements(); ++element) {
    const SolidNodes nodes = nodes_of(block, element);
    for (std::size_t g = 0; g < table.at.size(); ++g) {
      const double mass = block.density * table.rule[g].weight * jacobian_of(table.at[g], nodes).determinant();
      const Vector3d at = nodes.lazyProduct(table.at[g].value);
      sum.mass += mass;
      sum.first += mass * at;
      sum.second += mass * at * at.transpose();
    }
  }
  return sum;
}

double solid_jacobian_ratio(const SolidBlock& block, Index element) {
  const SolidNodes nodes = nodes_of(block, element);
  double lowest = HUGE_VAL, highest = -HUGE_VAL;
  for (const Quadrature& each : stiffness_rule(block.shape)) {
    const double determinant = jacobian_of(solid_functions(block.shape, each.point), nodes).determinant();
    lowest = std::min(lowest, determinant);
    highest = std::max(highest, determinant);
  }
  return highest > 0 ? lowest / highest : -1;
}

}  // namespace avrenk
