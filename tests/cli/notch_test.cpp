// Inputs that limits lower: from a limit in a plan to tables, figures and a profile that the next plan reads.
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

// The box swept through its resonance, which takes 2 g to 13 g, with one limit more.
std::string swept_box(const std::string& sine, const std::string& limit) {
  return replaced(example("isolated-box.yaml"), "{displacement: [[5 Hz, 2 mm], [25 Hz, 2 mm]]}", sine) + limit;
}

// The limit is met under what is applied, by no more than a decibel; what is specified stands beside it. The profile
// that the run writes is the input of a plan without any notch, whose answers are those of the notched case.
TEST(Notches, LeadToAProfileThatMeetsTheLimit) {
  const TemporaryFolder folder;
  const std::string level = "  level: {of: box.acceleration, in: sine, take: peak, allowable: 8 g",
                    flat = "{acceleration: [[5 Hz, 2 g], [80 Hz, 2 g], [80 Hz, 1 g], [100 Hz, 1 g]]}";
  (void)folder.write("box.yaml", swept_box(flat, level + "}\n"));
  EXPECT_EQ(run_program(folder, "run box.yaml --no-figures --audit 0").status, 1);
  const double full = cell(summary_of(folder, "box-results"), "sine.z.peaks", "box.acceleration", "peak");
  (void)folder.write("box.yaml", swept_box(flat, level + ", notch: yes}\n"));
  const Ran ran = run_program(folder, "run box.yaml --audit 0");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Notches"), HasSubstr("box.acceleration, peak, sine.z.notched")));
  const auto summary = summary_of(folder, "box-results");
  const double applied = cell(summary, "sine.z.notched.peaks", "box.acceleration", "peak");
  EXPECT_LE(applied, 8);
  EXPECT_GE(applied, 8 * std::pow(10, -1.1 / 20));
  EXPECT_NEAR(cell(summary, "sine.z.peaks", "box.acceleration", "peak"), full, 1e-9 * full);
  EXPECT_NEAR(cell(summary, "sine.z.notched.beside", "box.acceleration", "specified"), full, 1e-8 * full);
  EXPECT_NEAR(cell(summary, "sine.z.notched.beside", "box.acceleration", "applied"), applied, 1e-8 * applied);
  EXPECT_NEAR(cell(summary, "notches", "sine.z", "depth"), 20 * std::log10(full / 8), 1.1);
  EXPECT_NEAR(cell(summary, "notches", "sine.z", "deepest at"), 61.1, 1);
  for (const char* file : {"figures/sine.z.notched.input.svg", "tables/sine.z.notched.curves.csv",
                           "fields/sine.z.notched.vtu", "levels/sine.z.notched.csv"})
    EXPECT_TRUE(std::filesystem::exists(folder / "box-results" / file)) << file;
  EXPECT_THAT(test::read_all(folder / "box-results/report.html"), HasSubstr("highest that keeps all limits"));
  EXPECT_THAT(test::read_all(folder / "box-results/levels/sine.z.notched.csv"), HasSubstr("\n80,2\n80,1\n100,1\n"))
      << "steps stay";
  (void)folder.write("next.yaml",
                     swept_box("{acceleration: {file: box-results/levels/sine.z.notched.csv}}", level + "}\n"));
  const Ran next = run_program(folder, "run next.yaml --no-figures --audit 0");
  EXPECT_EQ(next.status, 0) << next.err;
  const auto again = summary_of(folder, "next-results");
  for (const char* watched : {"box.acceleration", "mounts.force.z", "base.force.z"})
    EXPECT_NEAR(cell(again, "sine.z.peaks", watched, "peak") / cell(summary, "sine.z.notched.peaks", watched, "peak"),
                1, 1e-7)
        << watched;
  // What cases make together is what is applied in each.
  const Ran combined =
      run_program(folder,
                  "run box.yaml --no-figures --audit 0 --out together --set \"environments.sine.axes=[x, z]\" "
                  "--set environments.sine.combine=envelope");
  EXPECT_EQ(combined.status, 0) << combined.err;
  const auto together = summary_of(folder, "together");
  EXPECT_NEAR(cell(together, "sine.combined.peaks", "box.acceleration", "peak"),
              std::max(cell(together, "sine.x.notched.peaks", "box.acceleration", "peak"),
                       cell(together, "sine.z.notched.peaks", "box.acceleration", "peak")),
              1e-8);
  // A depth that does not do is told, and the limit is exceeded.
  const Ran shallow = run_program(
      folder, "run box.yaml --no-figures --audit 0 --out shallow --set \"limits.level.notch={deepest: 2 dB}\"");
  EXPECT_EQ(shallow.status, 1);
  EXPECT_THAT(shallow.err,
              AllOf(HasSubstr("limit level: no notch that it allows keeps it in sine.z: what is applied passes it by "),
                    HasSubstr(fmt::format("{:.2g} %", 100 * (full * std::pow(10, -2 / 20.0) / 8 - 1)))));
  EXPECT_NEAR(cell(summary_of(folder, "shallow"), "notches", "sine.z", "depth"), 2, 0.1);
}

