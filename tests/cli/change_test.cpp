// What changes do to margins: against closed forms, and against whole runs of the changed plan.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::example;
using test::Ran;
using test::replaced;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;

// Of one number and limit, per cent.
double effect(const nlohmann::json& summary, const std::string& limit, const std::string& number) {
  for (const auto& row : summary["tables"]["changes"]["rows"])
    if (row[0] == limit && row[1] == number) return row[3].is_null() ? std::nan("") : row[3].get<double>();
  ADD_FAILURE() << limit << ' ' << number;
  return std::nan("");
}

double margin_of(const TemporaryFolder& folder, const std::string& results, const std::string& limit) {
  return test::cell(summary_of(folder, results), "limits", limit, "margin");
}

// One mass on springs: its frequency goes with √(k/m), so that 10 % more of k on the line of small changes adds half of
// ln 1.1 of the frequency. What would meet the limit is run, and has the margin of the closed form; frequencies that
// scatter by 5 % take 5 % of it. Random travel, a limit of life and one that loss factors move: differences of whole
// runs.
TEST(Change, IsWhatClosedFormsAndWholeRunsSay) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", "fatigue lines:\n  rubber: {strength: 300 N, at cycles: 1e6, slope: 5}\n" +
                                     replaced(example("isolated-box.yaml"), "above: 60 Hz", "above: 65 Hz") +
                                     "  level: {of: box.acceleration.x, in: random.x, take: RMS, allowable: 10 g}\n"
                                     "  worn: {of: damage, in: shaken, below: 0.1}\n"
                                     "life:\n  shaken: {of: {mounts.force.z: rubber}, through: random.z}\n"
                                     "scatter: {frequencies: 5 %, damping: [1 %, 3 %]}\n");
  const Ran ran = run_program(folder, "change box.yaml");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("bounce: margin"), HasSubstr("masses.box.mass"), HasSubstr("run with modes")));
  const auto summary = summary_of(folder, "box-change-results");
  const double bounce = std::sqrt(4 * 240e3 / 6.5) / (2 * 3.14159265358979323846) / 65 - 1;
  const double half = 50 * (1 + bounce) * std::log(1.1);
  EXPECT_NEAR(effect(summary, "bounce", "joints.isolator.spring.each.z"), half, 1e-4 * half);
  EXPECT_NEAR(effect(summary, "bounce", "masses.box.mass"), -half, 1e-4 * half);
  EXPECT_NEAR(effect(summary, "bounce", "joints.isolator.spring.loss factor"), 0, 1e-9);

  const auto& confirmed = summary["tables"]["confirmed"]["rows"];
  ASSERT_EQ(confirmed.size(), 1U);
  EXPECT_EQ(confirmed[0][0], "bounce");
  const double factor = std::exp(-bounce / (0.5 * (1 + bounce)));
  EXPECT_NEAR(confirmed[0][5].get<double>(), 100 * ((1 + bounce) * std::sqrt(factor) - 1), 1e-3);

  for (const auto& row : summary["tables"]["scatter"]["rows"])
    if (row[0] == "bounce") {
      EXPECT_NEAR(row[2].get<double>(), 100 * (0.95 * (1 + bounce) - 1), 1e-6);
      EXPECT_NEAR(row[3].get<double>(), 100 * (1.05 * (1 + bounce) - 1), 1e-6);
      EXPECT_THAT(row[4].get<std::string>(), HasSubstr("frequencies -5 %"));
    }

  for (const auto& [number, value, unit] : {std::tuple{"masses.box.mass", 6.5, "kg"},
                                            {"joints.isolator.spring.loss factor", 15.0, "%"},
                                            {"joints.isolator.spring.each.z", 240.0, "N/mm"},
                                            {"joints.isolator.spring.each.x", 180.0, "N/mm"}}) {
    for (const auto& [name, times] : {std::pair{"less", 0.995}, {"more", 1.005}})
      (void)run_program(folder, fmt::format("run box.yaml --no-figures --audit 0 --out {} --set \"{}={:.12g} {}\"",
                                            name, number, times * value, unit));
    for (const char* limit : {"stroke", "level", "worn"}) {
      const double due = (margin_of(folder, "more", limit) - margin_of(folder, "less", limit)) /
                         std::log(1.005 / 0.995) * std::log(1.1);
      EXPECT_NEAR(effect(summary, limit, number), due, 1e-3 * std::abs(due) + 1e-5) << limit << ' ' << number;
    }
  }
}

