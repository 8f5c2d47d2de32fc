// reduce, components as parts, and modes from elsewhere, as whole runs.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>
#include <complex>

#include "files/component_file.h"
#include "files/text_file.h"
#include "support/program.h"
#include "support/refusals.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::cell;
using test::example;
using test::expect_refusals;
using test::Files;
using test::Ran;
using test::refusal_of;
using test::replaced;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;

// The box on its panel as one model: what box-on-panel.yaml says with the component taken apart again.
std::string whole_of(const std::string& panel, const std::string& box) {
  const auto section = [&](const std::string& plan, const std::string& name) {
    const std::size_t from = plan.find("\n" + name + ":\n") + name.size() + 3, to = plan.find("\n\n", from);
    return plan.substr(from, to - from + 1);
  };
  std::string text = panel;
  text = replaced(text, "materials:\n", "materials:\n" + section(box, "materials"));
  const std::size_t part = text.find("  box:\n    component"), end = text.find("\n\n", part) + 1;
  const std::string place = "    position: [20 mm, 10 mm, 18 mm]\n    rotation: {about: z, by: 90 deg}\n";
  std::string parts = section(box, "parts");
  // Every part is turned and put as the component is; the board stands higher.
  parts = replaced(parts, "    position: [0 mm, 0 mm, 20 mm]\n", "");
  std::string placed;
  std::istringstream lines(parts);
  std::string name;
  for (std::string line; std::getline(lines, line);) {
    placed += line + "\n";
    if (line.starts_with("  ") && line[2] != ' ') name = line;
    if (line.find("    material:") != 0) continue;
    placed += name == "  board:"   ? "    position: [20 mm, 10 mm, 38 mm]\n    rotation: {about: z, by: 90 deg}\n"
              : name == "  posts:" ? ""
                                   : place;
  }
  // Copies of the posts come after the turn: written out instead.
  const std::size_t posts = placed.find("    line: {from"), last = placed.find("    section: {rod: {diameter: 7 mm}}");
  std::string line = "    line:\n";
  for (const double x : {-36.0, 36.0})
    for (const double y : {-46.0, 46.0})  // turned by a quarter: (x, y) → (−y, x)
      line += fmt::format("      - {{from: [{0} mm, {1} mm, 18 mm], to: [{0} mm, {1} mm, 38 mm], divisions: 2}}\n",
                          20 - y, 10 + x);
  placed = placed.substr(0, posts) + line + placed.substr(last);
  text = text.substr(0, part) + placed + text.substr(end);
  text = replaced(
      text, "  box-feet:  {part: box}\n",
      "  box-feet:  {part: walls, nearest: [[-45 mm, 65 mm, 18 mm], [-45 mm, -45 mm, 18 mm], [85 mm, 65 mm, 18 "
      "mm], [85 mm, -45 mm, 18 mm]]}\n  post-bottoms: {part: posts, plane: {z: 18 mm}}\n  post-tops: {part: "
      "posts, plane: {z: 38 mm}}\n");
  text = replaced(text, "{recovered by: box, named: board}", "{part: board, nearest: [20 mm, 10 mm, 38 mm]}");
  text = replaced(text, "{recovered by: box, named: converter}", "{part: board, nearest: [43.2 mm, 34 mm, 38 mm]}");
  text = replaced(text, "\nbase:\n", "\nmasses:\n" + section(box, "masses") + "\nbase:\n");
  return replaced(text, "joints:\n", "joints:\n" + section(box, "joints"));
}

