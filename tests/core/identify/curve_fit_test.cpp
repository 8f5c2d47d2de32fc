// Modes from a curve: against the poles that the curve was made from.
#include "core/identify/curve_fit.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <random>

namespace avrenk {
namespace {

using Complex = std::complex<double>;

struct Made {
  double frequency, damping, residue;
};

// Σ φ/(ω_r² − ω² + 2iζω_rω), or with ω_r²(1 + iη); of acceleration times −ω².
Complex value(const std::vector<Made>& modes, double f, bool accelerance, bool structural) {
  const double w = 2 * std::numbers::pi * f;
  Complex sum{};
  for (const Made& each : modes) {
    const double w0 = 2 * std::numbers::pi * each.frequency;
    const Complex loss = structural ? Complex(0, 2 * each.damping * w0 * w0) : Complex(0, 2 * each.damping * w0 * w);
    sum += each.residue * w0 * w0 / (w0 * w0 - w * w + loss);
  }
  return accelerance ? -w * w * sum : sum;
}

struct Curve {
  std::vector<double> grid, magnitude;
  std::vector<Complex> values;
};

Curve curve(const std::vector<Made>& modes, double from, double to, int points, bool accelerance, bool structural) {
  Curve made;
  for (int k = 0; k < points; ++k) {
    made.grid.push_back(from * std::pow(to / from, k / (points - 1.0)));
    made.values.push_back(value(modes, made.grid.back(), accelerance, structural));
    made.magnitude.push_back(std::abs(made.values.back()));
  }
  return made;
}

TEST(CurveFit, FindsTheModesOfCurvesThatHaveNoNoise) {
  struct Case {
    const char* name;
    std::vector<Made> modes;
    bool accelerance, structural;
    double tolerance;  // relative, of the fit to the whole curve
    double alone;      // of that to magnitudes; 0: the model there is no rational function of few terms
  };
  // The numerator is exact for one mode and, once all poles are known, for several: what remains is rounding. A loss
  // factor differs from viscous damping by ζ² off resonance.
  const Case cases[] = {
      {"one, receptance", {{63, 0.02, 1}}, false, false, 1e-9, 1e-9},
      {"one, accelerance", {{63, 0.02, 1}}, true, false, 1e-9, 1e-9},
      {"one, light", {{63, 2e-4, 1}}, false, false, 1e-9, 1e-8},
      {"one, heavy", {{63, 0.2, 1}}, false, false, 1e-8, 1e-7},
      {"three", {{40, 0.01, 1}, {63, 0.02, -0.8}, {120, 0.005, 0.3}}, false, false, 1e-8, 1e-2},
      {"three, accelerance", {{40, 0.01, 1}, {63, 0.02, 0.8}, {120, 0.005, 0.3}}, true, false, 1e-8, 1e-2},
      {"close pair", {{60, 0.008, 1}, {62.4, 0.008, 1}}, false, false, 1e-8, 1e-3},
      {"loss factor", {{63, 0.02, 1}}, false, true, 1e-3, 5e-3},
  };
  for (const Case& each : cases) {
    const Curve made = curve(each.modes, 20, 200, 4000, each.accelerance, each.structural);
    const auto check = [&](const std::vector<CurveMode>& found, double tolerance, const char* how) {
      ASSERT_EQ(found.size(), each.modes.size()) << each.name << how;
      for (std::size_t r = 0; r < found.size(); ++r) {
        ASSERT_TRUE(found[r].is_fitted) << each.name << how;
        EXPECT_NEAR(found[r].frequency / each.modes[r].frequency, 1, tolerance) << each.name << how;
        EXPECT_NEAR(found[r].damping / each.modes[r].damping, 1, each.structural ? 10 * tolerance : tolerance)
            << each.name << how;
        EXPECT_LT(found[r].misfit, 10 * tolerance) << each.name << how;
      }
    };
    check(fit_response(made.grid, made.values), each.tolerance, ", with phase");
    check(fit_magnitude(made.grid, made.magnitude), each.alone, ", of magnitudes");
  }
}

// Two modes under one maximum are those that the curve was made from, and so is what each makes of it.
TEST(CurveFit, ModesUnderOnePeakAreToldApart) {
  struct Case {
    const char* name;
    std::vector<Made> modes;
    bool accelerance;
  };
  const Case cases[] = {{"beside each other", {{60, 0.02, 1}, {61.5, 0.02, 0.8}}, true},
                        {"a shoulder", {{60, 0.02, 1}, {62, 0.03, 0.3}, {150, 0.01, 2}}, true},
                        {"against each other", {{60, 0.03, 1}, {60.6, 0.01, -0.2}}, false},
                        {"of unlike damping", {{60, 0.005, 0.3}, {60.4, 0.04, 1}}, true},
                        {"three", {{60, 0.02, 1}, {60.9, 0.025, 0.7}, {61.9, 0.02, 0.9}}, true}};
  for (const Case& each : cases) {
    SCOPED_TRACE(each.name);
    const Curve made = curve(each.modes, 20, 200, 4000, each.accelerance, false);
    const std::vector<CurvePeak> peaks = peaks_of(made.magnitude);
    std::vector<StartingMode> under;
    std::vector<Made> wanted;
    for (const Made& mode : each.modes)
      if (mode.frequency < 100) {
        under.push_back({peaks[0].index, 1.03 * mode.frequency, 1.5 * mode.damping});
        wanted.push_back(mode);
      }
    const std::vector<CurveMode> found = fit_response(made.grid, made.values, under);
    ASSERT_EQ(found.size(), each.modes.size());
    for (std::size_t r = 0; r < wanted.size(); ++r) {
      EXPECT_EQ(found[r].peak, peaks[0].index);
      EXPECT_NEAR(found[r].frequency / wanted[r].frequency, 1, 1e-7);
      EXPECT_NEAR(found[r].damping / wanted[r].damping, 1, 1e-6);
      // −ω²/(ω_r² − ω² + 2iζω_rω) = −1 + (ω_r² + 2iζω_rω)/(…): its numerator at resonance.
      const double at_resonance = each.accelerance ? std::pow(2 * std::numbers::pi * wanted[r].frequency, 2) *
                                                         std::hypot(1, 2 * wanted[r].damping)
                                                   : 1;
      EXPECT_NEAR(found[r].strength / std::abs(at_resonance * wanted[r].residue), 1, 1e-5);
    }
  }
}

TEST(CurveFit, StandardErrorsAreThoseOfRepeatedNoise) {
  // Of 120 noisy copies the deviations over their stated errors have a variance of 1 within ±40 % (three standard
  // deviations of such a variance), and no mean beyond their scatter. Of magnitudes what the neighbouring mode leaves
  // comes on top.
  const std::vector<Made> modes{{40, 0.01, 1}, {63, 0.02, -0.8}};
  const Curve made = curve(modes, 25, 110, 700, false, false);
  const double noise = 0.01 * *std::max_element(made.magnitude.begin(), made.magnitude.end());
  std::mt19937_64 random(20);
  std::normal_distribution<double> normal(0, noise);
  constexpr int copies = 120;
  std::array<double, 4> squares{}, sums{}, magnitude_squares{};
  for (int copy = 0; copy < copies; ++copy) {
    std::vector<Complex> values = made.values;
    std::vector<double> magnitude = made.magnitude;
    for (std::size_t k = 0; k < values.size(); ++k) {
      values[k] += Complex(normal(random), normal(random));
      magnitude[k] = std::abs(made.values[k] + Complex(normal(random), normal(random)));
    }
    const auto add = [&](const std::vector<CurveMode>& found, std::array<double, 4>& all,
                         std::array<double, 4>* means) {
      ASSERT_EQ(found.size(), modes.size());
      for (std::size_t r = 0; r < 2; ++r) {
        const double of_f = (found[r].frequency - modes[r].frequency) / found[r].frequency_error,
                     of_z = (found[r].damping - modes[r].damping) / found[r].damping_error;
        all[2 * r] += of_f * of_f;
        all[2 * r + 1] += of_z * of_z;
        if (!means) continue;
        (*means)[2 * r] += of_f;
        (*means)[2 * r + 1] += of_z;
      }
    };
    add(fit_response(made.grid, values), squares, &sums);
    add(fit_magnitude(made.grid, magnitude), magnitude_squares, nullptr);
  }
  for (std::size_t i = 0; i < 4; ++i) {
    EXPECT_NEAR(squares[i] / copies, 1, 0.4) << i;
    EXPECT_LT(std::abs(sums[i]) / copies, 4 / std::sqrt(copies)) << i;
    EXPECT_NEAR(magnitude_squares[i] / copies, 1, 0.6) << i;
  }
}

TEST(CurveFit, PeaksStandOutOfWhatSurroundsThem) {
  const std::vector<double> magnitude{1, 2, 10, 9.9, 9.95, 3, 4, 3, 8, 8, 1, 0.2, 0.31, 0.2, 0.4};
  std::vector<std::size_t> found;
  for (const CurvePeak& peak : peaks_of(magnitude)) found.push_back(peak.index);
  // 9.95 and 4 stand 3 dB over nothing, 0.31 is 30 dB under the highest, 0.4 is an end, a flat top counts once.
  EXPECT_EQ(found, (std::vector<std::size_t>{2, 8}));
  // Prominence by its definition.
  std::mt19937 random(5);
  std::vector<double> rough(60);
  for (double& each : rough) each = std::exp(std::normal_distribution<double>(0, 1)(random));
  const std::vector<CurvePeak> all = peaks_of(rough);
  EXPECT_GE(all.size(), 5U);
  for (const CurvePeak& peak : all) {
    double valleys = 0;
    for (const int step : {-1, 1}) {
      double low = rough[peak.index];
      for (int i = static_cast<int>(peak.index); i >= 0 && i < 60; i += step) {
        const double here = rough[static_cast<std::size_t>(i)];
        if (here > rough[peak.index]) break;
        low = std::min(low, here);
      }
      valleys = std::max(valleys, low);
    }
    EXPECT_EQ(peak.prominence, rough[peak.index] / valleys);
  }
  EXPECT_TRUE(peaks_of(std::vector<double>{}).empty());
  EXPECT_TRUE(peaks_of(std::vector<double>{0, 0, 0, 0}).empty());
  EXPECT_TRUE(peaks_of(std::vector<double>{3, 2, 1}).empty());
}

TEST(CurveFit, APeakOfFewPointsIsNamedAndNotFitted) {
  const std::vector<double> grid{1, 2, 3, 4, 5}, magnitude{1, 2, 5, 2, 1};
  const auto modes = fit_magnitude(grid, magnitude);
  ASSERT_EQ(modes.size(), 1U);
  EXPECT_FALSE(modes[0].is_fitted);
  EXPECT_TRUE(std::isnan(modes[0].damping));
  const std::vector<Complex> response(magnitude.begin(), magnitude.end());
  EXPECT_FALSE(fit_response(grid, response).front().is_fitted);
}

}  // namespace
}  // namespace avrenk
