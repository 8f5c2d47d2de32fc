// Plans with loads: each small example is found right, runs, and answers what can be worked out by hand; kept modes and
// new loads; bad words.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>
#include <filesystem>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::example;
using test::Ran;
using test::run_program;
using test::TemporaryFolder;
using testing::HasSubstr;

// A number of a table of summary.json, by the text in its first column.
double number(const TemporaryFolder& folder, const std::string& results, const std::string& table,
              const std::string& row, const std::string& column) {
  return test::cell(test::summary_of(folder, results), table, row, column);
}

TEST(LoadPlans, ExamplesAreRightAndAnswer) {
  for (const char* name : {"pump-on-bench", "wheel-out-of-balance", "panel-under-pressure", "strut-receptance"}) {
    SCOPED_TRACE(name);
    const TemporaryFolder folder;
    const std::string file = std::string(name) + ".yaml", results = std::string(name) + "-results";
    (void)folder.write(file, example(file));
    const Ran checked = run_program(folder, "check " + file + " --no-figures");
    EXPECT_EQ(checked.status, 0) << checked.out << checked.err;
    EXPECT_THAT(checked.out, HasSubstr("Loads: resultants per unit"));
    const Ran ran = run_program(folder, "run " + file + " --no-figures --full");
    EXPECT_EQ(ran.status, file.starts_with("pump") ? 1 : 0) << ran.err;
    EXPECT_THAT(ran.out, HasSubstr("modes that it drives"));
    EXPECT_THAT(ran.out + ran.err, testing::Not(HasSubstr("On entry to"))) << "a product that BLAS does not know";
    if (file.starts_with("wheel")) {
      // U = 1.4 kg · 2.5 mm/s / (2π 100 Hz).
      EXPECT_THAT(test::read_all(folder / (results + "/tables/loads.csv")), HasSubstr("5.57"));
      // Far below resonance the deck feels the turning force: U ω² at 10 Hz.
      const double slow = 1.4 * 2.5e-3 / (2 * M_PI * 100) * std::pow(2 * M_PI * 10, 2);
      const std::string curves = test::read_all(folder / (results + "/tables/spin-up.1x.curves.csv"));
      ASSERT_THAT(curves, HasSubstr("\n10,600,"));
      EXPECT_NEAR(std::stod(curves.substr(curves.find("\n10,600,") + 8)) / slow, 1, 1e-6);
      // The fourth order at 600 rpm is a force of 0.05 N at 40 Hz.
      EXPECT_THAT(test::read_all(folder / (results + "/tables/spin-up.4x.curves.csv")), HasSubstr("\n40,600,0.05,"));
    }
    if (file.starts_with("panel")) {
      // The frame carries the whole pressure at rest: 2 kPa on 300 x 200 mm, whatever the edges take directly.
      EXPECT_NEAR(number(folder, results, "pressed.static", "frame.force", "value"), 120, 1e-6);
      EXPECT_NEAR(number(folder, results, "pressed.static", "frame.force.z", "value"), -120, 1e-6);
    }
    if (file.starts_with("strut")) {
      // The receptance from head to middle is that from middle to head, and at the head static compliance is L³/3EI
      // and shear a little more; 20 Hz is far below the first mode.
      const double here = number(folder, results, "hammer.at-head.peaks", "middle.receptance.x", "peak"),
                   there = number(folder, results, "hammer.at-middle.peaks", "head.receptance.x", "peak");
      EXPECT_NEAR(here / there, 1, 1e-9);
      EXPECT_NEAR(number(folder, results, "direct.peaks", "middle.receptance.x", "peak") / here, 1, 1e-5);
      // Upside down it is the dynamic stiffness there; both answers are judged by one limit.
      EXPECT_NEAR(number(folder, results, "direct.peaks", "head.receptance.x", "peak") *
                      number(folder, results, "direct.peaks", "head.dynamic stiffness.x", "peak"),
                  1000, 1e-2);  // mm/kN and N/mm
      EXPECT_THAT(ran.out, HasSubstr("stiff-enough"));
      EXPECT_THAT(ran.err, HasSubstr("environment direct: the full equations are solved at"));
    }
    if (file.starts_with("pump")) {
      EXPECT_THAT(ran.out, HasSubstr("running.cold"));
      EXPECT_THAT(ran.out, HasSubstr("running.warm"));
      // A ratio to the force is the same in both states where the side force is: nearly so here.
      EXPECT_THAT(test::read_all(folder / (results + "/tables/running.cold.curves.csv")),
                  HasSubstr("sensor.receptance"));
    }
  }
}