TEST(Reduce, MakesAComponentThatAnswersAsTheWhole) {
  const TemporaryFolder folder;
  const std::string box = example("electronics-box.yaml"), panel = example("box-on-panel.yaml");
  (void)folder.write("electronics-box.yaml", box);
  (void)folder.write("box-on-panel.yaml", panel);
  (void)folder.write("whole.yaml", whole_of(panel, box));
  const Ran made =
      run_program(folder, "reduce electronics-box.yaml lid board converter --out box --set \"modes.up to=6000 Hz\"");
  ASSERT_EQ(made.status, 0) << made.err;
  EXPECT_THAT(made.out + made.err, AllOf(HasSubstr("24 motions of 4 nodes of the interface"), HasSubstr("MAC")));
  const Ran parts = run_program(folder, "run box-on-panel.yaml --no-figures --out parts"),
            whole = run_program(folder, "run whole.yaml --no-figures --out whole");
  ASSERT_EQ(parts.status, 0) << parts.err;
  ASSERT_EQ(whole.status, 0) << whole.err;
  const auto a = summary_of(folder, "parts"), b = summary_of(folder, "whole");
  EXPECT_NEAR(a.at("facts").at("total mass").at("value").get<double>() /
                  b.at("facts").at("total mass").at("value").get<double>(),
              1, 1e-6);
  for (int mode = 1; mode <= 12; ++mode) {
    const std::string row = std::to_string(mode);
    EXPECT_NEAR(cell(a, "modes", row, "frequency") / cell(b, "modes", row, "frequency"), 1, 1e-3) << mode;
  }
  for (const char* axis : {"x", "y", "z"})
    for (const char* of : {"board.acceleration", "converter.acceleration", "mounts.force"}) {
      const std::string sine = std::string("sine.") + axis + ".peaks", random = std::string("random.") + axis + ".rms";
      EXPECT_NEAR(cell(a, sine, of, "peak") / cell(b, sine, of, "peak"), 1, 2e-3) << axis << of;
      EXPECT_NEAR(cell(a, random, of, "RMS=1σ") / cell(b, random, of, "RMS=1σ"), 1, 2e-3) << axis << of;
    }
  // The same by the files of text, to the last bit; and no question reaches what its owner did not allow.
  (void)folder.write(
      "text.yaml",
      replaced(panel, "component: box/component.h5",
               "component: {stiffness: box/stiffness.mtx, mass: box/mass.mtx, loss: box/loss.mtx, columns: "
               "box/columns.csv, recovery: box/recovery.mtx, points: box/points.csv}"));
  const Ran text = run_program(folder, "run text.yaml --no-figures --out text");
  ASSERT_EQ(text.status, 0) << text.err;
  EXPECT_EQ(summary_of(folder, "text").at("tables").at("sine.z.peaks"), a.at("tables").at("sine.z.peaks"));
  // Its parts taken out of the whole are the same component, wherever they stand.
  const Ran group = run_program(
      folder, "reduce whole.yaml --parts \"walls, board, posts\" --out group --set \"modes.up to=6000 Hz\"");
  EXPECT_EQ(group.status, 0) << group.err;
  std::istringstream one(test::read_all(folder / "box/tables/reduction.csv")),
      other(test::read_all(folder / "group/tables/reduction.csv"));
  int lines = 0;
  for (std::string a_line, b_line; std::getline(one, a_line) && std::getline(other, b_line); ++lines) {
    if (lines == 0) continue;
    const double full = std::stod(a_line.substr(a_line.find(',') + 1)),
                 again = std::stod(b_line.substr(b_line.find(',') + 1));
    EXPECT_NEAR(again / full, 1, 1e-6) << a_line;
  }
  EXPECT_GT(lines, 10);
  const Ran checked = run_program(folder, "check box-on-panel.yaml --no-figures");
  EXPECT_EQ(checked.status, 0) << checked.out << checked.err;
  const Ran asked = run_program(folder, "ask parts \"acceleration.z of converter in sine.z at 40 Hz\"");
  EXPECT_EQ(asked.status, 0) << asked.err;
}

TEST(Reduce, SaysWhatItCannot) {
  const TemporaryFolder folder;
  const std::string box = example("electronics-box.yaml");
  (void)folder.write("box.yaml", box);
  EXPECT_THAT(run_program(folder, "reduce box.yaml lit").err, HasSubstr("no place \"lit\"; "));
  EXPECT_EQ(run_program(folder, "reduce").status, 2);
  (void)folder.write("loose.yaml", replaced(box, "bench: {place: feet}", "bench: {place: feet, holds: [x, y, z]}"));
  const Ran loose = run_program(folder, "reduce loose.yaml");
  EXPECT_EQ(loose.status, 2);
  EXPECT_THAT(loose.err, HasSubstr("base bench: it leaves rx of walls "));
}

