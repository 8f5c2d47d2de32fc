#include "core/system/factorisation.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <random>
#include <set>

namespace avrenk {
namespace {

// A random sparse symmetric matrix of `nodes` x 3 rows with entries between neighbouring nodes.
SparseMatrix random_symmetric(int nodes, unsigned seed) {
  std::mt19937 generator(seed);
  std::uniform_real_distribution<double> value(-1, 1);
  SparseMatrix a(3 * nodes, 3 * nodes);
  for (int i = 0; i < 3 * nodes; ++i)
    for (int j = 0; j <= i; ++j)
      if ((i / 3 - j / 3) % 7 < 2 && i / 3 - j / 3 < 9) {
        const double x = value(generator) * std::pow(10, 4 * value(generator));
        a.coeffRef(i, j) = x;
        a.coeffRef(j, i) = x;
      }
  a.makeCompressed();
  return a;
}

std::vector<int> three_rows_a_node(int nodes) {
  std::vector<int> node_of_row;
  for (int i = 0; i < 3 * nodes; ++i) node_of_row.push_back(10 + i / 3);
  return node_of_row;
}

TEST(Factorisation, CountsNegativeEigenvaluesAndSolves) {
  // Sylvester's law of inertia, against a dense eigenvalue solver.
  for (unsigned seed = 1; seed <= 12; ++seed) {
    SCOPED_TRACE(seed);
    const int nodes = seed == 1 ? 1 : 5 + static_cast<int>(seed) * 4;
    const SparseMatrix a = random_symmetric(nodes, seed);
    const Eigen::MatrixXd dense = a;
    const Eigen::VectorXd eigenvalues = Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(dense).eigenvalues();
    const auto node_of_row = three_rows_a_node(nodes);
    const Factorisation factorisation(a, {a, node_of_row});
    EXPECT_EQ(factorisation.negative_pivots(), (eigenvalues.array() < 0).count());
    const Eigen::MatrixXd x = Eigen::MatrixXd::Random(dense.rows(), 20);
    const Eigen::MatrixXd found = factorisation.solve(dense * x);
    EXPECT_LE((dense * found - dense * x).norm(), 1e-10 * (dense * x).norm());
  }
}

TEST(NullSpace, IsFoundWhateverThePivotsAre) {
  // A Laplacian of two separate chains has a null space of two constants.
  const int half = 20;
  SparseMatrix a(2 * half, 2 * half);
  for (const int start : {0, half}) {
    for (int i = start; i + 1 < start + half; ++i) {
      const double k = 1 + 1e6 * (i % 3);
      a.coeffRef(i, i) += k;
      a.coeffRef(i + 1, i + 1) += k;
      a.coeffRef(i, i + 1) -= k;
      a.coeffRef(i + 1, i) -= k;
    }
  }
  std::vector<int> node_of_row(2 * half);
  for (int i = 0; i < 2 * half; ++i) node_of_row[static_cast<std::size_t>(i)] = i;
  const Factorisation factorisation(a, {a, node_of_row}, Factorisation::ZeroPivots::detect);
  const Eigen::MatrixXd found = null_space(a, factorisation);
  ASSERT_EQ(found.cols(), 2);
  EXPECT_LE((a * found).norm(), 1e-8 * found.norm());  // entries up to 1e6 times epsilon
  EXPECT_EQ(found.colPivHouseholderQr().rank(), 2);
  // Held by one part in 1e9 they are free no longer; 39 null vectors are all found, rows of zeros among them.
  for (const int end : {0, 2 * half - 1}) a.coeffRef(end, end) += 1e-3;
  EXPECT_EQ(null_space(a, {a, {a, node_of_row}, Factorisation::ZeroPivots::detect}).cols(), 0);
  SparseMatrix bare = a;
  bare.coeffs().setZero();
  bare.coeffRef(0, 0) = 1;
  EXPECT_EQ(null_space(bare, {bare, {bare, node_of_row}, Factorisation::ZeroPivots::detect}).cols(), 2 * half - 1);
}

TEST(Factorisation, OrderingKeepsTheRowsOfANodeTogether) {
  const int nodes = 60;
  const auto node_of_row = three_rows_a_node(nodes);
  const std::vector<int> position = EliminationOrder(random_symmetric(nodes, 3), node_of_row).position;
  EXPECT_EQ(std::set<int>(position.begin(), position.end()).size(), position.size());
  for (std::size_t row = 0; row + 1 < position.size(); ++row)
    if (row % 3 != 2) {
      EXPECT_EQ(position[row + 1], position[row] + 1);
    }
}

}  // namespace
}  // namespace avrenk