// Held at the frequency of its peak, the whole model shows there what the sweep found; modes are asked for by number.
TEST(LoadPlans, ShowTheWholeModelAtFrequenciesAndModes) {
  const TemporaryFolder folder;
  const std::string plan = example("panel-under-pressure.yaml"), at = "at: [mode 1, 600 Hz]";
  const auto with = [&](const std::string& asked) {
    std::string text = plan;
    text.replace(text.find(at), at.size(), asked);
    (void)folder.write("panel.yaml", text);
    return run_program(folder, "run panel.yaml --full");
  };
  const Ran swept = with("at: modes");
  EXPECT_EQ(swept.status, 0) << swept.err;
  EXPECT_THAT(swept.out, HasSubstr("the whole model at the frequencies asked for"));
  const std::string results = "panel-results", whole = "tone.whole";
  const double peak = number(folder, results, "tone.peaks", "panel.von Mises", "peak"),
               motion = number(folder, results, "tone.peaks", "middle.relative displacement", "peak"),
               frequency = number(folder, results, "tone.peaks", "panel.von Mises", "at");
  const auto summary = test::summary_of(folder, results);
  const auto& rows = summary["tables"][whole]["rows"];
  ASSERT_GE(rows.size(), 3U);
  EXPECT_EQ(rows[0][1], "1");
  EXPECT_LE(rows[0][4].get<double>(), peak * (1 + 1e-9));  // at the natural frequency a little less than at the peak
  EXPECT_GE(rows[0][4].get<double>(), peak * 0.99);
  for (const char* file : {"tone.mode-1.shape.png", "tone.mode-1.stress.png", "tone.shape.png"})
    EXPECT_TRUE(std::filesystem::exists(folder / (results + "/figures/" + file))) << file;
  EXPECT_THAT(test::read_all(folder / (results + "/fields/tone.vtu")), HasSubstr("tone.mode-1"));
  EXPECT_THAT(test::read_all(folder / (results + "/fields/tone.stress.vtu")), HasSubstr("tone.mode-1: von Mises"));
  EXPECT_EQ(with(fmt::format("at: {:.9f} Hz", frequency)).status, 0);
  const auto held = test::summary_of(folder, results);
  const auto& row = held["tables"][whole]["rows"][0];   // without a column for modes
  EXPECT_NEAR(row[1].get<double>() / motion, 1, 1e-5);  // which peaks at a frequency of its own
  EXPECT_NEAR(row[3].get<double>() / peak, 1, 1e-6);
  EXPECT_THAT(with("at: mode 99").err, HasSubstr("environment tone: mode 99 is asked for, and there are"));
  EXPECT_THAT(with("at: mode 0").err, HasSubstr("panel.yaml:"));
  EXPECT_THAT(with("method: direct, at: [mode 1]").err, HasSubstr("method"));  // it stands beside frequencies
}