// A file that is no component is one mistake: what stands on it says nothing more.
TEST(Reduce, LeavesNoOtherMistakeBehindABrokenFile) {
  const TemporaryFolder folder;
  (void)folder.write("component.h5", "junk");
  (void)folder.write("plan.yaml", R"(parts:
  box: {component: component.h5}
places:
  feet: {part: box}
  top: {points: [[0 mm, 0 mm, 0 mm]]}
masses:
  lid: {mass: 1 kg, position: [0 mm, 0 mm, 0 mm], carried by: top}
base:
  bench: {place: feet}
joints:
  leg: {spring: {from: top, to: bench, each: {x: 1 N/mm, y: 1 N/mm, z: 1 N/mm}}}
)");
  const Ran ran = run_program(folder, "check plan.yaml");
  EXPECT_EQ(ran.status, 2);
  EXPECT_THAT(ran.err, HasSubstr("plan.yaml:2:20: part box component: component.h5: no HDF5 file"));
  EXPECT_EQ(std::count(ran.err.begin(), ran.err.end(), '\n'), 1) << ran.err;
}

// An interface without mass has no mode of its own, and all others are compared.
TEST(Reduce, ComparesModesOfAnInterfaceWithoutMass) {
  const TemporaryFolder folder;
  const std::string six =
      "each: {x: 180 N/mm, y: 180 N/mm, z: 100 N/mm, rx: 100 N m/rad, ry: 100 N m/rad, rz: 100 "
      "N m/rad}";
  (void)folder.write("plan.yaml",
                     "places:\n  top: {points: [[0 mm, 0 mm, 100 mm]]}\n"
                     "  inner: {points: [[0 mm, 0 mm, 50 mm]]}\n"
                     "masses:\n  box: {mass: 2 kg, inertia: {xx: 0.01 kg m^2, yy: 0.01 kg m^2, zz: 0.01 "
                     "kg m^2}, position: [0 mm, 0 mm, 50 mm], carried by: inner}\n"
                     "base:\n  bench: {point: [0 mm, 0 mm, 0 mm]}\njoints:\n"
                     "  a: {spring: {from: inner, to: bench, " +
                         six +
                         "}}\n"
                         "  b: {spring: {from: inner, to: top, " +
                         six + "}}\n");
  const Ran ran = run_program(folder, "reduce plan.yaml top --out reduced");
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out + ran.err, testing::Not(HasSubstr("not compared")));
}

// The mast of the examples, its modes by way of its component: frequencies, participation and shapes are rows of it.
struct Tables {
  std::string modes, points, shapes;
};
Tables tables_of(const TemporaryFolder& folder) {
  const auto component = read_component(read_text_file((folder / "mast/component.h5").string()), "component.h5");
  Tables tables{
      "mode,frequency (Hz),modal mass (gram),participation x (gram),participation y (gram),participation z "
      "(gram),participation rx (gram mm),participation ry (gram mm),participation rz (gram mm)\n",
      "point,x (mm),y (mm),z (mm)\n", "mode,point,x,y,z,rx (1/m),ry (1/m),rz (1/m)\n"};
  for (Eigen::Index r = 6; r < component.size(); ++r) {
    const double scale = 0.5 + static_cast<double>(r);  // shapes as somebody else scales them
    tables.modes += fmt::format("B{},{},{}", r, std::sqrt(component.stiffness(r, r)) / (2 * M_PI), 1e3 * scale * scale);
    for (int d = 0; d < 6; ++d) tables.modes += fmt::format(",{}", (d < 3 ? 1e3 : 1e6) * scale * component.mass(r, d));
    tables.modes += "\n";
    for (std::size_t p = 0; p < component.points.size(); ++p) {
      tables.shapes += fmt::format("B{},{}", r, component.names[p]);
      for (int d = 0; d < 6; ++d)
        tables.shapes += fmt::format(",{}", scale * component.recovery(6 * static_cast<Eigen::Index>(p) + d, r));
      tables.shapes += "\n";
    }
  }
  for (std::size_t p = 0; p < component.points.size(); ++p)
    tables.points += fmt::format("{},{},{},{}\n", component.names[p], 1e3 * component.points[p].x(),
                                 1e3 * component.points[p].y(), 1e3 * component.points[p].z());
  return tables;
}

