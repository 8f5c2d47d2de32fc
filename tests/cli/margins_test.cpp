// Margins of other kinds: what limits make together, buckling, the largest in a duration, requirements.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::cell;
using test::example;
using test::Ran;
using test::replaced;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;

double margin(const nlohmann::json& summary, const char* limit) {
  return cell(summary, "limits", limit, "margin") / 100;
}

// Two forces of the isolators in a formula: the margin is that of the algebra. The largest force in a minute at 95 %
// and its mean, from the moments in the tables; the probability that goes with an allowable is that of its quantile.
// Requirements gather limits.
TEST(Margins, OfFormulasDurationsAndRequirements) {
  const TemporaryFolder folder;
  (void)folder.write(
      "box.yaml",
      example("isolated-box.yaml") +
          "  pull:  {of: mounts.force.z, in: random.z, take: 3 sigma, allowable: 900 N, requirement: R-12}\n"
          "  shear: {of: mounts.force.x, in: random.x, take: 3 sigma, allowable: 700 N, requirement: R-12}\n"
          "  both:  {of: interaction, formula: P^2 + S, ratios: {P: pull, S: shear}, requirement: R-13}\n"
          "  often: {of: mounts.force.z, in: random.z, take: largest 95 %, allowable: 900 N}\n"
          "  once:  {of: mounts.force.z, in: random.z, take: largest, allowable: 900 N}\n");
  const Ran ran = run_program(folder, "run box.yaml --no-figures --audit 0");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Requirements"), HasSubstr("R-12"), HasSubstr("P^2 + S")));
  const auto summary = summary_of(folder, "box-results");
  const double p = 1 / (1 + margin(summary, "pull")), s = 1 / (1 + margin(summary, "shear"));
  EXPECT_NEAR(margin(summary, "both"), (-s + std::sqrt(s * s + 4 * p * p)) / (2 * p * p) - 1, 1e-7);
  EXPECT_NEAR(cell(summary, "limits", "both", "value"), p * p + s, 1e-8);
  EXPECT_NEAR(cell(summary, "compliance", "R-12", "margin"),
              100 * std::min(margin(summary, "pull"), margin(summary, "shear")), 1e-9);
  EXPECT_NEAR(cell(summary, "compliance", "R-13", "margin"), 100 * margin(summary, "both"), 1e-9);

  const double rms = cell(summary, "random.z.rms", "mounts.force.z", "RMS=1σ"),
               crossings = cell(summary, "random.z.reasons", "mounts.force.z", "ν₀");
  const double cycles = 2 * crossings * 60;
  EXPECT_NEAR(cell(summary, "limits", "often", "value") / (rms * std::sqrt(2 * std::log(cycles / -std::log(0.95)))), 1,
              1e-7);
  const double root = std::sqrt(2 * std::log(cycles));
  EXPECT_NEAR(cell(summary, "limits", "once", "value") / (rms * (root + 0.5772156649 / root)), 1, 1e-7);
  EXPECT_NEAR(cell(summary, "limits", "pull", "exceeded with"),
              -100 * std::expm1(-cycles * std::exp(-0.5 * std::pow(900 / rms, 2))), 1e-6);
}

// A strut as a slender and as a stocky bar: Euler by hand, Johnson by hand, from the section of the plan.
TEST(Margins, OfBucklingAreEulersAndJohnsons) {
  const TemporaryFolder folder;
  const std::string mast =
      replaced(replaced(example("mast.yaml"), "density: 1600 kg/m^3}", "density: 1600 kg/m^3, yield: 300 MPa}"),
               "[bending moment, shear force]", "[bending moment, axial force]");
  const double pi = 3.14159265358979323846, d = 0.026, inner = 0.023;
  const double area = pi / 4 * (d * d - inner * inner), second = pi / 64 * (std::pow(d, 4) - std::pow(inner, 4));
  for (const double length : {1.2, 0.1}) {
    (void)folder.write("mast.yaml", mast + fmt::format("  buckles: {{of: mast.axial force, in: sine, take: peak, "
                                                       "allowable: buckling, buckling length: {} m}}\n",
                                                       length));
    const Ran ran = run_program(folder, "run mast.yaml --no-figures --audit 0");
    ASSERT_EQ(ran.status, 0) << ran.err;
    const double ratio = length / std::sqrt(second / area), euler = pi * pi * 58e9 / (ratio * ratio);
    const double due = area * (euler < 150e6 ? euler : 300e6 * (1 - 300e6 / (4 * euler)));
    EXPECT_NEAR(cell(summary_of(folder, "mast-results"), "limits", "buckles", "allowable") / due, 1, 1e-8);
  }
}

TEST(Margins, AreRefusedWhereTheyMeanNothing) {
  const TemporaryFolder folder;
  for (const auto& [limit, message] :
       {std::pair{"of: interaction, formula: P + Q, ratios: {P: stroke}", "\"P + Q\" is no formula of these names"},
        {"of: interaction, formula: P, ratios: {P: stroke, Q: bounce}", "Q does not stand in the formula"},
        {"of: interaction, formula: P, ratios: {P: strok}", "no limit \"strok\" by itself"},
        {"of: interaction, formula: P, ratios: {P: odd}", "no limit \"odd\" by itself"},
        {"of: interaction, ratios: {P: stroke}", "\"formula\" is missing"},
        {"of: interaction, formula: P, ratios: stroke", "ratios"},
        {"of: mounts.force.z, in: random.z, take: largest 0 %, allowable: 3 N", "0 %"},
        {"of: mounts.force.z, in: random.z, take: largest 100 %, allowable: 3 N", "more than certainty"},
        {"of: mounts.force, in: random.z, take: largest, allowable: 3 N", "mounts.force is not Gaussian"},
        {"of: mounts.force.z, in: sine, take: largest, allowable: 3 N", "does not fit sine environment"},
        {"of: mounts.force.z, in: random.z, take: RMS, allowable: buckling, buckling length: 2 m",
         "bars buckle under axial force"},
        {"of: mounts.force.z, in: random.z, take: RMS, allowable: buckling", "\"buckling length\" is missing"},
        {"of: mass, below: 30 kg, requirement: [1, 2]", "requirement"}}) {
    (void)folder.write("box.yaml", example("isolated-box.yaml") + fmt::format("  odd: {{{}}}\n", limit));
    const Ran ran = run_program(folder, "run box.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << limit;
    EXPECT_THAT(ran.err, AllOf(HasSubstr(message), HasSubstr("box.yaml:"))) << limit;
  }
  (void)folder.write("short.yaml", replaced(example("isolated-box.yaml"), ", duration: 60 s", "") +
                                       "  odd: {of: mounts.force.z, in: random.z, take: largest, allowable: 3 N}\n");
  EXPECT_THAT(run_program(folder, "run short.yaml --no-figures").err, HasSubstr("profile shake has no duration"));
}

}  // namespace
}  // namespace avrenk
