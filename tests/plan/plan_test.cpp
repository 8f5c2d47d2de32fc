#include "plan/plan.h"

#include <gmock/gmock.h>

#include <random>

#include "support/models.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using test::replaced;
using test::TemporaryFolder;

// A plan with something of every section; line numbers matter to the tests below.
const std::string good = R"(title: Mast on a bracket
show: {acceleration: m/s^2}
values: {height: 600 mm}
materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, loss factor: 0.4 %}
parts:
  mast:
    line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, "${height}"], divisions: 6}
    section: {tube: {diameter: 26 mm, wall: 1.5 mm}}
    material: alloy
places:
  root: {part: mast, plane: {z: 0 mm}}
  tip: {part: mast, nearest: [0 mm, 0 mm, 900 mm]}
  corners: {points: [[50 mm, 0 mm, 0 mm], [-50 mm, 0 mm, 0 mm]]}
masses:
  antenna: {mass: 180 gram, at: tip, offset: [0 mm, 0 mm, 15 mm]}
  box: {mass: 2 kg, position: [0 mm, 0 mm, 50 mm], carried by: corners, inertia: {xx: 0.01 kg m^2, yy: 0.01 kg m^2, zz: 0.01 kg m^2}}
base:
  fixture: {place: root, holds: all}
joints:
  mount: {spring: {from: corners, to: fixture, each: {x: 90 N/mm, y: 90 N/mm, z: 140 N/mm}, dashpot: {z: 20 N s/m}}}
damping: {otherwise: 1.5 %}
watch:
  tip: {at: tip, quantities: [acceleration, relative displacement]}
  mounts: {joint: mount, quantities: force}
profiles:
  sweep: {sine: {acceleration: [[5 Hz, 0.5 g], [200 Hz, 0.5 g]]}}
  shake: {random: [[20 Hz, +6 dB/oct], [80 Hz, 0.04 g^2/Hz], [300 Hz, 0.04 g^2/Hz]]}
levels: {acceptance: -3 dB}
environments:
  sine: {profile: sweep, at: fixture, axes: [x, z], level: acceptance}
  random: {profile: shake, axes: y}
limits:
  first: {of: frequency, along: x, effective mass above: 10 %, above: 25 Hz}
  travel: {of: tip.relative displacement, in: random.y, take: 3 sigma, allowable: 10 mm}
)";

std::string problems_of(const std::string& text, const std::vector<Override>& overrides = {}) {
  const TemporaryFolder folder;
  const std::string file = folder.write("mast.yaml", text);
  try {
    (void)read_plan(file, overrides);
  } catch (const InputError& error) {
    std::string all = error.what();
    for (std::size_t at; (at = all.find(file)) != std::string::npos;) all.replace(at, file.size(), "mast.yaml");
    return all;
  }
  return "";
}

TEST(Plan, BecomesTheModelItDescribes) {
  const TemporaryFolder folder;
  const Plan plan = read_plan(folder.write("mast.yaml", good), {});
  const Assembly& model = plan.assembly;
  EXPECT_EQ(plan.title, "Mast on a bracket");
  EXPECT_EQ(plan.show.unit(kind::acceleration).text, "m/s²");
  EXPECT_EQ(model.beams.size(), 6U);
  EXPECT_EQ(model.nodes.size(), 7U + 2 + 1 + 2);  // mast, corners, box, the isolators' ends on the base
  EXPECT_EQ(model.bases[0].feet.size(), 3U);
  EXPECT_NEAR(total_mass(model).mass, 0.18 + 2 + 2810 * 0.6 * pi * (0.013 * 0.013 - 0.0115 * 0.0115), 1e-12);
  EXPECT_EQ(model.materials[0].loss_factor, 0.004);
  ASSERT_EQ(model.springs.size(), 2U);
  EXPECT_EQ(model.springs[1].stiffness[2], 140e3);
  EXPECT_EQ(model.springs[1].dashpot[2], 20);
  EXPECT_EQ(plan.damping.value, 0.015);
  EXPECT_NEAR(*plan.modes.up_to, 450, 1e-9);  // 1.5 times 300 Hz, and said
  EXPECT_THAT(plan.notes, testing::ElementsAre(
                              "modes: up to 450 Hz, 1.5 times the highest frequency excited or limited (default)"));
  ASSERT_EQ(plan.environments.size(), 2U);
  EXPECT_NEAR(plan.environments[0].input.at(50), 0.5 * standard_gravity * std::pow(10, -3.0 / 20), 1e-12);
  EXPECT_NEAR(plan.environments[1].input.at(20) / (0.04 * std::pow(standard_gravity, 2)), std::pow(10, -1.2), 1e-12);
  EXPECT_EQ(plan.watch.size(), 3U);
  EXPECT_EQ(plan.limits[1].take_random.sigma, 3);
}

