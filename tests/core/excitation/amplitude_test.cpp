#include "core/excitation/amplitude.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/error.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Complex = std::complex<double>;

// What each law says between 10 and 40 Hz, by hand, with a phase that turns straight over frequency; and its slope by
// central differences.
TEST(Amplitude, FollowsItsLawBetweenPoints) {
  const std::vector<AmplitudePoint> points{{10, 4, 0}, {40, 1, 1.2}, {100, 2, -0.6}};
  const Amplitude power(points, BetweenPoints::power_law), straight(points, BetweenPoints::straight),
      steps(points, BetweenPoints::steps);
  EXPECT_NEAR(std::abs(power.at(20)), 2, 1e-14);  // slope −1 on log-log paper
  EXPECT_NEAR(std::abs(straight.at(20)), 3, 1e-14);
  EXPECT_NEAR(std::abs(steps.at(20)), 4, 1e-14);
  EXPECT_NEAR(std::arg(power.at(20)), 0.4, 1e-14);
  EXPECT_EQ(std::arg(steps.at(20)), 0);
  EXPECT_NEAR(std::abs(steps.at(40)), 4, 1e-14);  // the higher level applies at a step
  EXPECT_NEAR(std::abs(steps.at(99)), 1, 1e-14);
  for (const Amplitude& each : {power, straight, steps}) {
    EXPECT_EQ(each.at(9.99), Complex(0));
    EXPECT_EQ(each.at(100.1), Complex(0));
    const Amplitude turned = each.times(Complex(0.3, -2), 2);
    for (const double f : {15.0, 33.0, 70.0}) {
      EXPECT_LE(std::abs(turned.at(f) - Complex(0.3, -2) * std::pow(2 * pi * f, 2) * each.at(f)),
                1e-12 * std::abs(turned.at(f)));
      const double h = 1e-4;
      const Complex difference = (turned.at(f + h) - turned.at(f - h)) / (2 * h);
      EXPECT_LE(std::abs(turned.with_slope(f, f).second - difference), 1e-7 * std::abs(difference));
      EXPECT_EQ(turned.with_slope(f, f).first, turned.at(f));
    }
  }
  // At its end a stretch goes on by its own law.
  EXPECT_NEAR(std::abs(power.with_slope(40, 39).second), std::hypot(1.0 / 40, 1.2 / 30), 1e-14);
}

TEST(Amplitude, OfALogLogTableIsThatTable) {
  const LogLogTable table({{5, 2, {}}, {20, 8, {}}, {20, 3, {}}, {80, 3, {}}}, 20);
  const Amplitude amplitude(table);
  for (const double f : {5.0, 7.3, 20.0, 20.1, 80.0, 81.0}) EXPECT_EQ(amplitude.at(f), Complex(table.at(f))) << f;
  EXPECT_EQ(amplitude.curve_points(), table.curve_points());
}

TEST(Amplitude, RefusesWhatIsNoTable) {
  const auto made = [](std::vector<AmplitudePoint> points, BetweenPoints between) { (void)Amplitude(points, between); };
  EXPECT_THROW(made({{10, 1, 0}}, BetweenPoints::straight), InputError);
  EXPECT_THROW(made({{10, 1, 0}, {5, 1, 0}}, BetweenPoints::straight), InputError);
  EXPECT_THROW(made({{10, 1, 0}, {10, 2, 0}}, BetweenPoints::straight), InputError);
  EXPECT_THROW(made({{10, 0, 0}, {20, 2, 0}}, BetweenPoints::power_law), InputError);
  EXPECT_THROW(made({{10, -1, 0}, {20, 2, 0}}, BetweenPoints::straight), InputError);
  EXPECT_THROW(made({{0, 1, 0}, {20, 2, 0}}, BetweenPoints::straight), InputError);
  EXPECT_NO_THROW(made({{10, 0, 0}, {20, 2, 0}}, BetweenPoints::straight));
}

}  // namespace
}  // namespace avrenk
