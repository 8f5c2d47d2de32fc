// How long it lasts: from S–N lines in a plan to tables, limits and fields, and plans that say too little.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <complex>

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
using testing::Not;

std::string lived_box(const std::string& life, const std::string& limits = "") {
  return "fatigue lines:\n  rubber: {strength: 300 N, at cycles: 1e6, slope: 5}\n" + example("isolated-box.yaml") +
         limits + "life:\n  campaign: " + life + "\n";
}

// The box along z is one mass on one spring, 6.5 kg on 960 N/mm with η = 0.15: each isolator's force in a dwell at 20
// Hz and 2 mm by hand, and what follows from it. What the parts spend adds up, resonances are their damage, and a
// limit's margin is what amplitudes may grow by.
TEST(Lives, OfTheBoxFollowByHand) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml",
                     lived_box("{of: {mounts.force.z: rubber}, through: {sine.z: {at: 20 Hz, for: 10 min}}}",
                               "  worn: {of: damage, in: campaign, below: 0.001}\n"));
  const Ran held = run_program(folder, "run box.yaml --full --no-figures --audit 0");
  const double omega = 2 * 3.14159265358979323846 * 20, mass = 6.5, stiffness = 960e3;
  const std::complex<double> spring(stiffness, 0.15 * stiffness);
  const double force = std::abs(spring * mass * omega * omega / (spring - mass * omega * omega)) * 0.002 / 4;
  const double damage = 20 * 600 / 1e6 * std::pow(force / 300, 5);
  auto summary = summary_of(folder, "box-results");
  EXPECT_NEAR(cell(summary, "life.parts", "mounts.force.z", "amplitude"), force, 1e-6 * force);
  EXPECT_NEAR(cell(summary, "life.parts", "mounts.force.z", "cycles"), 12000, 1e-6);
  EXPECT_NEAR(cell(summary, "life", "campaign", "damage"), damage, 1e-6 * damage);
  EXPECT_NEAR(cell(summary, "life", "campaign", "times borne"), 1 / damage, 1e-6 / damage);
  EXPECT_NEAR(cell(summary, "life", "campaign", "growth"), std::pow(damage, -0.2), 1e-6);
  EXPECT_NEAR(cell(summary, "limits", "worn", "margin"), 100 * (std::pow(0.001 / damage, 0.2) - 1), 1e-4);
  EXPECT_EQ(held.status, damage <= 0.001 ? 0 : 1) << held.err;

  const std::string all =
      "{of: [{mounts.force.z: rubber}, {mounts.force.x: rubber}], "
      "through: [sine, {random: 2 hour}, {sine: {sweeps: 4}}], counting: Tovo-Benasciutti}";
  (void)folder.write("box.yaml", lived_box(all, "  wear: {of: life, in: campaign, above: 100000000}\n"));
  const Ran ran = run_program(folder, "run box.yaml --full --audit 0");
  EXPECT_EQ(ran.status, 1) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Life: "), HasSubstr("counted by Tovo-Benasciutti"), HasSubstr("120 min"),
                             HasSubstr("4 sweeps"), HasSubstr("1 sweep")));
  summary = summary_of(folder, "box-results");
  double sum = 0;
  for (const auto& row : summary["tables"]["life.parts"]["rows"])
    if (row[0] == "mounts.force.z") sum += row[9].get<double>();
  EXPECT_NEAR(sum / cell(summary, "life", "campaign", "damage"), 1, 1e-7);
  EXPECT_THAT(test::read_all(folder / "box-results/report.html"), HasSubstr(">Life<"));
  EXPECT_THAT(test::read_all(folder / "box-results/report.md"), Not(HasSubstr("fatigue life")));
  // What does not respond is not worn, and does not print what rounding leaves.
  (void)run_program(
      folder,
      "run box.yaml --full --no-figures --audit 0 --out still --set \"life.campaign={of: {mounts.force.y: rubber}, "
      "through: {sine.z: {sweeps: 1}}}\"");
  EXPECT_THAT(test::read_all(folder / "still/tables/life.csv"), HasSubstr("campaign,mounts.force.y,0,"));
  // A command that runs half of it says nothing about the whole.
  const Ran half = run_program(folder, "sine box.yaml --full --no-figures --out half");
  EXPECT_EQ(half.status, 0) << half.err;
  EXPECT_THAT(half.out, Not(HasSubstr("Life")));
}

// What limits notch is counted as it is applied. Damage of shells is a field.
TEST(Lives, TakeWhatIsAppliedAndFillFields) {
  const TemporaryFolder folder;
  const std::string life = "{of: {mounts.force: rubber}, through: sine}";
  const std::string level = "  level: {of: box.acceleration, in: sine, take: peak, allowable: 8 g";
  const auto flat = [](const std::string& plan) {
    return replaced(plan, "{displacement: [[5 Hz, 2 mm], [25 Hz, 2 mm]]}",
                    "{acceleration: [[5 Hz, 2 g], [100 Hz, 2 g]]}");
  };
  (void)folder.write("full.yaml", flat(lived_box(life, level + "}\n")));
  (void)folder.write("less.yaml", flat(lived_box(life, level + ", notch: yes}\n")));
  EXPECT_EQ(run_program(folder, "run full.yaml --no-figures --audit 0").status, 1);
  EXPECT_EQ(run_program(folder, "run less.yaml --no-figures --audit 0").status, 0);
  const double full = cell(summary_of(folder, "full-results"), "life", "campaign", "damage"),
               less = cell(summary_of(folder, "less-results"), "life", "campaign", "damage");
  EXPECT_LT(less, 0.3 * full);
  EXPECT_GT(less, 0);
  (void)folder.write(
      "panel.yaml",
      replaced(replaced(example("panel-under-pressure.yaml"), "yield: 430 MPa}",
                        "yield: 430 MPa, ultimate: 500 MPa, fatigue: {strength: 90 MPa, at cycles: 1e6, slope: 6, "
                        "mean stress: Gerber}}"),
               "limits:",
               "life:\n  ascent: {of: panel.von Mises, through: {noise: 60 s, flow: 60 s}, with: pressed}\nlimits:"));
  const Ran ran = run_program(folder, "run panel.yaml --audit 0 --out panel");
  EXPECT_EQ(ran.status, 0) << ran.err;
  const std::string field = test::read_all(folder / "panel/fields/life.ascent.vtu");
  for (const char* level_name : {"bottom", "middle", "top"})
    EXPECT_THAT(field, HasSubstr(fmt::format("ascent: damage by panel.von Mises, {}", level_name)));
}