// Noise: for a PSD, for 3σ and by force limiting; what is applied is a profile whose answers are those of the notched
// case.
TEST(Notches, OfNoiseLeadToAProfileToo) {
  const TemporaryFolder folder;
  for (const char* limit :
       {"of: box.acceleration.z, in: random.z, take: PSD, allowable: 0.2 g^2/Hz",
        "of: mounts.force.z, in: random.z, take: 3 sigma, allowable: 120 N",
        "of: base.force.z, in: random.z, take: PSD, allowable: {force limit: {C: 1.3, mass: 6.5 kg, "
        "up to: 60 Hz, beyond: -6 dB/oct}}"}) {
    (void)folder.write("box.yaml", example("isolated-box.yaml") + fmt::format("  level: {{{}}}\n", limit));
    EXPECT_EQ(run_program(folder, "run box.yaml --full --no-figures --audit 0").status, 1) << limit;
    const auto full = summary_of(folder, "box-results");
    (void)folder.write("box.yaml", example("isolated-box.yaml") + fmt::format("  level: {{{}, notch: yes}}\n", limit));
    const Ran ran = run_program(folder, "run box.yaml --full --audit 0");
    ASSERT_EQ(ran.status, 0) << ran.err << ran.out;
    const auto summary = summary_of(folder, "box-results");
    EXPECT_GE(cell(summary, "limits", "level", "margin"), 0);
    EXPECT_LE(cell(summary, "limits", "level", "margin"), 13) << "a decibel of a PSD, and what is between";
    EXPECT_LT(cell(summary, "random.z.notched.rms", "box.acceleration.z", "RMS=1σ"),
              cell(full, "random.z.rms", "box.acceleration.z", "RMS=1σ"));
    EXPECT_NEAR(cell(summary, "random.z.notched.beside", "box.acceleration", "specified"),
                cell(full, "random.z.rms", "box.acceleration", "RMS=1σ"), 1e-6);
    EXPECT_THAT(ran.out, HasSubstr("RMS under the input specified ("));
    EXPECT_TRUE(std::filesystem::exists(folder / "box-results/figures/random.z.notched.input.svg"));
    (void)folder.write("next.yaml",
                       replaced(example("isolated-box.yaml"), "[[20 Hz, 0.02 g^2/Hz], [2000 Hz, 0.02 g^2/Hz]]",
                                "{file: box-results/levels/random.z.notched.csv}"));
    (void)run_program(folder, "run next.yaml --full --no-figures --audit 0");
    EXPECT_NEAR(cell(summary_of(folder, "next-results"), "random.z.rms", "box.acceleration.z", "RMS=1σ") /
                    cell(summary, "random.z.notched.rms", "box.acceleration.z", "RMS=1σ"),
                1, 1e-7);
  }
}

// Springs that came out softer or stiffer, and frequencies that are off, are tested under the one profile that is
// written: their margins are those of such a plan under it.
TEST(Notches, AreAppliedToVariantsAndScatterAsTheyAreWritten) {
  const TemporaryFolder folder;
  const std::string stated = "each: {x: 180 N/mm, y: 180 N/mm, z: 240 N/mm}, loss factor: 15 %",
                    level =
                        "  level: {of: box.acceleration, in: [sine.z, random.z], take: {sine: peak, random: 3 "
                        "sigma}, allowable: 8 g",
                    flat = "{acceleration: [[5 Hz, 2 g], [100 Hz, 2 g]]}";
  (void)folder.write("box.yaml",
                     replaced(swept_box(flat, level + ", notch: yes}\nscatter: {frequencies: 10 %}\n"), stated,
                              stated + ", variants: {soft: 70 %, stiff: {stiffness: 150 %, loss factor: 60 %}}"));
  const Ran ran = run_program(folder, "run box.yaml --audit 0 --no-figures");
  EXPECT_EQ(ran.status, 1) << "exceeded by both variants";
  EXPECT_THAT(ran.out, HasSubstr("Margins with springs that are others, inputs as notched for those stated"));
  const auto summary = summary_of(folder, "box-results");
  EXPECT_GE(cell(summary, "limits", "level", "margin"), 0);
  ASSERT_EQ(run_program(folder, "change box.yaml limits.bounce --out changed").status, 0);
  const auto changed = summary_of(folder, "changed");
  const auto margin_under_it = [&](double stiffness, double loss) {
    std::string plan =
        replaced(swept_box("{acceleration: {file: box-results/levels/sine.z.notched.csv}}", level + "}\n"), stated,
                 fmt::format("each: {{x: {0:.12g} N/mm, y: {0:.12g} N/mm, z: {1:.12g} N/mm}}, loss factor: {2} %",
                             180 * stiffness, 240 * stiffness, loss));
    plan = replaced(plan, "[[20 Hz, 0.02 g^2/Hz], [2000 Hz, 0.02 g^2/Hz]]",
                    "{file: box-results/levels/random.z.notched.csv}");
    (void)folder.write("other.yaml", plan);
    (void)run_program(folder, "run other.yaml --audit 0 --no-figures");
    return cell(summary_of(folder, "other-results"), "limits", "level", "margin");
  };
  const double soft = margin_under_it(0.7, 15), low = margin_under_it(0.81, 15), high = margin_under_it(1.21, 15);
  EXPECT_LT(soft, -15);
  EXPECT_NEAR(cell(summary, "variants", "level", "soft"), soft, 1e-4);
  EXPECT_NEAR(cell(summary, "variants", "level", "stiff"), margin_under_it(1.5, 9), 1e-4);
  EXPECT_NEAR(cell(changed, "scatter", "level", "lowest"), std::min(low, high), 1e-3);
  EXPECT_NEAR(cell(changed, "scatter", "level", "as it is"), cell(summary, "limits", "level", "margin"), 1e-4);
}