struct Bad {
  const char *from, *to, *sentence;
};

// One change a case; the whole sentence, with its place.
TEST(Plan, SaysInOneSentenceWhatIsWrongAndWhere) {
  const Bad cases[] = {
      {"E: 71 GPa", "E: 71 mm",
       "mast.yaml:5:14: material alloy E: \"71 mm\" is a length; write a stress such as \"71 GPa\""},
      {"E: 71 GPa", "E: 71e9",
       "mast.yaml:5:14: material alloy E: \"71e9\" has no unit; write a stress such as \"71 GPa\""},
      {"nu: 0.33", "nu: 0.53", "mast.yaml:5:26: material alloy: nu = 0.53 is impossible; it lies between -1 and 0.5"},
      {"density: 2810 kg/m^3, ", "",
       "mast.yaml:5:10: material alloy: \"density\" is missing; write density: 2810 kg/m^3"},
      {"loss factor", "los factor",
       "mast.yaml:5:54: material alloy: unknown key \"los factor\"; write \"loss factor\""},
      {"material: alloy", "material: aloy", "mast.yaml:10:15: part mast: no material \"aloy\"; write \"alloy\""},
      {"divisions: 6", "divisions: 6.5",
       "mast.yaml:8:80: part mast line divisions: \"6.5\" is not a whole number above zero; write, for example, 8"},
      {"\"${height}\"", "\"${heigth}\"", "mast.yaml:8:55: no value \"heigth\"; write \"height\""},
      {"\"${height}\"", "0 mm", "mast.yaml:8:11: part mast line: it begins where it ends; give two different points"},
      {"wall: 1.5 mm", "wall: 15 mm",
       "mast.yaml:9:45: part mast tube: the wall is thicker than half the diameter; write a thinner one, or a solid "
       "section"},
      {"tube: {", "pipe: {",
       "mast.yaml:9:14: part mast section: nothing says what it is; give one of: rod, tube, rectangle, box, I, "
       "channel, angle, T, given\n"
       "mast.yaml:9:15: part mast section: unknown key \"pipe\"; write one of: rod, tube, rectangle, box, I, channel, "
       "angle, T, given"},
      {"plane: {z: 0 mm}", "plane: {z: 7 mm}",
       "mast.yaml:12:29: place root: no node lies there; check the coordinates, or let a line end there"},
      {"nearest: [0 mm, 0 mm, 900 mm]", "nearest: [0 mm, 0 mm]",
       "mast.yaml:13:30: place tip nearest: 2 numbers stand here, three are due; write [8 mm, 8 mm, 8 mm]"},
      {"mass: 180 gram", "mass: -180 gram",
       "mast.yaml:16:19: mass antenna mass: \"-180 gram\" is negative; write a mass such as \"4.2 kg\""},
      {"mass: 180 gram", "mass: 180 g",
       "mast.yaml:16:19: mass antenna mass: \"180 g\" is an acceleration; write a mass such as \"4.2 kg\""},
      {"at: tip, offset", "at: tap, offset", "mast.yaml:16:33: mass antenna: no place \"tap\"; write \"tip\""},
      {"xx: 0.01 kg m^2", "xx: 0.03 kg m^2",
       "mast.yaml:17:82: mass box inertia: no body has the principal moments 0.01, 0.01, 0.03 kg m^2; the largest is "
       "at most the sum of the other two"},
      {"carried by: corners", "carried by: root", ""},
      {"holds: all", "holds: [x, u]", "mast.yaml:19:37: base fixture holds: \"u\" is not known here; write \"x\""},
      {"to: fixture", "to: fixtur", "mast.yaml:21:39: joint mount: no place \"fixtur\"; write \"fixture\""},
      {"x: 90 N/mm", "x: 90 N",
       "mast.yaml:21:58: joint mount each x: \"90 N\" is a force; write a stiffness such as \"90 N/mm\""},
      {"otherwise: 1.5 %", "otherwise: 1.5",
       "mast.yaml:22:22: damping: a damping ratio of 1.5 is beyond critical; did you mean 1.5 %?"},
      {"[acceleration, rel", "[displacement, rel",
       "mast.yaml:24:31: watch tip: \"displacement\" may be relative to the base or absolute; write \"relative "
       "displacement\" or \"absolute displacement\""},
      {"quantities: force", "quantities: forse",
       "mast.yaml:25:38: watch mounts: no quantity \"forse\" here; write \"force\""},
      {"[200 Hz, 0.5 g]", "[2 Hz, 0.5 g]",
       "mast.yaml:27:48: profile sweep: frequencies fall from 5 to 2 Hz; write them in rising order"},
      {"[[5 Hz, 0.5 g], [200 Hz, 0.5 g]]", "[]",
       "mast.yaml:27:32: profile sweep: the table is empty; give at least two points"},
      {"0.04 g^2/Hz], [300", "0.04 g/Hz], [300",
       "mast.yaml:28:48: profile shake: \"0.04 g/Hz\" is a velocity; write an acceleration PSD such as \"0.04 "
       "g^2/Hz\""},
      {"axes: [x, z]", "axes: [x, rx]",
       "mast.yaml:31:45: environment sine: axis rx is a rotation, profile sweep is given in translations; use x, y, z"},
      {"level: acceptance", "level: aceptance",
       "mast.yaml:31:60: environment sine level: no level \"aceptance\"; write \"acceptance\""},
      {"profile: shake", "profile: shaek",
       "mast.yaml:32:21: environment random: no profile \"shaek\"; write \"shake\""},
      {"above: 25 Hz", "below: 25 Hz, above: 10 Hz",
       "mast.yaml:34:10: limit first: one bound is due; write above: 20 Hz, or below: 20 Hz"},
      {"of: tip.relative displacement", "of: tip.relative displacment",
       "mast.yaml:35:16: limit travel: \"tip.relative displacment\" is not watched; write \"tip.relative "
       "displacement\""},
      {"in: random.y", "in: random.z",
       "mast.yaml:35:47: limit travel in: environment random has no axis \"z\"; write \"y\""},
      {"take: 3 sigma", "take: peak",
       "mast.yaml:35:63: limit travel: \"peak\" does not fit random environment random.y; write take: 3 sigma, or RMS"},
      {"allowable: 10 mm", "allowable: 10 g",
       "mast.yaml:35:83: limit travel allowable: \"10 g\" is an acceleration; write a length such as \"8 mm\""},
      {"acceleration: m/s^2", "acceleration: mm",
       "mast.yaml:2:22: show acceleration: \"mm\" is a length's unit; write a unit of an acceleration such as g"},
      {"[[5 Hz, 0.5 g], [200 Hz, 0.5 g]]", "0.5 g",
       "mast.yaml:27:17: profile sweep: no branch says from which frequency to which; write one as a table: "
       "acceleration: [[5 Hz, 4 g], [100 Hz, 4 g]]"},
      {"{acceleration: [[5 Hz, 0.5 g], [200 Hz, 0.5 g]]}", "{}",
       "mast.yaml:27:17: profile sweep: nothing says what it is; write one as a table: acceleration: [[5 Hz, 4 g], "
       "[100 Hz, 4 g]]"},
      {"allowable: 10 mm", "allowable: 10 mm, factors: model",
       "mast.yaml:35:99: limit travel factors: no factor \"model\"; the plan declares no factor"},
      {"levels: {", "factors: {model: 0.9}\nlevels: {",
       "mast.yaml:29:18: factor model: a factor of 0.9 makes limits easier to meet; write 1 or more"},
      {"limits:", "limit:", "mast.yaml:33:1: unknown key \"limit\"; write \"limits\""},
      {"  first: {of", "  travel: {of", "mast.yaml:35:3: \"travel\" is given twice; it stands already in line 34"},
      {"base:\n  fixture: {place: root, holds: all}", "base: {}",
       "mast.yaml:18:7: base: no base is given; write base: {fixture: {place: feet}}\n"
       "mast.yaml:20:39: joint mount: no place \"fixture\"; write one of: root, tip, corners, box, ground"}};
  for (const Bad& bad : cases) {
    SCOPED_TRACE(bad.to);
    EXPECT_EQ(problems_of(replaced(good, bad.from, bad.to)), bad.sentence);
  }
  EXPECT_EQ(problems_of("parts: [1, 2"), "mast.yaml:1:1: this is not YAML: end of sequence flow not found");
  EXPECT_EQ(problems_of("just text"),
            "mast.yaml:1:1: a plan is a map of sections; write, for example, parts: and materials: at the left edge");
}

