#include "core/modes/lanczos.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <random>

namespace avrenk {
namespace {

struct Pencil {
  SparseMatrix k, m;
  std::vector<int> node_of_row;
};

// A row of masses on springs where every third has no mass; `copies` of it side by side make each eigenvalue multiple.
Pencil row_of_masses(int length, int copies) {
  const int n = length * copies;
  Pencil p{SparseMatrix(n, n), SparseMatrix(n, n), {}};
  for (int c = 0; c < copies; ++c) {
    for (int i = 0; i < length; ++i) {
      const int at = c * length + i;
      p.k.coeffRef(at, at) += 1 + 0.1 * i;
      if (i > 0) {
        p.k.coeffRef(at, at) += 2;
        p.k.coeffRef(at - 1, at - 1) += 2;
        p.k.coeffRef(at, at - 1) -= 2;
        p.k.coeffRef(at - 1, at) -= 2;
      }
      if (i % 3 != 2) p.m.coeffRef(at, at) = 1 + 0.01 * i * i;
      p.node_of_row.push_back(at);
    }
  }
  return p;
}

struct ChainCase {
  int length, copies, wanted;
};
void PrintTo(const ChainCase& c, std::ostream* out) { *out << c.length << " x " << c.copies << ", " << c.wanted; }
class LowestModes : public testing::TestWithParam<ChainCase> {};

// All modes of a model whose motions without mass lie along no axis, so that M is singular but for rounding: what is
// found is as many as have mass, and no direction that rounding holds up.
TEST(LanczosOfAll, FindsNoModeWithoutMass) {
  for (unsigned seed = 1; seed <= 20; ++seed) {
    SCOPED_TRACE(seed);
    const Pencil straight = row_of_masses(24, 2);
    const Eigen::Index n = straight.k.rows();
    std::srand(seed);
    Eigen::MatrixXd turn = Eigen::MatrixXd::Zero(n, n);
    for (Eigen::Index i = 0; i < n; i += 6)
      turn.block<6, 6>(i, i) = Eigen::HouseholderQR<Eigen::MatrixXd>(Eigen::MatrixXd::Random(6, 6)).householderQ() *
                               Eigen::MatrixXd::Identity(6, 6);
    const SparseMatrix k = (turn.transpose() * Eigen::MatrixXd(straight.k) * turn).sparseView(),
                       m = (turn.transpose() * Eigen::MatrixXd(straight.m) * turn).sparseView();
    LanczosRequest request;
    request.expected = static_cast<int>(n);
    request.judge = [&](std::span<const double> found) {
      return static_cast<Eigen::Index>(found.size()) >= n ? Search::enough : Search::go_on;
    };
    const EigenPairs pairs =
        modes_near_shift(Factorisation(k, {k, straight.node_of_row}), SymmetricProduct(m), request);
    EXPECT_TRUE(pairs.exhausted);
    ASSERT_EQ(pairs.values.size(), n * 2 / 3);
    EXPECT_LE((pairs.vectors.transpose() * m * pairs.vectors -
               Eigen::MatrixXd::Identity(pairs.values.size(), pairs.values.size()))
                  .cwiseAbs()
                  .maxCoeff(),
              1e-9);
  }
}

// Against a dense solver on the inverse problem M x = θ K x, which takes a singular M (LAPACK-style reduction in
// Eigen).
TEST_P(LowestModes, AgreeWithADenseSolver) {
  const auto [length, copies, wanted] = GetParam();
  const Pencil p = row_of_masses(length, copies);
  const Eigen::GeneralizedSelfAdjointEigenSolver<Eigen::MatrixXd> dense{Eigen::MatrixXd(p.m), Eigen::MatrixXd(p.k)};
  const Eigen::VectorXd theta = dense.eigenvalues().reverse();
  const auto finite = (theta.array() > 1e-12 * theta[0]).count();
  const Factorisation factorisation(p.k, {p.k, p.node_of_row});
  for (const int most : {0, wanted + 40}) {  // the second is restarted again and again
    LanczosRequest request;
    request.expected = wanted;
    request.most = most;
    request.judge = [&](std::span<const double> found) {
      return static_cast<int>(found.size()) >= wanted ? Search::enough : Search::go_on;
    };
    EigenPairs pairs = modes_near_shift(factorisation, SymmetricProduct(p.m), request);
    const auto kept = std::min<Eigen::Index>(wanted, pairs.values.size());
    pairs.values.conservativeResize(kept);
    pairs.vectors.conservativeResize(Eigen::NoChange, kept);
    ASSERT_EQ(pairs.values.size(), std::min<Eigen::Index>(wanted, finite));
    EXPECT_EQ(pairs.exhausted, wanted > finite);
    for (Eigen::Index i = 0; i < pairs.values.size(); ++i) EXPECT_NEAR(pairs.values[i] * theta[i], 1, 1e-11) << i;
    const auto size = pairs.values.size();
    EXPECT_LE(
        (pairs.vectors.transpose() * p.m * pairs.vectors - Eigen::MatrixXd::Identity(size, size)).cwiseAbs().maxCoeff(),
        1e-10);
    const Eigen::MatrixXd residual = p.k * pairs.vectors - p.m * pairs.vectors * pairs.values.asDiagonal();
    // Pairs locked at a restart keep a trace of what has no mass.
    EXPECT_LE(residual.norm(), (most == 0 ? 1e-8 : 1e-7) * (p.k * pairs.vectors).norm());
  }
}

INSTANTIATE_TEST_SUITE_P(Pencils, LowestModes,
                         testing::Values(ChainCase{1, 1, 1}, ChainCase{1, 1, 5}, ChainCase{9, 1, 3},
                                         ChainCase{9, 1, 50}, ChainCase{300, 1, 20}, ChainCase{40, 3, 30},
                                         ChainCase{30, 11, 44}, ChainCase{100, 2, 120}));

}  // namespace
}  // namespace avrenk