TEST(Lives, AreRefusedWhereTheySayTooLittle) {
  const TemporaryFolder folder;
  const std::string good = "{of: {mounts.force: rubber}, through: sine}";
  for (const auto& [life, message] :
       {std::pair{"{of: mounts.force, through: sine}",
                  "mounts.force is no stress, and needs a fatigue line of its own"},
        {"{of: {mounts.force: ruber}, through: sine}", "no fatigue line \"ruber\"; write \"rubber\""},
        {"{of: {mounts.travel: rubber}, through: sine}",
         "fatigue line rubber is of a force, mounts.travel is a length"},
        {"{of: {mount.force: rubber}, through: sine}", "\"mount.force\" is not watched"},
        {"{of: [], through: sine}", "nothing is named"},
        {"{of: [3, [4]], through: sine}", "\"3\" is not watched"},
        {"{of: {mounts.force: rubber}, through: []}", "no environment is named"},
        {"{of: {mounts.force: rubber}, through: {sine: 3}}", "sine"},
        {"{of: {mounts.force: rubber}, through: {sine: {sweeps: 0}}}", "sweeps"},
        {"{of: {mounts.force: rubber}, through: {sine: {sweeps: 2, at: 20 Hz, for: 3 s}}}", "it is swept or held"},
        {"{of: {mounts.force: rubber}, through: {sine: {at: 20 Hz}}}", "\"for\" is missing"},
        {"{of: {mounts.force: rubber}, through: {sine: {at: 200 Hz, for: 3 s}}}",
         "a dwell at 200 Hz is outside its band, 5 to 25 Hz"},
        {"{of: {mounts.force: rubber}, through: {random: 3 mm}}", "\"3 mm\" is a length"},
        {"{of: {mounts.force: rubber}, through: {random: -3 s}}", "-3 s"},
        {"{of: {mounts.force: rubber}, through: {shaken: 3 s}}", "no environment \"shaken\""},
        {"{of: {mounts.force: rubber}, through: sine, with: random}", "environment \"random\" is not static"},
        {"{of: {mounts.force: rubber}, through: sine, counting: dirlik}", "\"dirlik\""},
        {"{of: {mounts.force: rubber}, through: sine, factors: model}", "factor"},
        {"{of: {mounts.force: rubber}, through: sine, over: 3}", "\"over\""}}) {
    (void)folder.write("box.yaml", lived_box(life));
    const Ran ran = run_program(folder, "run box.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << life;
    EXPECT_THAT(ran.err, AllOf(HasSubstr(message), HasSubstr("box.yaml:"))) << life;
  }
  for (const auto& [line, message] :
       {std::pair{"{strength: 300 mm, at cycles: 1e6, slope: 5}", "an amplitude of stress, force or moment is due"},
        {"{strength: 300 N, at cycles: 0, slope: 5}", "at cycles"},
        {"{strength: 300 N, at cycles: 1e6}", "\"slope\" is missing"},
        {"{strength: 300 N, at cycles: 1e6, slope: 0.2}", "a slope of 0.2 is that of no S–N line"},
        {"{strength: 300 N, at cycles: 1e6, slope: 5, scatter: 0.2}", "scatter says nothing without survival"},
        {"{strength: 300 N, at cycles: 1e6, slope: 5, scatter: 0.2, survival: 100 %}", "no survival to count on"},
        {"{strength: 300 N, at cycles: 1e6, slope: 5, scatter: 20, survival: 90 %}", "20 decades"},
        {"{strength: 300 N, at cycles: 1e6, slope: 5, mean stress: Goodman}", "the rule needs an ultimate"},
        {"{strength: 300 N, at cycles: 1e6, slope: 5, mean stress: goodman}", "\"goodman\""}}) {
    (void)folder.write("box.yaml", replaced(lived_box(good), "{strength: 300 N, at cycles: 1e6, slope: 5}", line));
    const Ran ran = run_program(folder, "run box.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << line;
    EXPECT_THAT(ran.err, AllOf(HasSubstr(message), HasSubstr("box.yaml:"))) << line;
  }
  for (const auto& [limit, message] : {std::pair{"of: life, in: campain, above: 4", "no life \"campain\""},
                                       {"of: life, in: campaign", "one bound is due"},
                                       {"of: damage, above: 4", "\"in\" is missing"}}) {
    (void)folder.write("box.yaml", lived_box(good, fmt::format("  wear: {{{}}}\n", limit)));
    const Ran ran = run_program(folder, "run box.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << limit;
    EXPECT_THAT(ran.err, HasSubstr(message)) << limit;
  }
}

}  // namespace
}  // namespace avrenk