TEST(Plan, ReportsAllThatIsWrongInOneReading) {
  std::string text = replaced(good, "E: 71 GPa", "E: 71");
  text = replaced(text, "mass: 180 gram", "mass: 180 lb");
  text = replaced(text, "allowable: 10 mm", "allowable: 10");
  EXPECT_THAT(problems_of(text),
              testing::AllOf(testing::HasSubstr("mast.yaml:5:14:"), testing::HasSubstr("mast.yaml:16:19:"),
                             testing::HasSubstr("mast.yaml:35:83:")));
  const std::string sentences = problems_of(text);
  EXPECT_EQ(std::count(sentences.begin(), sentences.end(), '\n'), 2);  // a broken material is not also an unknown one
}

TEST(Plan, TakesOverridesIncludesAndValues) {
  const TemporaryFolder folder;
  (void)folder.write("alloys.yaml",
                     "materials:\n  steel: {E: 200 GPa, nu: 0.3, density: 7850 kg/m^3}\nvalues: {pad: 3 mm}\n");
  const std::string file = folder.write("mast.yaml", "include: alloys.yaml\n" + good);
  const Plan plan = read_plan(file, {{"parts.mast.material", "steel"},
                                     {"values.height", "0.5 m"},
                                     {"damping.otherwise", "{loss factor: 3 %}"},
                                     {"modes", "{count: 4}"}});
  EXPECT_EQ(plan.assembly.materials.at(static_cast<std::size_t>(plan.assembly.parts[0].material)).name, "steel");
  EXPECT_NEAR(plan.assembly.nodes[6].position.z(), 0.5, 1e-15);
  EXPECT_EQ(plan.damping.form, DampingRule::Form::loss_factor);
  EXPECT_EQ(plan.modes.count, 4);
  EXPECT_EQ(problems_of(good, {{"parts.mast.material", "wood"}}),
            "--set parts.mast.material: part mast: no material \"wood\"; write \"alloy\"");
  EXPECT_EQ(problems_of(good, {{"part.mast.material", "alloy"}}),
            "--set part.mast.material: the plan has no \"part\"; write \"parts\"");
  EXPECT_EQ(problems_of("include: nowhere.yaml\n" + good).substr(0, 42), "mast.yaml:1:10: include: there is no file ");
  (void)folder.write("alloys.yaml",
                     "materials:\n  alloy: {E: 200 GPa, nu: 0.3, density: 7850 kg/m^3}\ninclude: mast.yaml\n");
  try {
    (void)read_plan(file, {});
    ADD_FAILURE();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), testing::HasSubstr("alloys.yaml:2:3: \"alloy\" is defined twice; the other is at "));
    EXPECT_THAT(error.what(), testing::HasSubstr("alloys.yaml:3:10: include: mast.yaml includes itself"));
  }
  EXPECT_THROW((void)read_plan((folder / "none.yaml").string(), {}), FileError);
  EXPECT_THROW((void)parse_override("values.height"), InputError);
}

