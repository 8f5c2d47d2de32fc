// Envelopes of straight lines: never below, few corners, exact where the curve is straight itself.
#include "core/excitation/envelope.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

#include "core/error.h"
#include "core/excitation/vibrator.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

struct EnvelopedCurve {
  std::vector<double> grid, values;
};
// Resonances on a floor; a curve that rises and falls to zero; noise.
std::vector<EnvelopedCurve> enveloped_curves() {
  std::vector<EnvelopedCurve> all(3);
  unsigned state = 7;
  for (int i = 0; i < 1500; ++i) {
    const double f = 20 * std::pow(100, i / 1499.0);
    double sum = 1e-3;
    for (const double r : {45.0, 160.0, 163.0, 700.0})
      sum += 1e-2 / (std::pow(1 - f * f / (r * r), 2) + 1e-3 * f * f / (r * r));
    state = state * 1664525U + 1013904223U;
    for (EnvelopedCurve& each : all) each.grid.push_back(f);
    all[0].values.push_back(sum);
    all[1].values.push_back(f > 30 && f < 300 ? std::pow(f / 30 - 1, 2) : 0);
    all[2].values.push_back(std::exp(6.0 * state / 4294967296.0));
  }
  return all;
}

// The averaged curve times the margin lies nowhere above the lines; there are no more corners than asked for, and more
// corners never enclose more. Levels have three digits. What passes the lines is told by how much and where.
TEST(Envelope, IsNowhereBelowWhatItEnvelops) {
  for (const EnvelopedCurve& curve : enveloped_curves())
    for (const double octaves : {0.0, 1.0 / 3})
      for (const double decibel_factor : {10.0, 20.0}) {
        double before = HUGE_VAL;
        for (const int points : {2, 3, 4, 7, 12, 40}) {
          const Envelope envelope = straight_envelope(curve.grid, curve.values, {octaves, 1.5, points, decibel_factor});
          EXPECT_LE(envelope.table.stretches().size() + 1, static_cast<std::size_t>(points));
          double passed = 0;
          for (std::size_t k = 0; k < curve.grid.size(); ++k) {
            const double level = envelope.table.at(curve.grid[k]);
            ASSERT_GE(level, 1.5 * envelope.averaged[k] * (1 - 2e-9)) << points << ' ' << curve.grid[k];
            passed = std::max(passed, decibel_factor * std::log10(1.5 * curve.values[k] / level));
          }
          EXPECT_NEAR(envelope.clipped, passed, 1e-9);
          if (octaves == 0) {
            EXPECT_LT(envelope.clipped, 1e-7);
          }
          for (const PowerLaw& line : envelope.table.stretches()) {
            const double digits = line.v1 / std::pow(10, std::floor(std::log10(line.v1)) - 2);
            EXPECT_NEAR(digits, std::round(digits), 1e-9);
          }
          double area = 0;  // on log-log paper
          for (const PowerLaw& line : envelope.table.stretches())
            area += 0.5 * std::log(line.v1 * line.v2) * std::log(line.f2 / line.f1);
          EXPECT_LE(area, before + 0.02 * std::log(100)) << points;  // rounding up: a percent of a level
          before = area;
        }
      }
}

// Twelve modes under so few lines: none of these rises above the highest that the curve has, and on the average they
// stay as near to it as flat tops can.
TEST(Envelope, HasNoSpireAboveTheCurve) {
  std::mt19937 generator(5);
  std::uniform_real_distribution<double> part(0, 1);
  for (int trial = 0; trial < 100; ++trial) {
    EnvelopedCurve curve;
    std::vector<std::array<double, 3>> modes;
    for (int mode = 0; mode < 12; ++mode)
      modes.push_back({20 * std::pow(100, part(generator)), std::pow(10, -2 * part(generator)),
                       std::pow(10, -2 - part(generator))});
    for (int i = 0; i < 1200; ++i) {
      const double f = 20 * std::pow(100, i / 1199.0);
      double sum = 1e-4;
      for (const auto& [natural, size, ratio] : modes) {
        const double r = f / natural;
        sum += size / (std::pow(1 - r * r, 2) + std::pow(2 * ratio * r, 2));
      }
      curve.grid.push_back(f);
      curve.values.push_back(sum);
    }
    const double highest = *std::max_element(curve.values.begin(), curve.values.end());
    for (const int points : {2, 3, 5, 6, 8, 20}) {
      SCOPED_TRACE(fmt::format("{} {}", trial, points));
      const Envelope envelope = straight_envelope(curve.grid, curve.values, {0, 1, points, 10});
      EXPECT_LE(envelope.table.stretches().size() + 1, static_cast<std::size_t>(points));
      for (std::size_t k = 0; k < curve.grid.size(); ++k) {
        ASSERT_GE(envelope.table.at(curve.grid[k]), curve.values[k] * (1 - 2e-9));
        ASSERT_LE(envelope.table.at(curve.grid[k]), highest * 1.01);
      }
    }
  }
}