// Modes that were kept are used; a new load adds its static shape and says so, and the answer is that of a run anew.
TEST(LoadPlans, AddTheirShapesToModesThatWereKept) {
  const TemporaryFolder folder;
  const std::string plan = example("strut-receptance.yaml");
  (void)folder.write("strut.yaml", plan);
  ASSERT_EQ(run_program(folder, "run strut.yaml --no-figures").status, 0);
  const Ran again = run_program(folder, "run strut.yaml --no-figures");
  EXPECT_THAT(again.err, HasSubstr("computed for the same model"));
  EXPECT_THAT(again.err, testing::Not(HasSubstr("made anew")));
  std::string more = plan;
  more.replace(more.find("  at-middle: {force: {at: middle, direction: x}}"), 48,
               "  at-middle: {moment: {at: middle, direction: y}}\n  new: {line load: {on: strut, direction: y}}");
  more.replace(more.find("{at-middle: 1 N}"), 16, "{at-middle: 1 N m}, {new: 3 N/m}");
  (void)folder.write("strut.yaml", more);
  const Ran changed = run_program(folder, "run strut.yaml --no-figures");
  EXPECT_EQ(changed.status, 0) << changed.err;
  EXPECT_THAT(changed.err,
              HasSubstr("residual vectors were made anew, because load at-middle changed, load new is new"));
  const double turned = number(folder, "strut-results", "hammer.at-head.peaks", "middle.receptance.x", "peak");
  ASSERT_EQ(run_program(folder, "run strut.yaml --no-figures --anew").status, 0);
  EXPECT_NEAR(number(folder, "strut-results", "hammer.at-head.peaks", "middle.receptance.x", "peak") / turned, 1,
              1e-10);
}

// With one pair of modes and nothing else the head moves as that mode alone: the table of driven modes says how much.
// The audit says what was left out; a mode that there is not is named.
TEST(LoadPlans, AnswerWithChosenModes) {
  const TemporaryFolder folder;
  const std::string plan = example("strut-receptance.yaml"), by = "acting: separately, ";
  const auto with = [&](const std::string& choice) {
    std::string text = plan;
    text.replace(text.find(by), by.size(), by + "modes: " + choice + ", ");
    (void)folder.write("strut.yaml", text);
    return run_program(folder, "sine strut.yaml --full hammer --no-figures --audit 1");
  };
  const Ran pair = with("{from: 50 Hz, to: 200 Hz, residual vectors: no}");
  EXPECT_EQ(pair.status, 0) << pair.err;
  EXPECT_THAT(pair.err, HasSubstr("2 of 7 modes are used, without residual vectors"));
  EXPECT_THAT(pair.out, HasSubstr("Against the full complex equations"));
  // 1 N: mm/kN are µm, and at its own frequency the mode alone moves as much as the response at its peak.
  const double alone = number(folder, "strut-sine-results", "hammer.at-head.driven", "1", "motion"),
               peak = number(folder, "strut-sine-results", "hammer.at-head.peaks", "head.receptance.x", "peak");
  EXPECT_NEAR(peak / (1000 * alone), 1, 1e-3);
  const Ran none = with("{numbers: [1, 99]}");
  EXPECT_EQ(none.status, 2);
  EXPECT_THAT(none.err, HasSubstr("environment hammer: mode 99 is asked for, and there are 7"));
  EXPECT_THAT(with("{first: 2, numbers: 1}").err, HasSubstr("one choice is due"));
  EXPECT_THAT(with("{from: 1 Hz, to: 2 Hz}").err, HasSubstr("no mode lies in the band that it chooses"));
}

// A force of one phase throughout, and answers that are exactly zero: they are drawn as what they are.
TEST(LoadPlans, DrawWhatDoesNotChangeAndWhatIsZero) {
  const TemporaryFolder folder;
  std::string plan = example("strut-receptance.yaml");
  plan.insert(
      plan.find("\nenvironments:"),
      "\n  idle: {at: foot, quantities: [relative displacement]}\nprofiles:\n  stroke: {sine: {force: [[20 Hz, 1 N, "
      "30 deg], [2000 Hz, 1 N, 30 deg]]}}\n");
  plan.replace(plan.find("\n\nlimits:"), std::string::npos,
               "\n  stroke: {loads: {at-head: stroke}}\n  stroked: {loads: {at-head: stroke}, method: direct}\n");
  (void)folder.write("strut.yaml", plan);
  const Ran ran = run_program(folder, "run strut.yaml --audit 0");
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_TRUE(std::filesystem::exists(folder / "strut-results/figures/profile.stroke.svg"));
}

}  // namespace
}  // namespace avrenk
