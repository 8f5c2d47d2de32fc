#include "core/assess/fatigue.h"

#include <gtest/gtest.h>

#include <complex>
#include <map>
#include <random>

#include "support/rainflow.h"

namespace avrenk {
namespace {

FatigueLine line_of(double slope) {
  FatigueLine line;
  line.strength = 160e6;
  line.cycles = 1e6;
  line.slope = slope;
  return line;
}

// N = N₁ (S₁/S)^k by hand; a survival of 97.724987 % is two standard deviations (tables of the normal distribution);
// Goodman's and Gerber's diagrams at half the ultimate stress.
TEST(Fatigue, OfOneAmplitudeIsTheLine) {
  FatigueLine line = line_of(5);
  EXPECT_NEAR(damage_of_cycles(line, 160e6, 1e6), 1, 1e-12);
  EXPECT_NEAR(damage_of_cycles(line, 80e6, 1e6), 1.0 / 32, 1e-12);
  EXPECT_EQ(damage_of_cycles(line, 0, 1e6), 0);
  EXPECT_EQ(damage_of_cycles(line, 1e300, 0), 0);
  line.scatter = 0.25;
  EXPECT_NEAR(damage_of_cycles(line, 160e6, 1e6), 1, 1e-12) << "survival of a half";
  line.survival = 0.977249868051821;
  EXPECT_NEAR(counted_cycles(line) / std::pow(10, 5.5), 1, 1e-12);
  line.ultimate = 500e6;
  EXPECT_EQ(mean_stress_factor(line, 250e6), 1);
  line.mean = MeanStressRule::goodman;
  EXPECT_NEAR(mean_stress_factor(line, 250e6), 2, 1e-12);
  line.mean = MeanStressRule::gerber;
  EXPECT_NEAR(mean_stress_factor(line, 250e6), 4.0 / 3, 1e-12);
  EXPECT_EQ(mean_stress_factor(line, -250e6), 1) << "a compression never helps";
  EXPECT_EQ(mean_stress_factor(line, 500e6), HUGE_VAL);
}

// The example of ASTM E1049-85, figure 6.
TEST(Rainflow, CountsTheExampleOfTheStandard) {
  std::map<double, double> counts;
  for (const auto& each : test::rainflow({-2, 1, -3, 5, -1, 3, -4, 4, -2})) counts[each.range] += each.count;
  EXPECT_EQ(counts, (std::map<double, double>{{3, 0.5}, {4, 1.5}, {6, 0.5}, {8, 1}, {9, 0.5}}));
}

struct Band {
  double from = 0, to = 0, level = 0;
};

SpectralMoments moments_of(const std::vector<Band>& bands) {
  SpectralMoments m;
  for (const auto& [from, to, level] : bands)
    for (const auto& [order, moment] :
         {std::pair{0, &m.m0}, std::pair{1, &m.m1}, std::pair{2, &m.m2}, std::pair{4, &m.m4}})
      *moment += level * (std::pow(to, order + 1) - std::pow(from, order + 1)) / (order + 1);
  return m;
}

// A Gaussian record of flat bands: many cosines of random phase.
std::vector<double> record_of(const std::vector<Band>& bands, double seconds, double rate, unsigned seed) {
  constexpr int lines = 300;
  std::mt19937_64 random(seed);
  std::vector<std::complex<double>> now, step;
  double width = 0;
  for (const Band& band : bands) width += band.to - band.from;
  for (const Band& band : bands) {
    const int own = std::max(40, static_cast<int>(std::lround(lines * (band.to - band.from) / width)));
    const double each = (band.to - band.from) / own;
    for (int k = 0; k < own; ++k) {
      // Anywhere in its stripe, so that the record does not repeat itself.
      const double f = band.from + each * (k + std::generate_canonical<double, 53>(random));
      now.push_back(std::polar(std::sqrt(2 * band.level * each), 2 * pi * std::generate_canonical<double, 53>(random)));
      step.push_back(std::polar(1.0, 2 * pi * f / rate));
    }
  }
  std::vector<double> samples(static_cast<std::size_t>(seconds * rate));
  for (double& sample : samples)
    for (std::size_t k = 0; k < now.size(); ++k) {
      sample += now[k].real();
      now[k] *= step[k];
    }
  return samples;
}

// Against rainflow counting of records of 10⁵ maxima each: a narrow band, flat bands of an octave and of a decade, and
// bimodal spectra, as two resonances make them. Of records fifteen times as long Dirlik (Tovo–Benasciutti) was off at
// k = 3 and 5 by 0.2 and 0.5 (0.1 and 0.4), −0.6 and 0.2 (−2.4 and −4.4), −5 and −6 (−6 and −13), −7 and −16 (−5 and
// −18), −5 and −11 (2 and −5) %, which is theirs; a record by itself errs by 3 % more at k = 5. Narrow band is never
// low.
TEST(RandomDamage, IsThatOfRainflowCounting) {
  struct Case {
    const char* what;
    std::vector<Band> bands;
    double dirlik, tovo_benasciutti;  // may be off by these
  };
  const std::vector<Case> cases{{"narrow band", {{95, 105, 1}}, 0.05, 0.05},
                                {"octave", {{50, 100, 1}}, 0.05, 0.08},
                                {"decade", {{10, 100, 1}}, 0.09, 0.15},
                                {"two resonances", {{19, 21, 1}, {95, 105, 0.2}}, 0.20, 0.22},
                                {"a small one far above", {{9, 11, 1}, {190, 210, 0.002}}, 0.15, 0.12}};
  for (const Case& each : cases) {
    const SpectralMoments moments = moments_of(each.bands);
    const double rate = 16 * each.bands.back().to, seconds = 1e5 / moments.maxima();
    std::vector<double> record;
    std::array<double, 2> counted{};
    const std::array<double, 2> slopes{3, 5};
    const double rms = std::sqrt(moments.m0);
    constexpr unsigned records = 4;
    for (unsigned seed = 1; seed <= records; ++seed) {
      record = record_of(each.bands, seconds / records, rate, seed);
      for (std::size_t i = 0; i < slopes.size(); ++i) counted[i] += test::rainflow_sum(record, rms, slopes[i]);
    }
    for (std::size_t i = 0; i < slopes.size(); ++i) {
      FatigueLine line = line_of(slopes[i]);
      line.strength = rms;
      line.cycles = 1;
      const auto rates = random_damage_rates(line, moments);
      const auto ratio = [&](Counting counting) {
        return seconds * rates[static_cast<std::size_t>(counting)] / counted[i];
      };
      EXPECT_NEAR(ratio(Counting::dirlik), 1, each.dirlik) << each.what << ", k = " << slopes[i];
      EXPECT_NEAR(ratio(Counting::tovo_benasciutti), 1, each.tovo_benasciutti) << each.what << ", k = " << slopes[i];
      EXPECT_GT(ratio(Counting::narrow_band), 0.95) << each.what << ", k = " << slopes[i];
    }
  }
}

// Dirlik's density p(Z) of ranges 2σZ integrated over Z by Simpson's rule, in place of its moments in closed form.
TEST(RandomDamage, OfDirlikIsTheMomentOfHisDensity) {
  const SpectralMoments m = moments_of({{20, 35, 1}, {60, 110, 0.3}});
  const double g = m.m2 / std::sqrt(m.m0 * m.m4), x = m.m1 / m.m0 * std::sqrt(m.m2 / m.m4);
  const double d1 = 2 * (x - g * g) / (1 + g * g), r = (g - x - d1 * d1) / (1 - g - d1 + d1 * d1);
  const double d2 = (1 - g - d1 + d1 * d1) / (1 - r), d3 = 1 - d1 - d2, q = 1.25 * (g - d3 - d2 * r) / d1;
  const auto density = [&](double z) {
    return d1 / q * std::exp(-z / q) + d2 * z / (r * r) * std::exp(-z * z / (2 * r * r)) +
           d3 * z * std::exp(-z * z / 2);
  };
  for (const double slope : {1.0, 4.0, 7.5, 12.0}) {
    constexpr int steps = 40000;
    constexpr double end = 60;
    double sum = 0;
    for (int k = 0; k <= steps; ++k) {
      const double z = end * k / steps;
      sum += (k == 0 || k == steps ? 1 : k % 2 ? 4 : 2) * density(z) * std::pow(z, slope);
    }
    FatigueLine line = line_of(slope);
    line.cycles = 7;
    const double expected =
        std::sqrt(m.m4 / m.m2) * std::pow(std::sqrt(m.m0) / line.strength, slope) * sum * end / steps / 3 / 7;
    EXPECT_NEAR(random_damage_rates(line, m)[1] / expected, 1, 1e-9) << slope;
  }
}

// All three agree as a band grows narrow, without a jump on the way; nothing overflows; nothing does nothing.
TEST(RandomDamage, OfANarrowBandIsRayleighs) {
  const FatigueLine line = line_of(8);
  double before = HUGE_VAL;
  for (const double width : {3.0, 1.0, 0.1, 0.01, 1e-3, 1e-5}) {
    const auto rates = random_damage_rates(line, moments_of({{100 - width, 100 + width, 1e14 / width}}));
    const double rayleigh = 100 * std::pow(std::sqrt(2 * 2e14) / 160e6, 8) * 24 / 1e6;
    const double off = std::max(std::abs(rates[1] / rates[0] - 1), std::abs(rates[2] / rates[0] - 1));
    EXPECT_LE(off, before * 1.01);
    before = std::max(off, 1e-7);
    if (width < 0.1) {
      EXPECT_NEAR(rates[0] / rayleigh, 1, 1e-6) << width;
    }
  }
  EXPECT_EQ(random_damage_rates(line, {}), (std::array<double, 3>{}));
  for (const double rate : random_damage_rates(line_of(40), moments_of({{10, 2000, 1e-6}}))) {
    EXPECT_GE(rate, 0);
    EXPECT_TRUE(std::isfinite(rate));
  }
}

}  // namespace
}  // namespace avrenk
