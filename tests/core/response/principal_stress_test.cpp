#include "core/response/principal_stress.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <cmath>
#include <numbers>
#include <random>
#include <vector>

namespace avrenk {
namespace {

// Tensors of which no direction is like another, some nearly alike, in a plane, free of their mean, or of one
// direction.
std::vector<Matrix3> drawn(std::mt19937& random, int count, int form) {
  std::normal_distribution<double> normal;
  std::vector<Matrix3> tensors;
  for (int k = 0; k < count; ++k) {
    Matrix3 s;
    for (double& each : s.reshaped()) each = 1e8 * normal(random);
    s = Matrix3(0.5 * (s + s.transpose()));
    if (form == 1) s.row(2).setZero(), s.col(2).setZero();
    if (form == 2) s -= s.trace() / 3 * Matrix3::Identity();
    if (form == 3 && k > 0) s = tensors[0] + 0.05 * s;
    if (form == 4) {
      const Vector3 n = Vector3(normal(random), normal(random), normal(random)).normalized();
      s = 1e8 * n * n.transpose();
    }
    if (form == 5) s = Vector3(1, 1, -1.01 - 0.01 * k).asDiagonal();  // two ends almost as far
    tensors.push_back(s);
  }
  const Matrix3 turn =
      Eigen::AngleAxisd(2 * normal(random), Vector3(normal(random), 1, normal(random)).normalized()).toRotationMatrix();
  if (form != 1)
    for (Matrix3& s : tensors) s = Matrix3(turn * s * turn.transpose());
  return tensors;
}

double along(const std::vector<Matrix3>& tensors, const Vector3& n) {
  double sum = 0;
  for (const Matrix3& s : tensors) sum += std::pow(n.dot(s * n), 2);
  return sum;
}

// Every direction to two degrees, then smaller and smaller steps from the best ones.
double searched(const std::vector<Matrix3>& tensors) {
  const double step = std::numbers::pi / 90;
  double best = 0;
  Vector3 at = Vector3::UnitZ();
  for (double polar = 0; polar <= std::numbers::pi / 2 + step; polar += step)
    for (double round = 0; round < 2 * std::numbers::pi; round += step) {
      const Vector3 n(std::sin(polar) * std::cos(round), std::sin(polar) * std::sin(round), std::cos(polar));
      if (const double own = along(tensors, n); own > best) best = own, at = n;
    }
  for (double size = step; size > 1e-8; size *= 0.7)
    for (bool better = true; better;) {
      better = false;
      const Vector3 u = at.unitOrthogonal(), v = at.cross(u);
      for (int k = 0; k < 8; ++k) {
        const double angle = std::numbers::pi / 4 * k;
        const Vector3 n = (at + size * (std::cos(angle) * u + std::sin(angle) * v)).normalized();
        if (const double own = along(tensors, n); own > best * (1 + 1e-15)) best = own, at = n, better = true;
      }
    }
  return best;
}

TEST(LargestNormalStress, IsTheLargestOfASearchOverAllDirections) {
  std::mt19937 random(7);
  for (int form = 0; form < 6; ++form)
    for (const int count : {1, 2, 3, 6})
      for (int repeat = 0; repeat < 4; ++repeat) {
        const auto tensors = drawn(random, count, form);
        const LargestNormalStress found = largest_normal_stress(tensors);
        EXPECT_NEAR(found.direction.norm(), 1, 1e-12);
        EXPECT_NEAR(along(tensors, found.direction) / found.square, 1, 1e-12);
        EXPECT_NEAR(found.square / searched(tensors), 1, 1e-12) << form << " " << count << " " << repeat;
      }
  const std::vector<Matrix3> nothing(2, Matrix3::Zero());
  EXPECT_EQ(largest_normal_stress(nothing).square, 0);
  EXPECT_EQ(largest_normal_stress({}).square, 0);
}

TEST(LargestNormalStress, IsTheLargestEigenvalueOfACycle) {
  std::mt19937 random(8);
  for (int form = 0; form < 6; ++form)
    for (int repeat = 0; repeat < 10; ++repeat) {
      const auto tensors = drawn(random, 2, form);
      const auto at = [&](double phase) {
        return Eigen::SelfAdjointEigenSolver<Matrix3>(
                   Matrix3(std::cos(phase) * tensors[0] + std::sin(phase) * tensors[1]), Eigen::EigenvaluesOnly)
            .eigenvalues()[2];
      };
      constexpr int points = 3600;
      double best = 0, phase = 0, step = 2 * std::numbers::pi / points;
      for (int k = 0; k < points; ++k)
        if (const double own = at(step * k); own > best) best = own, phase = step * k;
      for (; step > 1e-9; step *= 0.5)
        for (const double next : {phase - step, phase + step})
          if (const double own = at(next); own > best) best = own, phase = next;
      EXPECT_NEAR(std::sqrt(largest_normal_stress(tensors).square) / best, 1, 1e-12) << form;
    }
}

}  // namespace
}  // namespace avrenk