// A mast with a box on mounts between two bases, with a limit of every kind: what each number changes is the difference
// of whole runs. Watched are a wire between two feet (whose forces move with the stiffness of the model itself),
// motions of places and between them, forces inside, static answers, answers with and without a static case.
TEST(Change, OfEveryNumberMovesEveryLimitAsWholeRunsDo) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", R"(materials:
  alloy: {E: 70 GPa, nu: 0.3, density: 2700 kg/m^3, loss factor: 1 %}
  other: {E: 110 GPa, nu: 0.34, density: 4430 kg/m^3}
parts:
  mast: {line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 30 mm, 400 mm], divisions: 3}, section: {tube: {diameter: 24 mm, wall: 2 mm}}, material: alloy}
  arm: {line: {from: [0 mm, 30 mm, 400 mm], to: [250 mm, 0 mm, 500 mm], divisions: 2}, section: {rod: {diameter: 14 mm}}, material: other}
  leg: {line: {from: [250 mm, 0 mm, 500 mm], to: [300 mm, 0 mm, 0 mm], divisions: 3}, section: {rod: {diameter: 10 mm}}, material: other}
places:
  root: {part: mast, plane: {z: 0 mm}}
  foot: {part: leg, plane: {z: 0 mm}}
  knee: {part: mast, plane: {z: 400 mm}}
  elbow: {part: arm, plane: {x: 250 mm}}
  corner: {points: [[100 mm, 80 mm, 450 mm]]}
masses:
  box: {mass: 1.2 kg, inertia: {xx: 2000 kg mm^2, yy: 3000 kg mm^2, zz: 2500 kg mm^2}, position: [100 mm, 80 mm, 450 mm], carried by: corner}
joints:
  mount: {spring: {from: corner, to: knee, each: {x: 90 N/mm, y: 120 N/mm, z: 160 N/mm, rx: 200 N m/rad, ry: 300 N m/rad, rz: 150 N m/rad}, loss factor: 8 %}}
  crossing: {merge: {parts: [mast, arm, leg], within: 1 mm}}
base: {vibrator: {place: root}, wall: {place: foot}}
damping: {otherwise: 2 %}
loads: {push: {force: {at: elbow, direction: [1, 2, 0]}}}
watch:
  box: {at: box, quantities: [acceleration, relative displacement, absolute displacement]}
  elbow: {at: elbow, quantities: [acceleration]}
  arm: {part: arm, quantities: [bending moment, von Mises]}
  mount: {joint: mount, quantities: [force, travel]}
  vibrator: {base: vibrator, quantities: [force, moment]}
  wall: {base: wall, quantities: [force]}
profiles:
  sweep: {sine: {acceleration: [[10 Hz, 1 g], [300 Hz, 2 g]]}}
  shake: {random: [[10 Hz, 0.01 g^2/Hz], [300 Hz, 0.02 g^2/Hz]], duration: 60 s}
environments:
  weight: {static: {acceleration: {z: -1 g}}}
  pushed: {static: {loads: {push: 200 N}}}
  sine: {profile: sweep, axes: [x], after: weight}
  late: {profile: sweep, axes: [y], motion: {vibrator: {amplitude: 1}, wall: {amplitude: 0.5, phase: 30 deg}}}
  noise: {profile: shake, axes: [z]}