// Straight lines are their own envelope, and a margin is a factor on it.
TEST(Envelope, OfStraightLinesIsThemselves) {
  const std::vector<double> grid{20, 50, 80, 300, 2000}, values{0.01, 0.04, 0.04, 0.2, 0.005};
  const Envelope same = straight_envelope(grid, values, {0, 1, 8, 10}),
                 twice = straight_envelope(grid, values, {0, 2, 5, 10});
  for (std::size_t k = 0; k < grid.size(); ++k) {
    EXPECT_NEAR(same.table.at(grid[k]) / values[k], 1, 1e-9);
    EXPECT_NEAR(twice.table.at(grid[k]) / values[k], 2, 1e-9);
  }
  const std::vector<double> zero(5, 0.0), one{5};
  EXPECT_THROW((void)straight_envelope(grid, zero, {}), InputError);
  EXPECT_THROW((void)straight_envelope(one, one, {}), InputError);
  EXPECT_THROW((void)straight_envelope(grid, values, {0, 1, 1, 10}), InputError);
}

// Averages over bands in closed form: of a power law ∫ f^n df over the width, of a level itself; at the ends the band
// ends with the curve. A zero is no harm.
TEST(Envelope, AveragesOverBands) {
  std::vector<double> grid, squares, flat;
  for (int i = 0; i <= 400; ++i) {
    grid.push_back(20 * std::pow(100, i / 400.0));
    squares.push_back(grid.back() * grid.back());
    flat.push_back(3);
  }
  const std::vector<double> of_squares = averaged_over_octaves(grid, squares, 1.0 / 3),
                            of_flat = averaged_over_octaves(grid, flat, 1);
  for (std::size_t k = 0; k < grid.size(); ++k) {
    const double from = std::max(20.0, grid[k] * std::exp2(-1.0 / 6)),
                 to = std::min(2000.0, grid[k] * std::exp2(1.0 / 6));
    EXPECT_NEAR(of_squares[k] / ((std::pow(to, 3) - std::pow(from, 3)) / 3 / (to - from)), 1, 1e-9);
    EXPECT_NEAR(of_flat[k], 3, 1e-9);
  }
  const std::vector<double> some{10, 20, 30}, zeros{0, 4, 0};
  EXPECT_NEAR(averaged_over_octaves(some, zeros, 10)[1], 40.0 / 20, 1e-12);
  EXPECT_EQ(octaves_of("third octave"), 1.0 / 3);
  EXPECT_FALSE(octaves_of("quarter"));
}

// A vibrator by hand. 5 to 20 Hz at 10 mm, then 4 g to 100 Hz: (2π 20)² 0.01 = 157.9 m/s² before the step down.
TEST(Vibrator, DemandsAreThoseOfARigidMass) {
  const LogLogTable displacement = LogLogTable({{5, 0.01, {}}, {20, 0.01, {}}}, 20).times_omega(2);
  Vibrator vibrator;
  vibrator.force = 5000;
  vibrator.velocity = 1;
  vibrator.stroke = 0.05;
  vibrator.moving_mass = 30;
  vibrator.specimen = 20;
  const std::vector<Demand> sine = demands_of(displacement, false, vibrator);
  EXPECT_NEAR(sine[0].value, 50 * 0.01 * std::pow(2 * pi * 20, 2), 1e-6);
  EXPECT_EQ(sine[0].at, 20);
  EXPECT_NEAR(sine[0].from, std::sqrt(5000 / (50 * 0.01)) / (2 * pi), 1e-9);  // where m ω² d is the force
  EXPECT_EQ(sine[0].to, 20);
  EXPECT_FALSE(sine[0].met());
  EXPECT_NEAR(sine[1].value, 0.01 * 2 * pi * 20, 1e-9);
  EXPECT_NEAR(sine[1].from, 1 / (0.01 * 2 * pi), 1e-9);
  EXPECT_NEAR(sine[2].value, 0.02, 1e-12);  // both ways
  EXPECT_TRUE(sine[2].met());
  EXPECT_EQ(sine[2].from, 0);
  // A flat PSD: RMS √(S (f2 − f1)); displacement variance S/(2π)⁴ (f1⁻³ − f2⁻³)/3.
  vibrator.random_force = 3000;
  const std::vector<Demand> random = demands_of(LogLogTable({{20, 4, {}}, {2000, 4, {}}}, 10), true, vibrator);
  EXPECT_NEAR(random[0].value, 50 * std::sqrt(4 * 1980.0), 1e-6);
  EXPECT_FALSE(random[0].met());
  EXPECT_NEAR(random[1].value, 3 * std::sqrt(4 / std::pow(2 * pi, 2) * (1 / 20.0 - 1 / 2000.0)), 1e-9);
  EXPECT_NEAR(random[2].value, 6 * std::sqrt(4 / std::pow(2 * pi, 4) * (std::pow(20, -3) - std::pow(2000, -3)) / 3),
              1e-12);
}

}  // namespace
}  // namespace avrenk
