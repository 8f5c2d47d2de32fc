// Temperature, tightened bolts and contact in plans: what a static state is, and what it does to all else.
#include <gmock/gmock.h>

#include "support/pressed_block.h"
#include "support/program.h"
#include "support/refusals.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::cell;
using test::example;
using test::expect_refusals;
using test::Ran;
using test::refusal_of;
using test::replaced;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

double number(const nlohmann::json& summary, const std::string& table, const std::string& row,
              const std::string& column = "value") {
  return cell(summary, table, row, column);
}

TEST(RestInAPlan, ClosesAGapByWarmthAndForce) {
  const TemporaryFolder folder;
  (void)folder.write("block.yaml", test::pressed_block());
  const auto run = [&](const std::string& more, const std::string& out) {
    const Ran ran = run_program(folder, "run block.yaml --no-figures --out " + out + " " + more);
    EXPECT_EQ(ran.status, 0) << ran.err;
    return ran;
  };
  const Ran closed = run("", "closed");
  const double k = 200e9 * M_PI * 25e-6 / 0.1, stop = 50e6, grown = 12e-6 * 20 * 0.1, gap = 1e-5;
  // (k + s) u = k αΔT L + P + s g, the rod alone: P/k + αΔT L = 151 µm beyond the gap.
  const double u = (k * grown + 2000 + stop * gap) / (k + stop);
  const auto summary = summary_of(folder, "closed");
  EXPECT_NEAR(number(summary, "set.static", "head.relative displacement.z") / (1e3 * u), 1, 1e-8);
  EXPECT_NEAR(number(summary, "set.static", "bar.axial force") / (k * (u - grown)), 1, 1e-8);
  EXPECT_NEAR(std::abs(number(summary, "set.static", "stop.force.z")) / (stop * (u - gap)), 1, 1e-8);
  EXPECT_THAT(closed.out + closed.err, AllOf(HasSubstr("joint stop: 1 of 1 contact closed, pressing with "),
                                             HasSubstr("contact settled after ")));
  // Another static case is a small change of that state; the stop is as stiff in it as in the modes.
  EXPECT_NEAR(number(summary, "more.static", "head.relative displacement.z") / (1e3 * 100 / (k + stop)), 1, 1e-8);
  // Cold, the stop stays open, and the modes know it.
  const Ran open = run("--set \"environments.set={static: {loads: {warm: -20 K}}}\"", "open");
  EXPECT_THAT(open.out + open.err, HasSubstr("joint stop: 0 of 1 contact closed"));
  const auto cold = summary_of(folder, "open");
  EXPECT_NEAR(number(cold, "set.static", "head.relative displacement.z") / (1e3 * grown), -1, 1e-8);
  EXPECT_NEAR(number(cold, "set.static", "bar.axial force"), 0, 1e-6);
  EXPECT_LT(number(cold, "modes", "1", "frequency"), number(summary, "modes", "1", "frequency"));
  // A sine large enough lifts what is pressed, and closes what is open: told with the level from which on.
  const std::string loud = "--set \"profiles.sweep={sine: {acceleration: [[100 Hz, 500000 g], [2000 Hz, 500000 g]]}}\"";
  EXPECT_THAT(
      run(loud, "loud").err,
      AllOf(HasSubstr("environment sine.z: joint stop opens, first at (0, 0, 100) mm at "),
            HasSubstr("% of its level on: its peak lifts "), HasSubstr("the linear answer does not hold there")));
  EXPECT_THAT(run(loud + " --set \"environments.set={static: {loads: {warm: -20 K}}}\"", "far").err,
              HasSubstr("joint stop closes, first at (0, 0, 100) mm at "));
  EXPECT_THAT(closed.err, Not(HasSubstr("does not hold")));
}

TEST(RestInAPlan, IsCheckedAndAskedAndChanged) {
  const TemporaryFolder folder;
  (void)folder.write("block.yaml", test::pressed_block());
  const Ran checked = run_program(folder, "check block.yaml --no-figures");
  EXPECT_THAT(checked.err, HasSubstr("joint stop: 1 of 1 contact closed")) << checked.out;
  ASSERT_EQ(run_program(folder, "run block.yaml --no-figures").status, 0);
  const Ran asked = run_program(folder, "ask block-results \"relative displacement.z of head in set\" --json");
  EXPECT_EQ(asked.status, 0) << asked.err;
  const auto summary = summary_of(folder, "block-results");
  const auto answer = nlohmann::json::parse(asked.out);
  EXPECT_THAT(asked.out, HasSubstr("relative displacement")) << answer.dump();
  // A state that would buckle is an error of the check, not its end.
  const Ran buckled = run_program(
      folder, "check block.yaml --no-figures --set \"environments.set={static: {loads: {push: -100 MN}}}\"");
  EXPECT_EQ(buckled.status, 2);
  EXPECT_THAT(buckled.out, HasSubstr("the model buckles at ")) << buckled.err;
}