TEST(Plan, TakesDampingInAllItsForms) {
  const auto rule = [](const std::string& otherwise) {
    const TemporaryFolder folder;
    return read_plan(folder.write("mast.yaml", good), {{"damping.otherwise", otherwise}}).damping;
  };
  EXPECT_EQ(rule("2 %").ratio(70), 0.02);
  EXPECT_EQ(rule("{Q: 25}").ratio(70), 0.02);  // ζ = 1/2Q
  EXPECT_EQ(rule("{loss factor: 4 %}").value, 0.04);
  EXPECT_EQ(rule("{loss factor: 4 %}").ratio(70), 0);
  EXPECT_NEAR(rule("[[600 rpm, 1 %], [1 kHz, 3 %]]").ratio(100), 0.02, 1e-15);  // half way from 10 to 1000 Hz
  EXPECT_THAT(problems_of(good, {{"damping.otherwise", "{Q: 0.4}"}}),
              testing::HasSubstr("Q below 0.5 is beyond critical"));
  EXPECT_THAT(problems_of(good, {{"damping.otherwise", "[]"}}), testing::HasSubstr("damping: the table is empty"));
  EXPECT_THAT(problems_of(good, {{"damping.otherwise", "[[50 Hz, 1 %], [20 Hz, 1 %]]"}}),
              testing::HasSubstr("frequencies do not rise from 50 to 20 Hz"));
  EXPECT_THAT(problems_of(good, {{"damping.otherwise", "{eta: 3 %}"}}), testing::HasSubstr("unknown key \"eta\""));
}