const std::string supplied = R"(title: Antenna mast from the modes of its supplier
parts:
  mast: {supplied modes: {modes: modes.csv, points: points.csv, shapes: shapes.csv, mass: MASS}}
places:
  root: {part: mast}
  tip:  {recovered by: mast, named: tip}
base: {fixture: {place: root}}
modes: {up to: 20 kHz}
damping: {otherwise: [[20 Hz, 1 %], [500 Hz, 2 %]]}
watch:
  tip: {at: tip, quantities: [acceleration, relative displacement]}
  fixture: {base: fixture, quantities: [force]}
profiles:
  sweep: {sine: {acceleration: [[5 Hz, 0.5 g], [200 Hz, 0.5 g]]}}
  noise: {random: [[20 Hz, 0.01 g^2/Hz], [500 Hz, 0.01 g^2/Hz]]}
environments:
  sine: {profile: sweep, axes: [x, z]}
  random: {profile: noise, axes: x}
)";

TEST(SuppliedModes, AnswerAsTheModelThatTheyAreOf) {
  const TemporaryFolder folder;
  std::string mast = replaced(example("mast.yaml"), "level: -3 dB", "level: 0 dB");
  mast = replaced(mast, "damping: {", "modes: {count: 10, residual vectors: no}\n\ndamping: {");
  mast = replaced(mast, "  mast: {part: mast, quantities: [bending moment, shear force]}\n",
                  "  fixture: {base: fixture, quantities: [force]}\n");
  mast = replaced(mast, ", sweep: 2 oct/min}", "}\n  noise: {random: [[20 Hz, 0.01 g^2/Hz], [500 Hz, 0.01 g^2/Hz]]}");
  mast = replaced(mast, "\nlimits:", "  random: {profile: noise, axes: x}\n\nlimits:");
  (void)folder.write("mast.yaml", mast);
  ASSERT_EQ(run_program(folder, "reduce mast.yaml tip --out mast").status, 0);
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --audit 0 --out whole").status, 0);
  const auto whole = summary_of(folder, "whole");
  const double mass = whole.at("facts").at("total mass").at("value");
  const Tables tables = tables_of(folder);
  (void)folder.write("modes.csv", tables.modes);
  (void)folder.write("points.csv", tables.points);
  (void)folder.write("shapes.csv", tables.shapes);
  (void)folder.write("given.yaml", replaced(supplied, "MASS", fmt::format("{} kg", mass)));
  const Ran ran = run_program(folder, "run given.yaml --no-figures --out given");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out + ran.err, AllOf(HasSubstr("10 modes, which carry "), HasSubstr("no residual vectors")));
  const auto given = summary_of(folder, "given");
  const auto same = [&](const nlohmann::json& other, double tolerance) {
    for (const auto& [table, column] :
         {std::pair{"sine.x.peaks", "peak"}, {"sine.z.peaks", "peak"}, {"random.x.rms", "RMS=1σ"}})
      for (const char* of : {"tip.acceleration", "tip.relative displacement", "fixture.force"})
        EXPECT_NEAR(cell(other, table, of, column) / cell(whole, table, of, column), 1, tolerance) << table << of;
  };
  same(given, 1e-6);
  // By one file of results, and by shapes on a grid of points.
  (void)folder.write("file.yaml", replaced(replaced(supplied, "MASS", fmt::format("{} kg", mass)),
                                           "modes: modes.csv, points: points.csv, shapes: shapes.csv",
                                           "file: whole/results.h5, points: {tip: [0 mm, 0 mm, 600 mm]}"));
  ASSERT_EQ(run_program(folder, "run file.yaml --no-figures --out file").status, 0);
  same(summary_of(folder, "file"), 1e-6);
  // Some of them, with damping that was measured.
  std::istringstream lines(tables.modes);
  std::string measured, line;
  for (int number = 0; std::getline(lines, line); ++number) measured += line + (number == 0 ? ",Q\n" : ",50\n");
  (void)folder.write("measured.csv", measured);
  (void)folder.write("few.yaml", replaced(replaced(supplied, "MASS", fmt::format("{} kg, numbers: [1, 2]", mass)),
                                          "modes.csv", "measured.csv"));
  const Ran few = run_program(folder, "run few.yaml --no-figures --out few");
  ASSERT_EQ(few.status, 0) << few.err;
  EXPECT_NEAR(cell(summary_of(folder, "few"), "modes", "1", "Q"), 50, 1e-6);
  EXPECT_NEAR(cell(summary_of(folder, "few"), "modes", "1", "frequency") / cell(whole, "modes", "1", "frequency"), 1,
              1e-9);
}