TEST(ClampRing, IsPressedWhereItsScrewsPress) {
  const TemporaryFolder folder;
  (void)folder.write("ring.yaml", example("barrel-on-ring.yaml"));
  const Ran ran = run_program(folder, "run ring.yaml --no-figures");
  EXPECT_EQ(ran.status, 0) << ran.err;
  const auto summary = summary_of(folder, "ring-results");
  // Screws tightened one by one end with no more than they were tightened to, the last exactly with it.
  const auto& bolts = summary.at("tables").at("mounted.bolts").at("rows");
  ASSERT_EQ(bolts.size(), 8U);
  for (const auto& row : bolts) EXPECT_NEAR(row.at(6).get<double>() / 4000, 0.97, 0.031) << row;
  EXPECT_NEAR(bolts.at(7).at(6).get<double>() / 4000, 1, 1e-8);
  // The linear answer with what is open taken out is that very state.
  EXPECT_NEAR(number(summary, "mounted.static", "screws.force.z") / 4000, 1, 1e-8);
  // All that the screws pull the contacts press.
  double pulled = 0, pressed = 0;
  for (const auto& row : bolts) pulled += row.at(6).get<double>();
  for (const auto& row : summary.at("tables").at("mounted.contacts").at("rows")) pressed += row.at(5).get<double>();
  EXPECT_NEAR(pressed / pulled, 1, 1e-6);
}

TEST(RestInAPlan, IsRefusedWithTheReason) {
  const auto told = [](const std::string& plan) { return refusal_of(plan); };
  expect_refusals(
      test::pressed_block(),
      {{"expansion: 12e-6 1/K", "loss factor: 1 %",
        "plan.yaml:15:28: load warm temperature: how much steel of part bar expands is not known; write expansion"},
       {"expansion: 12e-6 1/K", "expansion: 12e-6 K", "is a temperature difference"},
       {"about: set", "residual vectors: yes",
        "joint stop: it opens and closes, and in which state the modes find it is not said"},
       {"toward: z", "toward: x", "the spring has no stiffness along x"},
       {"toward: z", "toward: rz", "it opens along one of the spring's own axes"},
       {"width: 0.01 mm", "width: -0.01 mm", "width"},
       {"warm: 20 K", "warm: 20 mm", "\"20 mm\" is a length; write a temperature difference"},
       {"{temperature: {of: bar}}", "{temperature: {of: []}}", "no part is named"},
       {"{temperature: {of: bar}}", "{temperature: {of: rod}}", "no part \"rod\"; "},
       {"push: 2 kN}", "push: 2 kN}, bolts: tightened", "no bolt has a tension"},
       {"push: 2 kN}", "push: 2 kN}, bolts: {joints: stop}", "joint \"stop\" has no bolt with a tension"},
       {"push: 2 kN}", "push: 2 kN}, bolts: loose", "tightened"},
       {"sine: {profile: sweep, axes: z}", "hum: {loads: {warm: 3 K}, frequencies: {from: 20 Hz, to: 30 Hz}}",
        "warm is a temperature, which acts at rest"}},
      told);
  const std::string ring = example("barrel-on-ring.yaml");
  expect_refusals(
      ring,
      {{"part: ring, to: deck", "part: ring, to: ring", "no face of ring looks at"},
       {"within: 0.1 mm, friction: sticking", "within: 0.1 mm, friction: glue", "friction"},
       {"friction: sticking, ", "", "without friction nothing sticks that could slide"},
       {"part: ring, to: deck, within: 0.1 mm", "part: barrel, to: deck, within: 0.1 mm", "no face of barrel looks at"},
       {"tension: 4 kN", "tension: 0 N", "tension"},
       {"position: [0 mm, 0 mm, 2.5 mm]", "position: [0 mm, 0 mm, 3.5 mm]", "nothing is near enough: the nearest, "},
       {"position: [0 mm, 0 mm, 2.5 mm]", "position: [0 mm, 0 mm, -3 mm]", "on which side it presses is not known"}},
      told);
}

}  // namespace
}  // namespace avrenk
