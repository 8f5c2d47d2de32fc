#include "core/modes/normal_modes.h"

#include <gtest/gtest.h>

#include <cmath>

namespace avrenk {
namespace {

// `copies` rows of n equal masses (1 kg) on n equal springs (1 N/m), fixed at one end and free at the other:
// ω_j = 2 sin((2j − 1)π / (4n + 2)), each `copies` times (Rayleigh, Theory of Sound, 1894, §120). The copies differ by
// `spread` in stiffness, so that clusters can be made instead of repeated values.
struct Rows {
  SparseMatrix k, m;
  std::vector<int> node_of_row;
  std::vector<double> exact;  // λ, ascending
};
Rows rows(int n, int copies, double spread = 0) {
  Rows r{SparseMatrix(n * copies, n * copies), SparseMatrix(n * copies, n * copies), {}, {}};
  std::vector<Eigen::Triplet<double>> k, m;
  for (int c = 0; c < copies; ++c) {
    const double stiffness = 1 + c * spread;
    for (int i = 0; i < n; ++i) {
      const int at = c * n + i;
      k.emplace_back(at, at, i + 1 < n ? 2 * stiffness : stiffness);
      if (i > 0) {
        k.emplace_back(at, at - 1, -stiffness);
        k.emplace_back(at - 1, at, -stiffness);
      }
      m.emplace_back(at, at, 1);
      r.node_of_row.push_back(at);
      r.exact.push_back(stiffness * std::pow(2 * std::sin((2 * i + 1) * std::acos(-1.0) / (4 * n + 2)), 2));
    }
  }
  r.k.setFromTriplets(k.begin(), k.end());
  r.m.setFromTriplets(m.begin(), m.end());
  std::sort(r.exact.begin(), r.exact.end());
  return r;
}

struct RangeCase {
  const char* name;
  int length, copies;
  double spread;
  ModeRange range;
  double shift;
};
void PrintTo(const RangeCase& c, std::ostream* out) { *out << c.name; }
class AllModesOf : public testing::TestWithParam<RangeCase> {};

// Every mode once, whatever the number of slices, repeats or clusters; counted again at one more shift.
TEST_P(AllModesOf, ARangeAreFoundAndProven) {
  const RangeCase& c = GetParam();
  const Rows r = rows(c.length, c.copies, c.spread);
  const EliminationOrder order(r.k, r.node_of_row);
  NormalModes modes(r.k, r.m, order, 2, {});
  if (c.range.below) (void)modes.count_below(*c.range.below);
  modes.begin(Factorisation(r.k - c.shift * r.m, order), c.shift, c.range);
  modes.complete();
  const auto found = static_cast<std::size_t>(modes.values.size());
  if (c.range.below) {
    const auto below = std::lower_bound(r.exact.begin(), r.exact.end(), *c.range.below) - r.exact.begin();
    EXPECT_EQ(found, static_cast<std::size_t>(std::max<std::ptrdiff_t>(1, below)));  // the first is always found
  } else {
    // More where a repeated value would be cut apart, fewer where there are no more.
    EXPECT_GE(found, std::min(r.exact.size(), static_cast<std::size_t>(*c.range.count)));
    EXPECT_LT(found, static_cast<std::size_t>(*c.range.count + c.copies));
  }
  ASSERT_LE(found, r.exact.size());
  for (std::size_t i = 0; i < found; ++i)
    ASSERT_NEAR(modes.values[static_cast<Eigen::Index>(i)] / r.exact[i], 1, 1e-9) << i;
  EXPECT_EQ(modes.counted_below, static_cast<int>(found));
  const Eigen::MatrixXd gram = modes.shapes.transpose() * modes.shapes;
  EXPECT_LE((gram - Eigen::MatrixXd::Identity(gram.rows(), gram.cols())).cwiseAbs().maxCoeff(), 1e-9);
  const Eigen::MatrixXd residual = r.k * modes.shapes - modes.shapes * modes.values.asDiagonal();
  for (Eigen::Index j = 0; j < residual.cols(); ++j)
    EXPECT_LE(residual.col(j).norm(), 1e-8 * std::sqrt(modes.values[j])) << j;
  // One more shift, in the widest gap of the upper half.
  std::size_t widest = found / 2;
  for (std::size_t i = found / 2; i + 1 < found; ++i)
    if (r.exact[i + 1] - r.exact[i] > r.exact[widest + 1] - r.exact[widest]) widest = i;
  if (found > 2) {
    EXPECT_EQ(modes.count_below(0.5 * (r.exact[widest] + r.exact[widest + 1])), static_cast<int>(widest + 1));
  }
}

INSTANTIATE_TEST_SUITE_P(
    Rows, AllModesOf,
    testing::Values(RangeCase{"one slice", 400, 1, 0, {std::nullopt, 30}, 0},
                    RangeCase{"slices by number", 900, 1, 0, {std::nullopt, 620}, 0},
                    RangeCase{"slices by frequency", 900, 1, 0, {3.0, std::nullopt}, 0},
                    RangeCase{"below the first", 50, 1, 0, {1e-9, std::nullopt}, 0},
                    RangeCase{"repeated, more often than a block is wide", 60, 19, 0, {0.02, std::nullopt}, 0},
                    RangeCase{"repeated, cut apart by the number", 60, 11, 0, {std::nullopt, 30}, 0},
                    RangeCase{"clustered", 60, 12, 1e-9, {std::nullopt, 50}, 0},
                    RangeCase{"repeated, in slices", 150, 6, 0, {std::nullopt, 560}, 0},
                    RangeCase{"shift below zero", 300, 2, 0, {std::nullopt, 40}, -1e-4},
                    RangeCase{"all there are", 40, 1, 0, {std::nullopt, 100}, 0}),
    [](const auto& each) {
      std::string name = each.param.name;
      std::erase_if(name, [](char ch) { return !std::isalnum(static_cast<unsigned char>(ch)); });
      return name;
    });

TEST(ModesNearAFrequency, AreTheNearestWithNoneMissingBetween) {
  const Rows r = rows(500, 3);
  const EliminationOrder order(r.k, r.node_of_row);
  for (const double omega : {0.05, 0.9, 1.7}) {
    NormalModes modes(r.k, r.m, order, 1, {});
    modes.find_nearest(omega * omega, 12);
    std::vector<double> nearest(r.exact);
    std::stable_sort(nearest.begin(), nearest.end(), [&](double a, double b) {
      return std::abs(std::sqrt(a) - omega) < std::abs(std::sqrt(b) - omega);
    });
    nearest.resize(12);
    std::sort(nearest.begin(), nearest.end());
    const auto first = std::lower_bound(r.exact.begin(), r.exact.end(), nearest.front() * (1 - 1e-9));
    ASSERT_EQ(modes.values.size(), 12);
    EXPECT_EQ(modes.missing_below, first - r.exact.begin());
    for (std::size_t i = 0; i < nearest.size(); ++i)
      EXPECT_NEAR(modes.values[static_cast<Eigen::Index>(i)] / nearest[i], 1, 1e-9);
  }
}

}  // namespace
}  // namespace avrenk