TEST(Plan, TakesSineBranchesAndFactors) {
  std::string text = replaced(good, "sine: {acceleration:", "sine: {displacement: 1 mm, acceleration:");
  text = replaced(text, "allowable: 10 mm", "allowable: 10 mm, factors: [yield, model]");
  text = replaced(text, "levels: {", "factors: {yield: 1.25, model: 1.2}\nlevels: {");
  const TemporaryFolder folder;
  const Plan plan = read_plan(folder.write("mast.yaml", text), {});
  const LogLogTable& sweep = plan.profiles[0].table;
  EXPECT_NEAR(sweep.breakpoints().at(1), std::sqrt(0.5 * standard_gravity / 1e-3) / (2 * pi),
              1e-9);  // where 1 mm meets 0.5 g
  EXPECT_NEAR(sweep.at(6), 1e-3 * std::pow(2 * pi * 6, 2), 1e-12);
  EXPECT_EQ(plan.limits[1].factor, 1.5);
  EXPECT_EQ(plan.limits[1].factors, "yield 1.25 × model 1.2");
}

TEST(Plan, MirrorsLinesAndJoinsThemWhereTheyMeet) {
  const std::string text =
      replaced(replaced(good, "material: alloy", "material: alloy\n    copies: {mirror: [x, y]}"),
               "line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, \"${height}\"], divisions: 6}",
               "line: [{from: [30 mm, 20 mm, 0 mm], to: [0 mm, 0 mm, 600 mm], divisions: 3}, "
               "{through: [[0 mm, 0 mm, 600 mm], [0 mm, 0 mm, 700 mm], [0 mm, 0 mm, 800 mm]], element: 60 mm}]");
  const TemporaryFolder folder;
  const Assembly model = read_plan(folder.write("mast.yaml", text), {}).assembly;
  EXPECT_EQ(model.beams.size(), 4U * 3 + 4);  // the post on the axis is its own image and is not doubled
  EXPECT_EQ(model.places.at("root").size(), 4U);
  EXPECT_EQ(std::count_if(model.nodes.begin(), model.nodes.end(), [](const Node& n) { return n.origin == "mast"; }),
            4 * 3 + 1 + 4);
}