// The example: ten modes of the mast in three tables.
// Modes that carry all of the mass, on a spring of another loss factor: two complex springs in series under one mass.
TEST(SuppliedModes, OnASpringOfAnotherLossFactorAreTwoSpringsInSeries) {
  const TemporaryFolder folder;
  (void)folder.write("modes.csv",
                     "mode,frequency (Hz),modal mass (kg),participation x (kg),participation y (kg),participation z "
                     "(kg),loss factor\n1,50,2,2,0,0,0.02\n2,50,2,0,2,0,0.02\n3,50,2,0,0,2,0.02\n");
  (void)folder.write("points.csv", "point,x (mm),y (mm),z (mm)\ntip,0,0,0\n");
  (void)folder.write("shapes.csv", "mode,point,x,y,z\n1,tip,1,0,0\n2,tip,0,1,0\n3,tip,0,0,1\n");
  (void)folder.write("plan.yaml", R"(parts:
  box: {supplied modes: {modes: modes.csv, points: points.csv, shapes: shapes.csv, mass: 2 kg, about: [0 mm, 0 mm, 0 mm]}}
places:
  root: {part: box}
  tip: {recovered by: box, named: tip}
base: {fixture: {point: [0 mm, 0 mm, 0 mm]}}
joints:
  leg: {spring: {from: root, to: fixture, each: {x: 150 N/mm, y: 150 N/mm, z: 150 N/mm, rx: 1 kN m/rad, ry: 1 kN m/rad, rz: 1 kN m/rad}, loss factor: 40 %}}
modes: {up to: 200 Hz}
watch:
  tip: {at: tip, quantities: [acceleration]}
profiles: {sweep: {sine: {acceleration: [[5 Hz, 1 g], [100 Hz, 1 g]]}}}
environments: {sine: {profile: sweep, axes: z}}
)");
  const Ran ran = run_program(folder, "run plan.yaml --no-figures --audit 0");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const std::complex<double> own = 2 * std::pow(2 * M_PI * 50, 2) * std::complex<double>(1, 0.02),
                             leg = 150e3 * std::complex<double>(1, 0.4), both = own * leg / (own + leg);
  double peak = 0;
  for (double f = 25; f < 45; f += 1e-4) peak = std::max(peak, std::abs(both / (both - 2 * std::pow(2 * M_PI * f, 2))));
  EXPECT_NEAR(cell(summary_of(folder, "plan-results"), "sine.z.peaks", "tip.acceleration", "peak") / peak, 1, 1e-8);
}

TEST(SuppliedModes, OfTheExampleAnswerAsItsMast) {
  const TemporaryFolder folder;
  for (const char* name : {"mast-from-modes.yaml", "modes.csv", "points.csv", "shapes.csv"})
    (void)folder.write(name, example(std::string("mast-from-modes/") + name));
  (void)folder.write("mast.yaml", example("mast.yaml"));
  ASSERT_EQ(run_program(folder, "check mast-from-modes.yaml --no-figures").status, 0);
  ASSERT_EQ(run_program(folder, "run mast-from-modes.yaml --no-figures --out given").status, 0);
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --out whole").status, 0);
  const auto given = summary_of(folder, "given"), whole = summary_of(folder, "whole");
  for (const char* of : {"tip.acceleration", "tip.relative displacement"})
    EXPECT_NEAR(cell(given, "sine.x.peaks", of, "peak") / cell(whole, "sine.x.peaks", of, "peak"), 1, 1e-4) << of;
  EXPECT_NEAR(
      cell(given, "sine.z.peaks", "tip.acceleration", "peak") / cell(whole, "sine.z.peaks", "tip.acceleration", "peak"),
      1, 1e-3);
}

