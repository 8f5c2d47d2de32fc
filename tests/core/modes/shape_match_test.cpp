#include "core/modes/shape_match.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace avrenk {
namespace {

// Sine shapes of a string along x, moving in y, sampled at n points; mass by the length that each stands for.
SampledModes string_of(int n, const std::vector<int>& waves, double shift = 0) {
  SampledModes modes{Eigen::Matrix3Xd::Zero(3, n), Eigen::MatrixXd::Zero(6, n), {}};
  modes.mass.topRows<3>().setConstant(1.0 / n);
  for (int i = 0; i < n; ++i) modes.points(0, i) = (i + 0.5) / n + shift;
  for (const int wave : waves) {
    Eigen::Matrix<double, 6, Eigen::Dynamic> shape = Eigen::MatrixXd::Zero(6, n);
    for (int i = 0; i < n; ++i) shape(1, i) = -3 * std::sin(wave * std::numbers::pi * (i + 0.5) / n);
    modes.motions.push_back(shape);
  }
  return modes;
}

// Sines are orthogonal over equal masses: MAC is 1 with the same shape and 0 with any other, in closed form.
TEST(ShapeMatch, FindsPartnersByShapeWhateverTheirOrderAndScale) {
  const ShapeMatch match = match_shapes(string_of(40, {1, 2, 3, 5}), string_of(40, {2, 1, 3, 4}), 0.01);
  EXPECT_EQ(match.partner, (std::vector<int>{1, 0, 2, -1}));
  EXPECT_NEAR(match.points_used, 1, 1e-14);
  for (int i = 0; i < 4; ++i)
    for (int j = 0; j < 4; ++j)
      EXPECT_NEAR(match.assurance(i, j), match.partner[static_cast<std::size_t>(i)] == j, 1e-12);
}

// One body that moves along x in the first mode and turns about z in the second: told apart by its inertia alone.
TEST(ShapeMatch, SeesABodyThatOnlyTurns) {
  SampledModes body{Eigen::Matrix3Xd::Zero(3, 1), Eigen::MatrixXd::Zero(6, 1), {}};
  body.mass << 2, 2, 2, 0.1, 0.1, 0.1;
  Eigen::Matrix<double, 6, Eigen::Dynamic> moving = Eigen::MatrixXd::Zero(6, 1), turning = moving;
  moving(0, 0) = 1 / std::sqrt(2.0);
  turning(5, 0) = 1 / std::sqrt(0.1);
  turning(0, 0) = 0.01;
  body.motions = {moving, turning};
  const ShapeMatch match = match_shapes(body, body, 1e-9);
  EXPECT_EQ(match.partner, (std::vector<int>{0, 1}));
  EXPECT_NEAR(match.assurance(0, 1), 2 * 1e-4 / (1 + 2 * 1e-4), 1e-12);
}

TEST(ShapeMatch, TakesTheNearestPointsOfAnotherMeshAndLeavesOutWhatIsFar) {
  const ShapeMatch finer = match_shapes(string_of(40, {1, 2, 3}), string_of(333, {1, 2, 3}), 0.02);
  EXPECT_EQ(finer.partner, (std::vector<int>{0, 1, 2}));
  for (int i = 0; i < 3; ++i) EXPECT_GT(finer.assurance(i, i), 0.9999);
  EXPECT_LE(finer.farthest, 0.5 / 333 + 1e-12);
  const ShapeMatch half = match_shapes(string_of(40, {1}), string_of(40, {1}, 0.5), 0.001);
  EXPECT_NEAR(half.points_used, 0.5, 1e-12);
  const ShapeMatch nothing = match_shapes(string_of(40, {1}), string_of(40, {1}, 7), 0.001);
  EXPECT_EQ(nothing.partner, (std::vector<int>{-1}));
  EXPECT_EQ(nothing.points_used, 0);
}

}  // namespace
}  // namespace avrenk