// Springs that soften with their travel answer the input that is applied with what it makes of them: the limit is met
// there, and by not much more than the lines take.
TEST(Notches, AreLookedForWithTheSpringsOfTheAppliedLevel) {
  const TemporaryFolder folder;
  for (const auto& [what, most] : {std::pair{"in: sine, take: peak, allowable: 6 g", 13.0},
                                   {"in: random.z, take: PSD, allowable: 0.1 g^2/Hz", 13.0},
                                   {"in: random.z, take: 3 sigma, allowable: 9 g", 5.0}}) {
    const std::string plan =
        replaced(swept_box("{acceleration: [[5 Hz, 2 g], [100 Hz, 2 g]]}",
                           fmt::format("  level: {{of: box.acceleration.z, {}, notch: yes}}\n", what)),
                 "loss factor: 15 %",
                 "loss factor: 15 %, over amplitude: {stiffness: [[0.02 mm, 100 %], [0.2 mm, 84 %], [2 mm, 62 %]]}");
    (void)folder.write("box.yaml", plan);
    const Ran ran = run_program(folder, "run box.yaml --audit 0 --no-figures");
    EXPECT_THAT(ran.err, testing::Not(HasSubstr("no notch that it allows"))) << what;
    const double margin = cell(summary_of(folder, "box-results"), "limits", "level", "margin");
    EXPECT_GE(margin, 0) << what;
    EXPECT_LE(margin, most) << what;
  }
}

TEST(Notches, AreRefusedWhereTheyMeanNothing) {
  const TemporaryFolder folder;
  for (const auto& [limit, message] :
       {std::pair{"of: box.acceleration, in: random, take: 99.73 %, allowable: 8 g, notch: yes",
                  "environment random is notched for a PSD, an RMS or so many sigma"},
        {"of: box.acceleration.z, in: [sine, random], take: {sine: peak, random: RMS}, allowable: 8 g, notch: {floor: "
         "1 g}",
         "the floor of a sine is no floor of a random input"},
        {"of: box.acceleration.z, in: random, take: PSD, allowable: 8 g", "\"8 g\" is an acceleration"},
        {"of: box.acceleration.z, in: sine, take: {random: PSD}, allowable: 8 g^2/Hz", "sine has no PSD of its own"},
        {"of: box.acceleration.z, in: random, take: PSD, allowable: {force limit: {C: 1, mass: 2 kg, up to: 50 Hz, "
         "beyond: -6 dB/oct}}",
         "a force limit is one of a force"},
        {"of: base.force.z, in: random, take: PSD, allowable: {force limit: {C: 1, mass: 2 kg, up to: 50 Hz}}",
         "\"beyond\" is missing"},
        {"of: box.acceleration, in: sine, take: peak, allowable: 8 g, notch: maybe", "\"maybe\""},
        {"of: box.acceleration, in: sine, take: peak, allowable: 8 g, notch: {depth: 3 dB}", "\"depth\""},
        {"of: box.acceleration, in: sine, take: peak, allowable: 8 g, notch: {deepest: 3 mm}", "\"3 mm\" is a length"},
        {"of: box.acceleration, in: sine, take: peak, allowable: 8 g, notch: {deepest: -3 dB}", "-3 dB"},
        {"of: frequency, along: z, above: 50 Hz, notch: yes", "\"notch\""}}) {
    (void)folder.write("box.yaml", example("isolated-box.yaml") + fmt::format("  level: {{{}}}\n", limit));
    const Ran ran = run_program(folder, "run box.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << limit;
    EXPECT_THAT(ran.err, AllOf(HasSubstr(message), HasSubstr("box.yaml:"))) << limit;
  }
}

}  // namespace
}  // namespace avrenk