TEST(SuppliedModes, AreRefusedWithTheReason) {
  const Files good{{"modes.csv",
                    "frequency (Hz),modal mass (kg),participation x (kg),participation y "
                    "(kg),participation z (kg)\n30,1,0.9,0,0\n40,1,0,0.9,0\n"},
                   {"points.csv", "point,x (mm),y (mm),z (mm)\ntip,0,0,600\n"},
                   {"shapes.csv", "mode,point,x,y,z\n1,tip,1,0,0\n2,tip,0,1,0\n"}};
  const std::string plan = replaced(supplied, "MASS", "1 kg");
  EXPECT_EQ(refusal_of(plan, good), "");
  const auto with = [&](const std::string& file, const std::string& from, const std::string& to) {
    Files files = good;
    files[file] = replaced(files[file], from, to);
    return refusal_of(plan, files);
  };
  const std::tuple<const char*, const char*, const char*, const char*> cases[] = {
      {"modes.csv", "30,1", "0,1", "modes.csv:2: a frequency is more than zero"},
      {"modes.csv", "30,1", "30,-1", "modes.csv:2: a modal mass is more than zero"},
      {"modes.csv", "30,1", "x,1", "modes.csv:2: frequency: \"x\" is no finite number"},
      {"modes.csv", "30,1", ",1", "modes.csv:2: frequency is empty, a number is due"},
      {"modes.csv", "0.9,0,0\n40", "1.9,0,0\n40", "the modes carry 3.61 kg along direction x, and the whole has 1"},
      {"modes.csv", "modal mass (kg)", "modal mass (Hz)", "modes.csv:1: column \"modal mass\" is in a frequency"},
      {"modes.csv", "modal mass (kg)", "modal mass", "modes.csv:1: column \"modal mass\" has no unit"},
      {"modes.csv", "modal mass (kg)", "modal weight (kg)", "no column is called \"modal weight\"; write one of: "},
      {"modes.csv", "frequency (Hz),", "frequency (Hz),frequency (Hz),", "stands there twice"},
      {"points.csv", "tip,", "top,", "shapes.csv:2: no point is called \"tip\"; "},
      {"points.csv", "600\n", "600\ntip,0,0,1\n", "point \"tip\" stands there twice"},
      {"shapes.csv", "2,tip,0,1,0\n", "", "the shape of mode 2 at point tip is missing"},
      {"shapes.csv", "2,tip", "1,tip", "shapes.csv:3: mode 1 of point tip stands there twice"},
      {"shapes.csv", "2,tip", "7,tip", "shapes.csv:3: there is no mode \"7\""},
      {"shapes.csv", "x,y,z\n", "x,y,z,rx (1/m)\n", "rotations are all three or none"}};
  for (const auto& [file, from, to, said] : cases) EXPECT_THAT(with(file, from, to), HasSubstr(said)) << from << to;
  expect_refusals(plan,
                  {{"named: tip", "named: tap", "mast recovers no point \"tap\"; "},
                   {"mass: 1 kg", "mass: 1 kg, centre: [0 mm, 0 mm, 0 mm]", "go together"},
                   {"mass: 1 kg", "mass: 1 kg, numbers: 5", "mode 5 is chosen, and there are 2"},
                   {"modes: modes.csv", "modes: mode.csv", "mode.csv"},
                   {"fixture: {base: fixture, quantities: [force]}", "skin: {part: mast, quantities: [von Mises]}",
                    "part mast is a component, whose von Mises is not known"},
                   {"quantities: [acceleration, relative displacement]", "quantities: [relative rotation]", ""}},
                  [&](const std::string& text) { return refusal_of(text, good); });
}

// A body on springs that hold no rotation of what they stand on: its motions have no energy, and rounding makes none.
TEST(Reduce, TakesSpringsThatHoldNoRotation) {
  const TemporaryFolder folder;
  for (const char* plan : {"isolated-box.yaml", "box-on-rubber.yaml"}) {
    (void)folder.write(plan, example(plan));
    const Ran ran = run_program(folder, std::string("reduce ") + plan + " --out made");
    EXPECT_EQ(ran.status, 0) << plan << ran.err;
    EXPECT_THAT(ran.out + ran.err, HasSubstr("24 motions of 4 nodes of the interface, 6 modes"));
  }
}

}  // namespace
}  // namespace avrenk
