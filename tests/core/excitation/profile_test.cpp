#include "core/excitation/profile.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/error.h"
#include "support/models.h"

namespace avrenk {
namespace {

TEST(Profile, HasTheRootMeanSquareIntegratedByHand) {
  // 20–80 Hz +6 dB/oct, 80–500 Hz flat 0.04, 500–2000 Hz −6 dB/oct (g²/Hz), areas by hand with n = ±6/3.0103 =
  // ±1.99316:
  const LogLogTable table({{20, {}, 6}, {80, 0.04, {}}, {500, 0.04, {}}, {2000, {}, -6}}, 10);
  const double n = 6 / (10 * std::log10(2.0));
  const double rise = 0.04 * 80 / (n + 1) * (1 - std::pow(0.25, n + 1));
  const double flat = 0.04 * 420;
  const double fall = 0.04 * 500 / (1 - n) * (std::pow(4, 1 - n) - 1);
  EXPECT_NEAR(table.area() / (rise + flat + fall), 1, 1e-13);
  EXPECT_NEAR(slope_in_decibels(table.stretches()[0], 10), 6, 1e-12);
  EXPECT_NEAR(slope_in_decibels(table.stretches()[2], 10), -6, 1e-12);
  EXPECT_NEAR(table.at(40) / 0.04, std::pow(10, -0.6), 1e-12);  // one octave below
  EXPECT_NEAR(table.scaled(std::pow(10, -0.3)).area() / table.area(), std::pow(10, -0.3), 1e-13);
}

TEST(Profile, IntegratesEveryPowerAgainstQuadrature) {
  // Against Simpson's rule in ln f, also for n + k = −1 to a hair.
  for (const double n : {-3.0, -1.0, -1.0 + 1e-12, -1.0 - 1e-7, -0.5, 0.0, 4.0}) {
    for (const int k : {0, -2, -4, 2}) {
      const PowerLaw law{7, 90, 0.3, 0.3 * std::pow(90.0 / 7, n)};
      double sum = 0;
      constexpr int steps = 2000;
      for (int i = 0; i <= steps; ++i) {
        const double f = 7 * std::pow(90.0 / 7, static_cast<double>(i) / steps);
        sum += (i == 0 || i == steps ? 1 : i % 2 ? 4 : 2) * law.at(f) * std::pow(f, k + 1);
      }
      EXPECT_NEAR(law.moment(k) / (sum * std::log(90.0 / 7) / (3 * steps)), 1, 1e-10) << n << " " << k;
    }
  }
}

TEST(Profile, ConvertsBetweenDisplacementVelocityAndAcceleration) {
  const LogLogTable stroke({{5, 8e-3, {}}, {20, 8e-3, {}}}, 20);  // 8 mm
  EXPECT_NEAR(stroke.times_omega(2).at(10), 8e-3 * std::pow(2 * pi * 10, 2), 1e-12);
  EXPECT_NEAR(slope_in_decibels(stroke.times_omega(2).stretches()[0], 20), 40 * std::log10(2.0),
              1e-10);  // 12.04 dB/oct
  EXPECT_NEAR(sweep_cycles(5, 100, 2), 60 * 95 / (2 * std::log(2.0)), 1e-9);
}

TEST(Profile, TakesTheHigherSideOfAStep) {
  const LogLogTable table({{10, 1, {}}, {50, 1, {}}, {50, 3, {}}, {90, 3, {}}}, 20);
  EXPECT_EQ(table.at(50), 3);
  EXPECT_EQ(table.at(50 * (1 - 1e-9)), 1);
  EXPECT_EQ(table.at(9), 0);
  EXPECT_EQ(table.breakpoints(), (std::vector<double>{10, 50, 90}));
  EXPECT_EQ(table.curve_points().size(), 5U);
}

TEST(Profile, LetsTheLowestBranchGovernAndComputesCrossovers) {
  // 8 mm, 0.5 m/s and 4 g: displacement meets velocity at f = v/2πd, velocity meets acceleration at f = a/2πv.
  const auto flat = [](double level, int k) {
    return LogLogTable({{5, level, {}}, {100, level, {}}}, 20).times_omega(k);
  };
  const double d = 8e-3, v = 0.5, a = 4 * standard_gravity;
  const LogLogTable lowest = LogLogTable::lowest_of({flat(a, 0), flat(d, 2), flat(v, 1)});
  const std::vector<double> breakpoints = lowest.breakpoints();
  ASSERT_EQ(breakpoints.size(), 4U);
  EXPECT_NEAR(breakpoints[1], v / (2 * pi * d), 1e-9);
  EXPECT_NEAR(breakpoints[2], a / (2 * pi * v), 1e-9);
  for (double f = 5; f <= 100; f *= 1.01)
    EXPECT_NEAR(lowest.at(f), std::min({a, d * std::pow(2 * pi * f, 2), v * 2 * pi * f}), 1e-12 * a);
  // Branches that do not cover the same range: each governs alone where it stands alone.
  const LogLogTable joined =
      LogLogTable::lowest_of({LogLogTable({{5, 1, {}}, {20, 1, {}}}, 20), LogLogTable({{10, 2, {}}, {40, 2, {}}}, 20)});
  EXPECT_EQ(joined.at(15), 1);
  EXPECT_EQ(joined.at(30), 2);
  EXPECT_EQ(joined.stretches().size(), 2U);
}

TEST(Profile, RefusesWhatIsNoProfile) {
  const std::pair<std::vector<Breakpoint>, const char*> cases[] = {
      {{}, "the table is empty; give at least two points"},
      {{{20, 1, {}}}, "the table has one point; give at least two points"},
      {{{20, 1, {}}, {10, 1, {}}}, "frequencies fall from 20 to 10 Hz; write them in rising order"},
      {{{20, {}, 6}, {40, {}, 6}}, "the table has slopes only; give at least one level"},
      {{{20, 1, {}}, {20, 2, {}}}, "the table spans no frequencies; give two different frequencies"},
      {{{20, 0, {}}, {40, 2, {}}}, "the level at 20 Hz is not positive; a log-log line cannot reach zero"}};
  for (const auto& [points, sentence] : cases) {
    try {
      LogLogTable table(points, 10);
      ADD_FAILURE() << sentence;
    } catch (const InputError& error) {
      EXPECT_STREQ(error.what(), sentence);
    }
  }
}

TEST(FrequencyGrid, StepsEvenlyInPhaseAroundEveryResonance) {
  for (const double zeta : {1e-4, 0.02, 0.3}) {
    const test::Solved solved(test::chain({1}, {std::pow(2 * pi * 50, 2)}), test::count(1), test::ratio(zeta));
    const auto grid = frequency_grid({5, 500, 1, 21, {77}}, {}, resonances(solved.basis, solved.damping));
    EXPECT_TRUE(std::is_sorted(grid.begin(), grid.end()));
    EXPECT_EQ(grid.front(), 5);
    EXPECT_EQ(grid.back(), 500);
    EXPECT_TRUE(std::binary_search(grid.begin(), grid.end(), 77));
    // Between neighbours near resonance the phase of H turns by at most 180°/22, and a little for the second-order
    // term.
    const Channel row = solved.channels.motion(1, NodeMotion::relative_displacement).row(2);
    for (std::size_t i = 1; i < grid.size(); ++i) {
      if (std::abs(grid[i] / 50 - 1) > 2 * zeta) continue;
      const double turn = std::arg(solved.response(row, 2, grid[i]) / solved.response(row, 2, grid[i - 1]));
      EXPECT_LE(std::abs(turn), pi / 22 * 1.35);
    }
  }
}

// Of many points each frequency has the level of the stretches that hold it, the higher one at a step.
TEST(LogLogTable, FindsItsStretchAmongMany) {
  std::vector<Breakpoint> points;
  for (int k = 0; k < 5000; ++k) {
    points.push_back({10.0 + k, 1.0 + k % 7, {}});
    if (k % 10 == 5) points.push_back({10.0 + k, 20.0, {}});  // a step
  }
  const LogLogTable table(points, 10);
  for (int k = 0; k < 5000; ++k) {
    const double f = 10.0 + k;
    EXPECT_NEAR(table.at(f) / (k % 10 == 5 ? 20.0 : 1.0 + k % 7), 1, 1e-12) << f;
    if (k == 4999) break;
    const PowerLaw* const inside = table.stretch_at(f + 0.5);
    ASSERT_TRUE(inside && inside->f1 == f && inside->f2 == f + 1) << f;
  }
  EXPECT_EQ(table.at(9.999), 0);
  EXPECT_EQ(table.at(5009.001), 0);
  EXPECT_EQ(table.stretch_at(9.0), nullptr);
}

}  // namespace
}  // namespace avrenk