// Whatever is cut out of a plan, it is read or refused with a place; it never ends the program.
TEST(Plan, SurvivesAnyMutilation) {
  const TemporaryFolder folder;
  std::mt19937 generator(5);
  int refused = 0;
  for (int trial = 0; trial < 400; ++trial) {
    std::string text = good;
    for (auto cuts = 1 + generator() % 3; cuts > 0; --cuts) {
      const std::size_t at = generator() % text.size(), length = 1 + generator() % 12;
      if (generator() % 3 == 0)
        text.insert(at, text.substr(generator() % text.size(), length));
      else
        text.erase(at, length);
    }
    try {
      (void)read_plan(folder.write("mast.yaml", text), {});
    } catch (const InputError& error) {
      ++refused;
      ASSERT_FALSE(error.problems.empty());
      for (const Problem& problem : error.problems) {
        EXPECT_TRUE(problem.place.has_value()) << problem.sentence();
        EXPECT_FALSE(problem.wrong.empty());
      }
    }
  }
  EXPECT_GT(refused, 200);
}

// The same mast in four families of units: no physical answer changes.
TEST(Plan, GivesTheSameAnswerInAnyUnits) {
  const std::string mast = test::read_all(std::string(AVRENK_SOURCE_DIR) + "/examples/mast.yaml");
  struct Family {
    const char *height, *stiffness, *density, *diameter, *wall, *antenna, *level;
  };
  const Family families[] = {
      {"600 mm", "58 GPa", "1600 kg/m^3", "26 mm", "1.5 mm", "180 gram", "0.5 g"},
      {"0.6 m", "58e9 N/m^2", "1.6 gram/cm^3", "2.6 cm", "1.5e-3 m", "0.18 kg", "4.903325 m/s^2"},
      {"600 mm", "58000 N/mm^2", "1.6e-9 tonne/mm^3", "26 mm", "1.5 mm", "1.8e-4 tonne", "4903.325 mm/s^2"},
      {"23.62204724409449 in", "8412188.788352136 psi", "0.0578036672001339 lbm/in^3", "1.0236220472440944 in",
       "0.05905511811023623 in", "0.3968320719327796 lbm", "193.04429133858267 in/s^2"}};
  std::vector<double> frequencies, peaks;
  for (const Family& f : families) {
    std::string text = replaced(mast, "height: 600 mm", std::string("height: ") + f.height);
    text = replaced(text, "58 GPa", f.stiffness);
    text = replaced(text, "1600 kg/m^3", f.density);
    text = replaced(text, "diameter: 26 mm", std::string("diameter: ") + f.diameter);
    text = replaced(text, "wall: 1.5 mm", std::string("wall: ") + f.wall);
    text = replaced(text, "180 gram", f.antenna);
    text = replaced(replaced(text, "[5 Hz, 0.5 g]", std::string("[5 Hz, ") + f.level + "]"), "[200 Hz, 0.5 g]",
                    std::string("[12000 rpm, ") + f.level + "]");
    const TemporaryFolder folder;
    const Plan plan = read_plan(folder.write("mast.yaml", text), {});
    const System system = make_system(plan.assembly);
    const ModalBasis basis = solve_modes(plan.assembly, system, plan.modes);
    const ModalDamping damping = damp(system, basis, plan.damping);
    const auto watched = watch(plan.assembly, Channels(plan.assembly, system, basis, damping), plan.watch);
    const Outcome outcome = run_environment(plan.environments[0], 0, system, basis, damping, watched);
    frequencies.push_back(basis.frequency(0));
    peaks.push_back(outcome.sine[0].peak.value);
  }
  for (std::size_t i = 1; i < frequencies.size(); ++i) {
    EXPECT_NEAR(frequencies[i] / frequencies[0], 1, 1e-11) << i;
    EXPECT_NEAR(peaks[i] / peaks[0], 1, 1e-9) << i;
  }
}

}  // namespace
}  // namespace avrenk
