#include "core/response/length_distribution.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>

namespace avrenk {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;
using Eigen::VectorXd;

// One component: erf; two alike: Rayleigh, 1 − e^{−r²/2}; three alike: Maxwell, erf(r/√2) − √(2/π) r e^{−r²/2}; two and
// four alike of unlike size: 1 − (a e^{−r²/2a} − b e^{−r²/2b})/(a − b) (hypoexponential).
TEST(LengthDistribution, IsThatOfTextbooksWhereComponentsAreAlike) {
  for (const double r : {0.05, 0.5, 1.0, 2.0, 3.0, 4.5, 6.0}) {
    EXPECT_NEAR(probability_below(VectorXd::Constant(1, 4), 2 * r), std::erf(r / std::sqrt(2)), 1e-11) << r;
    EXPECT_NEAR(probability_below(Vector3d(1, 0, -1e-17), r), std::erf(r / std::sqrt(2)), 1e-11) << r;
    EXPECT_NEAR(probability_below(Vector2d(9, 9), 3 * r), -std::expm1(-r * r / 2), 1e-11) << r;
    EXPECT_NEAR(probability_below(Vector3d(1, 1, 1), r),
                std::erf(r / std::sqrt(2)) - std::sqrt(2 / M_PI) * r * std::exp(-r * r / 2), 1e-11)
        << r;
    for (const double b : {0.9, 0.3, 1e-3}) {
      const double exact = 1 - (std::exp(-r * r / 2) - b * std::exp(-r * r / (2 * b))) / (1 - b);
      EXPECT_NEAR(probability_below(Eigen::Vector4d(1, b, 1, b), r), exact, 1e-11) << r << " " << b;
    }
  }
  EXPECT_EQ(probability_below(Vector2d(1, 1), 0), 0);
  EXPECT_EQ(probability_below(Vector2d(0, 0), 1), 1);
  EXPECT_EQ(length_below(Vector2d(0, 0), 0.9), 0);
  for (const double k : {1.0, 2.0, 3.0}) {
    EXPECT_NEAR(length_below(VectorXd::Constant(1, 25), probability_within(k)), 5 * k, 1e-8 * k);
    const double p = probability_within(k);
    EXPECT_NEAR(length_below(Vector2d(4, 4), p), 2 * std::sqrt(-2 * std::log1p(-p)), 1e-8 * k);
  }
}

// Unlike components against 400 000 samples: four standard errors.
TEST(LengthDistribution, AgreesWithSampling) {
  std::mt19937_64 generator(7);
  std::normal_distribution<double> normal;
  constexpr int samples = 400000;
  for (const VectorXd& variances : {VectorXd(Vector3d(1, 0.2, 0.05)), VectorXd(Vector3d(3, 2.5, 1e-4))}) {
    std::vector<double> lengths;
    for (int i = 0; i < samples; ++i) {
      double square = 0;
      for (const double each : variances) square += each * std::pow(normal(generator), 2);
      lengths.push_back(std::sqrt(square));
    }
    for (const double k : {1.0, 2.0, 3.0}) {
      const double p = probability_within(k), length = length_below(variances, p);
      const auto below = std::count_if(lengths.begin(), lengths.end(), [&](double each) { return each < length; });
      EXPECT_NEAR(static_cast<double>(below) / samples, p, 4 * std::sqrt(p * (1 - p) / samples)) << k;
    }
  }
}

}  // namespace
}  // namespace avrenk