limits:
  frequency: {of: frequency, along: x, above: 20 Hz}
  sine box: {of: box.acceleration, in: sine, take: peak, allowable: 20 g}
  late elbow: {of: elbow.acceleration, in: late, take: peak, allowable: 20 g}
  noise box: {of: box.acceleration.z, in: noise, take: 3 sigma, allowable: 20 g}
  stroke: {of: box.relative displacement, in: sine, take: peak, allowable: 5 mm}
  motion: {of: box.absolute displacement, in: noise, take: RMS, allowable: 1 mm}
  moment: {of: arm.bending moment, in: late, take: peak, allowable: 20 N m}
  stress: {of: arm.von Mises, in: noise, take: 3 sigma, with: weight, allowable: 100 MPa}
  mount: {of: mount.force, in: sine, take: peak, with: weight, allowable: 500 N}
  travel: {of: mount.travel.z, in: noise, take: RMS, allowable: 1 mm}
  root: {of: vibrator.force.x, in: sine, take: peak, allowable: 500 N}
  root moment: {of: vibrator.moment.y, in: sine, take: peak, allowable: 200 N m}
  wall: {of: wall.force.z, in: noise, take: RMS, allowable: 200 N}
  late wall: {of: wall.force.x, in: late, take: peak, allowable: 500 N}
  held: {of: wall.force.x, in: pushed, allowable: 500 N}
  weighed: {of: vibrator.force.z, in: weight, allowable: 500 N}
  bent: {of: arm.bending moment, in: pushed, allowable: 50 N m}
)");
  const std::tuple<const char*, double, const char*> numbers[] = {{"materials.alloy.E", 70, "GPa"},
                                                                  {"materials.other.density", 4430, "kg/m^3"},
                                                                  {"materials.alloy.loss factor", 1, "%"},
                                                                  {"parts.arm.section.rod.diameter", 14, "mm"},
                                                                  {"parts.mast.section.tube.wall", 2, "mm"},
                                                                  {"masses.box.mass", 1.2, "kg"},
                                                                  {"masses.box.inertia.xx", 2000, "kg mm^2"},
                                                                  {"joints.mount.spring.each.z", 160, "N/mm"},
                                                                  {"joints.mount.spring.loss factor", 8, "%"},
                                                                  {"damping.otherwise", 2, "%"}};
  std::string names;
  for (const auto& [number, value, unit] : numbers) names += fmt::format(" \"{}\"", number);
  const Ran ran = run_program(folder, "change mast.yaml" + names);
  ASSERT_LE(ran.status, 1) << ran.err;
  const auto summary = summary_of(folder, "mast-change-results");
  for (const auto& [number, value, unit] : numbers) {
    SCOPED_TRACE(number);
    for (const auto& [name, times] : {std::pair{"less", 0.998}, {"more", 1.002}})
      (void)run_program(folder, fmt::format("run mast.yaml --no-figures --audit 0 --out {} --set \"{}={:.12g} {}\"",
                                            name, number, times * value, unit));
    const auto less = summary_of(folder, "less"), more = summary_of(folder, "more");
    for (const auto& row : less["tables"]["limits"]["rows"]) {
      const auto limit = row[0].get<std::string>();
      const double due = (test::cell(more, "limits", limit, "margin") - test::cell(less, "limits", limit, "margin")) /
                         std::log(1.002 / 0.998) * std::log(1.1);
      EXPECT_NEAR(effect(summary, limit, number), due, 2e-3 * std::abs(due) + 1e-3) << limit;
    }
  }
}

// Stress of shells looked at where it was among the worst; a thickness, against whole runs.
TEST(Change, OfAThicknessMovesStress) {
  const TemporaryFolder folder;
  (void)folder.write("panel.yaml", example("panel-under-pressure.yaml"));
  const Ran ran = run_program(folder, "change panel.yaml parts.panel.thickness materials.panel-alloy.density");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto summary = summary_of(folder, "panel-change-results");
  for (const auto& [number, value, unit] :
       {std::tuple{"parts.panel.thickness", 2.0, "mm"}, {"materials.panel-alloy.density", 2810.0, "kg/m^3"}}) {
    for (const auto& [name, times] : {std::pair{"less", 0.995}, {"more", 1.005}})
      (void)run_program(folder, fmt::format("run panel.yaml --no-figures --audit 0 --out {} --set \"{}={:.12g} {}\"",
                                            name, number, times * value, unit));
    const double due = (margin_of(folder, "more", "stress") - margin_of(folder, "less", "stress")) /
                       std::log(1.005 / 0.995) * std::log(1.1);
    EXPECT_NEAR(effect(summary, "stress", number), due, 5e-3 * std::abs(due)) << number;
  }
}

