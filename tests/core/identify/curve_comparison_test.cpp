// Two curves beside each other: against what was done to the one to make the other.
#include "core/identify/curve_comparison.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace avrenk {
namespace {

using Complex = std::complex<double>;

// Two viscous modes under an input that rises: PSD or amplitude.
ResponseCurve curve(double scale, double shift, double from, double to, int points, bool is_psd) {
  ResponseCurve made;
  made.is_psd = is_psd;
  for (int k = 0; k < points; ++k) {
    const double f = from + (to - from) * k / (points - 1.0);
    Complex sum{};
    for (const auto& [f0, damping] : {std::pair{40.0, 0.01}, std::pair{90.0, 0.02}}) {
      const double own = shift * f0;
      sum += own * own / Complex(own * own - f * f, 2 * damping * own * f);
    }
    made.grid.push_back(f);
    made.magnitude.push_back(is_psd ? std::norm(scale * sum) : std::abs(scale * sum));
    if (!is_psd) made.response.push_back(scale * sum);
  }
  return made;
}

TEST(CurveComparison, AFactorIsALevelAndNoDifferenceOfShape) {
  const ResponseCurve first = curve(1, 1, 20, 140, 3001, false);
  const std::optional<Likeness> same = likeness(first, first),
                                twice = likeness(first, curve(-2, 1, 20, 140, 3001, false));
  ASSERT_TRUE(same && twice);
  EXPECT_NEAR(same->level, 0, 1e-12);
  EXPECT_NEAR(same->assurance, 1, 1e-12);
  EXPECT_NEAR(twice->level, 20 * std::log10(2), 1e-12);
  EXPECT_NEAR(twice->assurance, 1, 1e-12);
  // On other points: what straight lines between them leave, 0.05 Hz at a peak 0.8 Hz wide.
  const std::optional<Likeness> coarser = likeness(first, curve(2, 1, 10, 200, 3801, false));
  ASSERT_TRUE(coarser);
  EXPECT_EQ(coarser->from, 20);
  EXPECT_EQ(coarser->to, 140);
  EXPECT_NEAR(coarser->level, 20 * std::log10(2), 0.02);
  EXPECT_NEAR(coarser->assurance, 1, 1e-3);
  EXPECT_LT(likeness(first, curve(1, 1.02, 20, 140, 3001, false))->assurance, 0.7);  // peaks beside each other
  EXPECT_NEAR(likeness(curve(1, 1, 20, 140, 500, true), curve(2, 1, 20, 140, 500, true))->level, 20 * std::log10(2),
              1e-12);
  EXPECT_TRUE(std::isnan(likeness(curve(1, 1, 20, 140, 500, true), first)->assurance));
  EXPECT_FALSE(likeness(first, curve(1, 1, 200, 300, 50, false)));
  EXPECT_FALSE(likeness(first, curve(0, 1, 20, 140, 50, false)));
  EXPECT_FALSE(likeness({}, first));
}

TEST(CurveComparison, PeaksAreOfTheResponseAndModesOfTheResponseOverItsInput) {
  for (const bool is_psd : {false, true}) {
    const ResponseCurve plain = curve(1, 1, 20, 140, 6001, is_psd);
    ResponseCurve driven = plain;
    std::vector<double> input;
    for (std::size_t k = 0; k < plain.grid.size(); ++k) {
      input.push_back(std::pow(plain.grid[k] / 40, 3));
      driven.magnitude[k] *= input[k];
      if (!is_psd) driven.response[k] *= input[k];
    }
    const std::vector<ResponsePeak> peaks = response_peaks(driven, input);
    ASSERT_EQ(peaks.size(), 2U);
    // Magnitudes alone cannot hold the neighbouring mode exactly: 1e-4 of a frequency, 1 % of a damping.
    EXPECT_NEAR(peaks[0].mode.frequency, 40, is_psd ? 4e-3 : 1e-6);
    EXPECT_NEAR(peaks[0].mode.damping, 0.01, is_psd ? 1e-4 : 1e-8);
    EXPECT_NEAR(peaks[1].mode.frequency, 90, is_psd ? 9e-3 : 1e-6);
    EXPECT_NEAR(peaks[1].mode.damping, 0.02, is_psd ? 2e-4 : 1e-8);
    for (const ResponsePeak& peak : peaks)
      EXPECT_EQ(peak.height, driven.magnitude[static_cast<std::size_t>(std::lround((peak.frequency - 20) / 0.02))]);
  }
}

TEST(CurveComparison, PeaksArePairedByTheRatioOfTheirFrequencies) {
  using Pairs = std::vector<std::pair<std::size_t, std::size_t>>;
  // 100 has two near it and takes the nearer; 300 and 400 are farther than 20 % apart.
  EXPECT_EQ(pair_peaks(std::vector<double>{50, 100, 300}, std::vector<double>{52, 95, 103, 400}),
            (Pairs{{0, 0}, {1, 2}}));
  EXPECT_EQ(pair_peaks(std::vector<double>{}, std::vector<double>{52}), Pairs{});
}

}  // namespace
}  // namespace avrenk
