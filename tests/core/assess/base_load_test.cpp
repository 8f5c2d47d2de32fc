#include "core/assess/base_load.h"

#include <gtest/gtest.h>

#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

// A mass m on a spring above a rigid mass m_f that moves with the base: F = (m T + m_f) a in closed form, whose largest
// over a sweep is looked for on 10⁶ points, and whose RMS is integrated there; the reaction of the mass alone, or the
// sum of both largest values, would be another number.
TEST(BaseLoad, OfOneMassIsItsClosedForm) {
  constexpr double natural = 40, ratio = 0.05, mass = 2.5, fixture = 6;
  const auto force = [=](double f) {
    const std::complex<double> spring(1, 2 * ratio * f / natural);
    return std::abs(mass * spring / (spring - std::pow(f / natural, 2)) + fixture);
  };
  const Solved solved(test::chain({mass}, {mass * std::pow(2 * pi * natural, 2)}), test::count(6), test::ratio(ratio));
  Environment environment;
  environment.name = "shaken";
  environment.axes = {2};
  environment.grid = {10, 200, 24, 21, {}};
  environment.input = LogLogTable({{10, 3, {}}, {200, 3, {}}}, 20);
  double largest = 0, at = 0, square = 0;
  constexpr int points = 1000000;
  for (int k = 0; k <= points; ++k) {
    const double f = 10 + 190.0 * k / points, value = force(f);
    square += (k == 0 || k == points ? 0.5 : 1) * value * value * 190 / points;
    if (value > largest) {
      largest = value;
      at = f;
    }
  }
  for (const auto type : {Environment::Type::sine, Environment::Type::random}) {
    test::set_type(environment, type);
    environment.input = LogLogTable({{10, 3, {}}, {200, 3, {}}}, type == Environment::Type::sine ? 20 : 10);
    const CaseResponse load(excitation_along(environment, 2, solved.system), solved.system, solved.basis,
                            solved.damping);
    const BaseLoad found = base_load(load, solved.channels, 0, Vector3::Zero(), 2, fixture);
    if (type == Environment::Type::sine) {
      EXPECT_NEAR(found.force / (3 * largest), 1, 1e-7);
      EXPECT_NEAR(found.force_at, at, 1e-3);
    } else {
      EXPECT_NEAR(found.force / std::sqrt(3 * square), 1, 1e-7);
    }
    EXPECT_LE(found.moment, 1e-6 * found.force) << "along its own line";
    EXPECT_NEAR(base_load(load, solved.channels, 0, {0.1, 0, 0}, 2, 0).moment /
                    base_load(load, solved.channels, 0, Vector3::Zero(), 2, 0).force,
                0.1, 1e-6)
        << "about a point beside it";
  }
}

}  // namespace
}  // namespace avrenk