TEST(Change, SaysWhatItCannotChange) {
  const TemporaryFolder folder;
  const std::string box = example("isolated-box.yaml");
  (void)folder.write("box.yaml", box);
  for (const auto& [arguments, message] :
       {std::pair{"change box.yaml joints.isolater", "the plan has no number with a unit at \"joints.isolater\""},
        {"change box.yaml title", "no number with a unit at \"title\""},
        {"change", "change needs a plan"},
        {"change none.yaml", "none.yaml"},
        {"change box.yaml --set \"scatter={frequencies: 80 %}\"", "frequencies that are off by 80 % say nothing"},
        {"change box.yaml --set \"scatter={frequencies: -5 %}\"", "-5 %"},
        {"change box.yaml --set \"scatter={}\"", "nothing is said to scatter"},
        {"change box.yaml --audit 2", "audit"}}) {
    const Ran ran = run_program(folder, arguments);
    EXPECT_NE(ran.status, 0) << arguments;
    EXPECT_THAT(ran.err, HasSubstr(message)) << arguments;
  }
  (void)folder.write("bare.yaml", box.substr(0, box.find("limits:")));
  const Ran bare = run_program(folder, "change bare.yaml");
  EXPECT_EQ(bare.status, 2);
  EXPECT_THAT(bare.err, HasSubstr("the plan has no limits, and so no margins that could change"));
  EXPECT_FALSE(std::filesystem::exists(folder / "bare-change-results"));
  // Another mesh is told and not compared.
  (void)folder.write("mast.yaml", replaced(replaced(example("mast.yaml"), "divisions: 24", "element: \"${piece}\""),
                                           "{height: 600 mm}", "{height: 600 mm, piece: 20 mm}"));
  const Ran mast = run_program(folder, "change mast.yaml values");
  EXPECT_EQ(mast.status, 0) << mast.err;
  EXPECT_THAT(mast.err, HasSubstr("values.piece: not compared: the change makes another mesh"));
  (void)folder.write("mast.yaml", example("mast.yaml"));
  EXPECT_EQ(run_program(folder, "change mast.yaml values").status, 0);
  EXPECT_LT(effect(summary_of(folder, "mast-change-results"), "first", "values.height"), 0) << "longer is softer";
}

// Supplied modes scatter like any others: the first frequency by what is said, to both sides.
TEST(Change, ScattersSuppliedModesToo) {
  const TemporaryFolder folder;
  for (const char* file : {"modes.csv", "points.csv", "shapes.csv"})
    (void)folder.write(file, example(std::string("mast-from-modes/") + file));
  (void)folder.write("mast.yaml", example("mast-from-modes/mast-from-modes.yaml") +
                                      "scatter: {frequencies: 5 %, damping: [1 %, 3 %]}\n");
  const Ran ran = run_program(folder, "change mast.yaml");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto summary = summary_of(folder, "mast-change-results");
  for (const auto& row : summary["tables"]["scatter"]["rows"]) {
    const double margin = row[1].get<double>(), least = row[2].get<double>(), most = row[3].get<double>();
    if (row[0] == "first") {
      EXPECT_NEAR((100 + least) / (100 + margin), 0.95, 1e-9);
      EXPECT_NEAR((100 + most) / (100 + margin), 1.05, 1e-9);
    } else {
      EXPECT_LT(least, margin - 1);
    }
  }
}

// A rod that is bent 1.5 times too much: its margin grows with d³, so that the straight line overshoots by 10 %. What
// is confirmed is a little more than the least that does, 1.5^⅓.
TEST(Change, StepsBackFromAChangeThatDoesMoreThanItMust) {
  const TemporaryFolder folder;
  (void)folder.write("rod.yaml", R"(materials:
  alloy: {E: 70 GPa, nu: 0.3, density: 2700 kg/m^3}
parts:
  rod: {line: {from: [0 mm, 0 mm, 0 mm], to: [400 mm, 0 mm, 0 mm], divisions: 4}, section: {rod: {diameter: 10 mm}}, material: alloy}
places: {root: {part: rod, plane: {x: 0 mm}}, tip: {part: rod, plane: {x: 400 mm}}}
base: {wall: {place: root}}
damping: {otherwise: 1 %}
loads: {push: {force: {at: tip, direction: z}}}
watch: {rod: {part: rod, quantities: [bending stress]}}
environments: {pushed: {static: {loads: {push: 36.815539 N}}}}
limits: {strong: {of: rod.bending stress, in: pushed, allowable: 100 MPa}}
)");
  const Ran ran = run_program(folder, "change rod.yaml parts.rod.section.rod.diameter");
  ASSERT_LE(ran.status, 1) << ran.err;
  const auto summary = summary_of(folder, "rod-change-results");
  const auto& rows = summary["tables"]["confirmed"]["rows"];
  ASSERT_FALSE(rows.empty());
  const double margin = rows.back()[5].get<double>();
  EXPECT_GE(margin, 0);
  EXPECT_LE(margin, 3);
  EXPECT_THAT(rows.back()[3].get<std::string>(), testing::StartsWith("11.4"));  // 10 mm · 1.5^⅓ = 11.447 mm
}

}  // namespace
}  // namespace avrenk
