#include "plan/plan.h"
#include "core/modes/modal_basis.h"
#include "core/system/system.h"

#include <gmock/gmock.h>

#include <random>
#include <sstream>

#include "support/models.h"
#include "support/refusals.h"
#include "support/schema.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using test::expect_refusals;
using test::Refusal;
using test::replaced;
using test::Said;
using test::TemporaryFolder;

// A plan with something of every section; line numbers matter to the tests below.
const std::string mast_on_bracket = R"(title: Mast on a bracket
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
document: {number: SD-217, checked by: R. Okafor}
)";

// The sentences of a refused plan, with the paths of its files cut to their names; a table of levels may stand beside
// it.
std::string problems_of(const std::string& text, const std::vector<Override>& overrides = {},
                        const std::string& name = "mast.yaml", const std::string& levels = "") {
  const TemporaryFolder folder;
  if (!levels.empty()) (void)folder.write("levels.csv", levels);
  try {
    (void)read_plan(folder.write(name, text), overrides);
    EXPECT_EQ(test::complaints_of_plan(test::json_of_yaml(text)), "");
  } catch (const InputError& error) {
    std::string all = error.what();
    const std::string where = folder.path().string() + "/";
    for (std::size_t at; (at = all.find(where)) != std::string::npos;) all.erase(at, where.size());
    return all;
  }
  return "";
}

TEST(Plan, BecomesTheModelItDescribes) {
  const TemporaryFolder folder;
  const Plan plan = read_plan(folder.write("mast.yaml", mast_on_bracket), {});
  const Assembly& model = plan.assembly;
  EXPECT_EQ(plan.title, "Mast on a bracket");
  EXPECT_THAT(plan.document, testing::ElementsAre(std::pair<std::string, std::string>("number", "SD-217"),
                                                  std::pair<std::string, std::string>("checked by", "R. Okafor")));
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
  EXPECT_EQ(plan.limits[1].response()->take_random.sigma, 3);
}

// Every row of the handbook's table of standard materials is what a plan gets by that designation, and it is told that
// these values are typical; what the plan says itself counts instead.
TEST(Plan, TakesMaterialsByTheDesignationOfTheirStandard) {
  std::istringstream page(test::read_all(std::string(AVRENK_SOURCE_DIR) + "/docs/plan.md"));
  const TemporaryFolder folder;
  const std::string own = "{E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, loss factor: 0.4 %}";
  const auto plan_with = [&](const std::string& material) {
    return read_plan(folder.write("mast.yaml", replaced(mast_on_bracket, own, material)), {});
  };
  std::string line;
  while (std::getline(page, line) && !line.starts_with("| standard |")) continue;
  std::getline(page, line);
  int rows = 0;
  for (; std::getline(page, line) && line.starts_with("| "); ++rows) {
    std::vector<std::string> cells;
    for (std::size_t at = 0, end = 0; (end = line.find(" |", at + 1)) != std::string::npos; at = end)
      cells.push_back(line.substr(at + 2, end - at - 2));
    for (std::string& cell : cells) cell.erase(0, cell.find_first_not_of("| "));
    ASSERT_EQ(cells.size(), 7U) << line;
    const Plan plan = plan_with("{standard: " + cells[0] + "}");
    const Material& material = plan.assembly.materials.at(0);
    EXPECT_EQ(material.youngs_modulus, parse_as(kind::stress, cells[1])) << line;
    EXPECT_EQ(material.poissons_ratio, parse_as(kind::number, cells[2])) << line;
    EXPECT_EQ(material.density, parse_as(kind::density, cells[3])) << line;
    ASSERT_EQ(material.yield.has_value(), cells[4] != "—") << line;
    if (material.yield) {
      EXPECT_EQ(*material.yield, parse_as(kind::stress, cells[4])) << line;
      EXPECT_EQ(material.ultimate.value_or(0), parse_as(kind::stress, cells[5])) << line;
      EXPECT_LT(*material.yield, *material.ultimate) << line;
    }
    ASSERT_EQ(material.expansion.has_value(), cells[6] != "—") << line;
    if (material.expansion) {
      EXPECT_DOUBLE_EQ((*material.expansion)[0], parse_as(kind::expansion, cells[6])) << line;
    }
    EXPECT_THAT(plan.notes, testing::Contains(testing::HasSubstr("typical of " + cells[0]))) << line;
  }
  EXPECT_GT(rows, 20);
  const Plan mixed = plan_with("{standard: en aw 7075 t6, E: 70 GPa, yield: 470 MPa, loss factor: 0.4 %}");
  const Material& material = mixed.assembly.materials.at(0);
  EXPECT_EQ(material.youngs_modulus, 70e9);
  EXPECT_EQ(material.yield.value_or(0), 470e6);
  EXPECT_EQ(material.density, 2810);
  EXPECT_EQ(material.loss_factor, 0.004);
  EXPECT_THAT(mixed.notes, testing::Contains(testing::HasSubstr(
                               "material alloy: nu, density, ultimate, expansion typical of EN AW-7075-T6")));
}

// One change a case; the whole sentence, with its place.
TEST(Plan, SaysInOneSentenceWhatIsWrongAndWhere) {
  const std::vector<Refusal> cases{
      {"E: 71 GPa", "E: 71 mm",
       "mast.yaml:5:14: material alloy E: \"71 mm\" is a length; write a stress such as \"71 GPa\""},
      {"E: 71 GPa", "E: 71e9",
       "mast.yaml:5:14: material alloy E: \"71e9\" has no unit; write a stress such as \"71 GPa\""},
      {"E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, ", "standard: EN AW-7075-T66, ",
       "mast.yaml:5:21: material alloy standard: no material \"EN AW-7075-T66\" is known; write \"EN AW-7075-T6\", or "
       "give E, nu and density"},
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
       "mast.yaml:9:15: part mast section: unknown key \"pipe\"; its keys are rod, tube, rectangle, box, I, channel, "
       "angle, T, given"},
      // A key that belongs elsewhere in the same thing.
      {"    material: alloy", "    up: [0, 1, 0]\n    material: alloy",
       "mast.yaml:10:5: part mast: unknown key \"up\"; it belongs in line"},
      {"divisions: 6}", "divisions: 6, material: alloy}",
       "mast.yaml:8:83: part mast line: unknown key \"material\"; it belongs beside line, in part mast"},
      // All that is wrong in a part is said beside its unknown material.
      {"\"${height}\"], divisions: 6}\n    section: {tube: {diameter: 26 mm, wall: 1.5 mm}}\n    material: alloy",
       "300], divisions: 6}\n    section: {tube: {diamter: 26 mm, wall: 1.5 mm}}\n    material: aloy",
       "mast.yaml:8:55: part mast line to: \"300\" has no unit; write a length such as \"8 mm\"\n"
       "mast.yaml:9:21: part mast tube: \"diameter\" is missing; write diameter: 8 mm\n"
       "mast.yaml:9:22: part mast tube: unknown key \"diamter\"; write \"diameter\"\n"
       "mast.yaml:10:15: part mast: no material \"aloy\"; write \"alloy\""},
      {"place: root, holds", "place: [root, tap], holds",
       "mast.yaml:19:27: base fixture: no place \"tap\"; write \"tip\""},
      {"place: root, holds: all", "place: root, feet: {place: tip, holds: z}",
       "mast.yaml:19:32: base fixture: \"place\" and \"feet\" cannot both be given; keep one"},
      {"place: root, holds: all", "feet: [{holds: z}]",
       "mast.yaml:19:20: base fixture feet: \"place\" is missing; write place: PLACE"},
      {"{otherwise: 1.5 %}", "{coupled: yes}",
       "mast.yaml:22:10: damping: \"otherwise\" is missing; write otherwise: 1.5 %, the damping of all that has none "
       "of "
       "its own"},
      {"level: acceptance}", "level: acceptance, frequencies: {at: [50 Hz, 300 Hz]}}",
       "mast.yaml:31:90: environment sine frequencies: 300 Hz lies outside 5 to 200 Hz; ask for frequencies inside the "
       "band"},
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
  expect_refusals(
      mast_on_bracket, cases, [](const std::string& text) { return problems_of(text); }, Said::alone);
  EXPECT_EQ(problems_of("parts: [1, 2"), "mast.yaml:1:1: this is not YAML: end of sequence flow not found");
  EXPECT_EQ(problems_of("just text"),
            "mast.yaml:1:1: a plan is a map of sections; write, for example, parts: and materials: at the left edge");
}

// A plan of two bases with all that the first does not have; its profiles stand in a CSV file.
const std::string rich = R"(title: Bracket on two fixtures
materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, yield: 430 MPa, ultimate: 505 MPa}
  strong: {E: 114 GPa, nu: 0.34, density: 4430 kg/m^3, yield: 830 MPa}
parts:
  post:
    line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, 300 mm], divisions: 4, offset: {to: [0 mm, 5 mm, 0 mm]}, releases: {from: [ry]}}
    section: {channel: {width: 20 mm, height: [30 mm, 24 mm], web: 2 mm, flange: 3 mm}}
    material: alloy
    extra mass: 80 gram/m
    weighed: 0.2 kg
  bar:
    line: {from: [0 mm, 0 mm, 300 mm], to: [400 mm, 0 mm, 300 mm], divisions: 4}
    section: {given: {A: 200 mm^2, Iy: 9000 mm^4, Iz: 6000 mm^4, J: 400 mm^4, shear areas: [150 mm^2, 160 mm^2], fibres: [[8 mm, 12 mm], [-8 mm, -12 mm]], torsion modulus: 90 mm^3, shear centre: [0 mm, 2 mm]}}
    material: strong
places:
  foot: {part: post, plane: {z: 0 mm}}
  top: {part: post, nearest: [0 mm, 0 mm, 300 mm]}
  bar-root: {part: bar, nearest: [0 mm, 0 mm, 300 mm]}
  bar-end: {part: bar, plane: {x: 400 mm}}
base:
  left: {place: foot}
  right: {place: bar-end}
joints:
  corner: {rigid: {lead: top, follow: bar-root}}
damping: {otherwise: {rayleigh: [[20 Hz, 1 %], [900 Hz, 4 %]]}, near: [{frequency: 60 Hz, within: 20 %, Q: 28}, {frequency: 300 Hz, loss factor: 3 %}], coupled: yes}
watch:
  top: {at: top, quantities: [acceleration, transmissibility], axes: {x: [1, 1, 0], y: [-1, 1, 0]}}
  gap: {between: [foot, top], along: z, gap: 4 mm, quantities: [clearance, relative motion]}
  post: {part: post, quantities: [von Mises, shear stress]}
  both: {part: [post, bar], quantities: normal stress}
  hold: {base: right, quantities: [force, apparent mass]}
profiles:
  sweep: {sine: {acceleration: {file: levels.csv, column: level}}, tolerance: 10 %, sweep: 4 oct/min}
  shake: {random: {file: levels.csv, column: psd}, tolerance: {above: 3 dB, below: 1.5 dB}, duration: 60 s}
environments:
  gravity: {static: {acceleration: {z: -1 g}}}
  sine: {profile: sweep, at: left, axes: [x, z], combine: envelope, after: gravity}
  rock: {profile: sweep, axes: z, motion: {left: {amplitude: 1}, right: {amplitude: 0.5, phase: 90 deg}}}
  random: {profile: shake, axes: [x, y], combine: root sum of squares, simultaneous: yes}
factors: {yield: 1.25}
limits:
  stress: {of: post.von Mises, in: [sine, random], take: {sine: peak, random: 3 sigma}, with: gravity, allowable: yield, factors: yield}
  room: {of: gap.clearance, in: [gravity, sine], take: peak, at least: 1 mm}
  level: {of: top.acceleration, in: random.combined, take: 3 sigma, allowable: 90 g, at: upper tolerance}
  weight: {of: mass, below: 2 kg}
  bar-weight: {of: mass, part: bar, above: 100 gram}
)";
const std::string levels = "frequency (Hz),level (g),psd (g^2/Hz)\n10,0.5,0.001\n200,0.5,0.001\n500,0.2,0.0005\n";

TEST(Plan, ReadsSectionsBasesProfilesAndLimitsOfAllKinds) {
  const TemporaryFolder folder;
  (void)folder.write("levels.csv", levels);
  const Plan plan = read_plan(folder.write("bad.yaml", rich), {});
  EXPECT_EQ(test::complaints_of_plan(test::json_of_yaml(rich)), "");
  const Assembly& model = plan.assembly;
  EXPECT_EQ(model.tapers.size(), 4U);
  EXPECT_TRUE(model.beams[0].released[4]);
  EXPECT_NEAR(model.beams[3].geometry.end2.y(), 5e-3, 1e-15);
  EXPECT_NEAR(model.parts[0].extra_mass, 0.08, 1e-15);
  EXPECT_EQ(model.parts[1].section.points.size(), 8U);  // two fibres, each with all signs of shear
  EXPECT_NEAR(model.parts[1].section.shear_factor_z, 0.8, 1e-15);
  ASSERT_EQ(model.bases.size(), 2U);
  EXPECT_NEAR(model.bases[1].point.x(), 0.4, 1e-15);
  EXPECT_TRUE(plan.damping.coupled);
  EXPECT_NEAR(plan.damping.ratio(900), 0.04, 1e-15);
  EXPECT_NEAR(plan.damping.near.at(0).zeta, 1 / 56.0, 1e-15);
  ASSERT_EQ(plan.environments.size(), 4U);
  const Environment &gravity = plan.environments[0], &sine = plan.environments[1], &rock = plan.environments[2],
                    &random = plan.environments[3];
  ASSERT_TRUE(gravity.is_static());
  // Bases that may move apart: the weight is a load, so that each takes its part.
  EXPECT_TRUE(gravity.at_rest().acceleration.isZero(0));
  const Load& weight = model.loads.at(static_cast<std::size_t>(gravity.load_cases.at(0).loads.at(0).load));
  EXPECT_NEAR(weight.columns.at(0).field->z(), -standard_gravity, 1e-12);
  EXPECT_NEAR(sine.input.at(500), 0.2 * standard_gravity, 1e-12);
  EXPECT_NEAR(sine.upper, 1.1, 1e-15);
  EXPECT_EQ(sine.after, "gravity");
  EXPECT_EQ(sine.motions.size(), 1U);  // the other base stands still
  EXPECT_NEAR(std::abs(rock.motions.at(1).factor - Complex(0, 0.5)), 0, 1e-15);
  EXPECT_NEAR(random.upper, std::pow(10, 0.15), 1e-12);
  EXPECT_EQ(random.duration, 60);
  EXPECT_EQ(random.combination, Environment::Combination::root_sum_of_squares);
  EXPECT_NEAR(plan.limits[0].allowable, 430e6, 1);
  EXPECT_EQ(plan.limits[0].property, "yield of alloy");
  EXPECT_EQ(plan.limits[1].response()->at_least, 1e-3);
  EXPECT_TRUE(plan.limits[2].is_at_upper());
  EXPECT_EQ(std::get<MassLimit>(plan.limits[4].kind).part, "bar");

  const std::vector<Refusal> cases{
      {"height: [30 mm, 24 mm]", "height: [30 mm, 24 mm, 20 mm]",
       "bad.yaml:8:47: part post channel height: a size, or the sizes at both ends of the line, are due; write [30 mm, "
       "20 mm]"},
      {"height: [30 mm, 24 mm]", "height: [30 mm, 6 mm]",
       "bad.yaml:8:81: part post channel: the flanges leave no room for the web; write a thinner one, or a solid "
       "section"},
      {"web: 2 mm, flange: 3 mm", "web: 2 mm",
       "bad.yaml:8:24: part post channel: \"flange\" is missing; write flange: 8 mm"},
      {"A: 200 mm^2", "A: 200 mm",
       "bad.yaml:14:26: part bar given A: \"200 mm\" is a length; write an area such as \"120 mm^2\""},
      {"shear areas: [150 mm^2, 160 mm^2]", "shear areas: 150 mm^2",
       "bad.yaml:14:92: part bar given shear areas: two numbers along y and z are due; write [120 mm^2, 120 mm^2]"},
      {"releases: {from: [ry]}", "releases: {from: [ry, rw]}",
       "bad.yaml:7:134: part post line releases: \"rw\" is not known here; write \"rx\""},
      {"releases: {from: [ry]}", "releases: [ry]",
       "bad.yaml:7:122: part post line releases: a list stands here, a map is due; write {key: value, …}"},
      {"extra mass: 80 gram/m", "extra mass: 80 gram",
       "bad.yaml:10:17: part post extra mass: \"80 gram\" is a mass; write a mass per length such as \"0.3 "
       "kg/m\""},
      {"rayleigh: [[20 Hz, 1 %], [900 Hz, 4 %]]", "rayleigh: [[900 Hz, 1 %], [20 Hz, 4 %]]",
       "bad.yaml:26:33: damping rayleigh: two pairs of a frequency and a ratio are due, in rising order; write "
       "{rayleigh: [[30 Hz, 1 %], [300 Hz, 2 %]]}"},
      {"within: 20 %, Q: 28", "within: 20 %",
       "bad.yaml:26:72: damping near: nothing says what it is; give one of: ratio, loss factor, Q"},
      {"coupled: yes", "coupled: maybe",
       "bad.yaml:26:162: damping coupled: \"maybe\" is not known here; write one of: no, yes"},
      {"between: [foot, top]", "between: foot",
       "bad.yaml:29:18: watch gap: two places are due; write between: [PLACE, PLACE]"},
      {"along: z, gap", "along: u, gap", "bad.yaml:29:38: watch gap along: \"u\" is not known here; write \"x\""},
      {"quantities: [clearance, relative motion]", "quantities: [clearence]",
       "bad.yaml:29:65: watch gap: no quantity \"clearence\" here; write \"clearance\""},
      {"base: right, quant", "base: rigth, quant", "bad.yaml:32:16: watch hold: no base \"rigth\"; write \"right\""},
      {"part: post, quantities: [von Mises", "part: post, quantities: [von mises",
       "bad.yaml:30:35: watch post: no quantity \"von mises\" here; write \"von Mises\""},
      {"file: levels.csv, column: level", "file: level.csv, column: level",
       "bad.yaml:34:39: profile sweep: level.csv: there is no such file; paths start from the file of "
       "the plan"},
      {"file: levels.csv, column: level", "file: levels.csv, column: levle",
       "bad.yaml:34:59: profile sweep: the file has no column \"levle\"; write \"level\""},
      {"file: levels.csv, column: psd", "file: levels.csv, column: level",
       "levels.csv:2:1: profile shake: \"0.5 g\" is an acceleration; write an acceleration PSD such as \"0.04 "
       "g^2/Hz\"\nlevels.csv:3:1: profile shake: \"0.5 g\" is an acceleration; write an acceleration PSD such as "
       "\"0.04 g^2/Hz\"\nlevels.csv:4:1: profile shake: \"0.2 g\" is an acceleration; write an acceleration PSD such "
       "as \"0.04 g^2/Hz\""},
      {"tolerance: 10 %", "tolerance: 10 Hz",
       "bad.yaml:34:79: profile sweep tolerance: \"10 Hz\" is a frequency; write a ratio such as \"2 %\""},
      {"tolerance: 10 %", "tolerance: 120 %",
       "bad.yaml:34:79: profile sweep tolerance: a tolerance of 100 % or more is none; write 10 %"},
      {"at: left, axes", "at: middle, axes",
       "bad.yaml:38:30: environment sine: no base \"middle\"; write one of: left, right"},
      {"combine: envelope", "combine: sum",
       "bad.yaml:38:59: environment sine combine: \"sum\" is not known here; write one of: envelope, root sum of "
       "squares"},
      {"simultaneous: yes", "simultaneous: no",
       "bad.yaml:40:51: environment random: a root sum of squares is for axes that are shaken at the same time; write "
       "simultaneous: yes if they are, else combine: envelope"},
      {"after: gravity", "after: rock",
       "bad.yaml:38:76: environment sine after: no environment \"rock\"; write \"gravity\""},
      {"after: gravity", "after: gravty",
       "bad.yaml:38:76: environment sine after: no environment \"gravty\"; write \"gravity\""},
      {"motion: {left: {amplitude: 1}", "motion: {lift: {amplitude: 1}",
       "bad.yaml:39:44: environment rock: no base \"lift\"; write \"left\""},
      {"axes: z, motion", "at: left, axes: z, motion",
       "bad.yaml:39:53: environment rock: \"at\" and \"motion\" cannot both be given; keep one"},
      {"{static: {acceleration: {z: -1 g}}}", "{static: {acceleration: {}}}",
       "bad.yaml:37:36: environment gravity static acceleration: nothing acts; write {z: -1 g}"},
      {"allowable: yield, factors", "allowable: ultimate strength, factors",
       "bad.yaml:43:115: limit stress allowable: \"ultimate strength\" is not a number with a unit; write a stress "
       "such as \"71 GPa\""},
      {"of: post.von Mises, in", "of: both.normal stress, in",
       "bad.yaml:43:119: limit stress: the parts watched differ in their yield stress; watch parts of different "
       "materials apart"},
      {"of: top.acceleration, in: random.combined, take: 3 sigma, allowable: 90 g",
       "of: top.acceleration, in: random.combined, take: 3 sigma, allowable: yield",
       "bad.yaml:45:80: limit level: \"yield\" is a stress, top.acceleration is none; write 4 g"},
      {"take: {sine: peak, random: 3 sigma}", "take: {sine: RMS, random: 3 sigma}",
       "bad.yaml:43:58: limit stress take: a sine environment has a peak, no RMS; write take: {sine: peak, random: 3 "
       "sigma}"},
      {"take: {sine: peak, random: 3 sigma}", "take: 3 sigma",
       "bad.yaml:43:58: limit stress: \"3 sigma\" does not fit sine environment sine; write take: peak"},
      {"in: [sine, random], take: {sine", "in: [sine.combined, random], take: {sine",
       "bad.yaml:43:37: limit stress: a static answer cannot be added to axes that are combined already; write in: "
       "sine"},
      {"in: [sine, random], take: {sine", "in: [sine, random.combined], take: {sine",
       "bad.yaml:43:43: limit stress: a static answer cannot be added to axes that are combined already; write in: "
       "random"},
      {"at least: 1 mm", "at least: 4 mm",
       "bad.yaml:44:72: limit room: at least 4 mm is to be left of a gap of 4 mm; write less than the gap"},
      {"with: gravity", "with: rock",
       "bad.yaml:43:95: limit stress with: environment \"rock\" is not static; name one that is written as {static: "
       "{acceleration: {z: -1 g}}}"},
      {"at least: 1 mm", "at least: 1 mm, allowable: 2 mm",
       "bad.yaml:44:89: limit room: \"at least\" and \"allowable\" cannot both be given; keep one"},
      {"at: upper tolerance", "at: lower tolerance",
       "bad.yaml:45:90: limit level at: \"lower tolerance\" is not known here; write \"upper tolerance\""},
      {"part: bar, above", "part: beam, above",
       "bad.yaml:47:32: limit bar-weight: no part or mass \"beam\"; write one of: post, bar"},
      {"below: 2 kg", "below: 2 N",
       "bad.yaml:46:29: limit weight below: \"2 N\" is a force; write a mass such as \"4.2 kg\""},
      {"of: top.acceleration, in", "of: top.transmissibility, in",
       "bad.yaml:45:41: limit level: top.transmissibility is a ratio to the input and has no RMS; name a sine "
       "environment\nbad.yaml:45:84: limit level allowable: \"90 g\" is an acceleration; write a plain number such as "
       "\"0.33\""},
      {"  rock: {profile", "  rock.y: {profile",
       "bad.yaml:39:11: environment rock.y: a dot parts the name of an environment from its axis; write rock-y"},
      {"  rock: {profile", "  Sine: {profile",
       "bad.yaml:39:3: environments: \"Sine\" differs from \"sine\" in line 38 by capitals alone, and where files are "
       "told apart by their letters only, their results would be one file; choose another name"},
      {"axes: z, motion", "axes: [], motion",
       "bad.yaml:39:32: environment rock: no axis is named, so nothing is shaken; write axes: [x, y, z]"},
      {"combine: envelope", "frequencies: {per octave: 200000}, combine: envelope",
       "bad.yaml:38:76: environment sine frequencies: 200000 points an octave are more than 10000; write per "
       "octave: 24; resonances and peaks have points of their own"},
      {"in: [sine, random], take: {sine", "in: [], take: {sine",
       "bad.yaml:43:36: limit stress: no environment is named, so nothing is judged; write in: random, or a list"},
      {"above: 100 gram}", "above: 100 gram}\n---\nshow: {length: m}",
       "bad.yaml:48:1: a second YAML document begins here, and one file is one plan; take the line --- out"},
      {"yield: 430 MPa, ", "",
       "bad.yaml:43:115: limit stress: material alloy has no yield stress; add it under materials, as in yield: 430 "
       "MPa"},
  };
  const auto told = [](const std::string& text) { return problems_of(text, {}, "bad.yaml", levels); };
  expect_refusals(rich, cases, told, Said::alone);
}

TEST(Plan, TellsOfFilesOutsideItsFolder) {
  const TemporaryFolder folder;
  std::filesystem::create_directory(folder / "plans");
  const std::string alloys = "materials:\n  steel: {E: 200 GPa, nu: 0.3, density: 7850 kg/m^3}\n";
  (void)folder.write("alloys.yaml", alloys);
  (void)folder.write("plans/own.yaml", "values: {pad: 3 mm}\n");
  const std::string file = folder.write("plans/mast.yaml", "include: [../alloys.yaml, own.yaml]\n" + mast_on_bracket);
  const std::vector<std::string> notes = read_plan(file, {}).notes;
  const auto outside = std::filesystem::canonical(folder / "alloys.yaml").string();
  EXPECT_THAT(notes, testing::Contains("the plan reads " + outside + ", which lies outside its folder"));
  EXPECT_THAT(notes, testing::Not(testing::Contains(testing::HasSubstr("own.yaml"))));
}

TEST(Plan, ReportsAllThatIsWrongInOneReading) {
  std::string text = replaced(mast_on_bracket, "E: 71 GPa", "E: 71");
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
  const std::string file = folder.write("mast.yaml", "include: alloys.yaml\n" + mast_on_bracket);
  const Plan plan = read_plan(file, {{"parts.mast.material", "steel"},
                                     {"values.height", "0.5 m"},
                                     {"damping.otherwise", "{loss factor: 3 %}"},
                                     {"modes", "{count: 4}"}});
  EXPECT_EQ(plan.assembly.materials.at(static_cast<std::size_t>(plan.assembly.parts[0].material)).name, "steel");
  EXPECT_NEAR(plan.assembly.nodes[6].position.z(), 0.5, 1e-15);
  EXPECT_EQ(plan.damping.form, DampingRule::Form::loss_factor);
  EXPECT_EQ(plan.modes.count, 4);
  EXPECT_EQ(problems_of(mast_on_bracket, {{"parts.mast.material", "wood"}}),
            "--set parts.mast.material: part mast: no material \"wood\"; write \"alloy\"");
  EXPECT_EQ(problems_of(mast_on_bracket, {{"part.mast.material", "alloy"}}),
            "--set part.mast.material: the plan has no \"part\"; write \"parts\"");
  // A section that the plan does not have is added; nothing else is made on the way.
  EXPECT_EQ(read_plan(file, {{"modes.count", "3"}}).modes.count, 3);
  EXPECT_EQ(problems_of(mast_on_bracket, {{"modes.cuont", "3"}}),
            "--set modes.cuont: modes: unknown key \"cuont\"; write \"count\"");
  EXPECT_EQ(problems_of(mast_on_bracket, {{"parts.mats.material", "alloy"}}),
            "--set parts.mats.material: the plan has no \"mats\"; write \"mast\"");
  EXPECT_EQ(problems_of("include: nowhere.yaml\n" + mast_on_bracket).substr(0, 42),
            "mast.yaml:1:10: include: there is no file ");
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

// A list of places stands where one may; feet of one base are held in other directions at other places.
TEST(Plan, TakesListsOfPlacesAndFeetThatAreHeldDifferently) {
  const TemporaryFolder folder;
  const std::string more =
      replaced(mast_on_bracket, "quantities: force}",
               "quantities: force}\n  both: {at: [tip, corners, tip], quantities: [acceleration]}");
  const auto feet_of = [&](const std::string& base) {
    const Plan plan = read_plan(folder.write("mast.yaml", replaced(more, "place: root, holds: all", base)), {});
    std::vector<SupportNode> feet = plan.assembly.bases[0].feet;
    feet.resize(feet.size() - 2);  // those of the springs
    return feet;
  };
  const auto held = [](const SupportNode& foot) {
    std::string text;
    for (const bool each : foot.holds) text += each ? '1' : '0';
    return text;
  };
  const std::vector<SupportNode> list = feet_of("place: [root, tip], holds: [x, y]");
  ASSERT_EQ(list.size(), 2U);
  EXPECT_EQ(held(list[0]) + held(list[1]), "110000110000");
  // A node of two entries is held in the directions of both.
  const std::vector<SupportNode> feet =
      feet_of("feet: [{place: root, holds: [x, z]}, {place: [root, tip], holds: [y, z]}]");
  ASSERT_EQ(feet.size(), 2U);
  EXPECT_EQ(held(feet[0]) + held(feet[1]), "111000011000");
  const Plan plan = read_plan(folder.write("mast.yaml", more), {});
  EXPECT_EQ(plan.watch.back().items.size(), 3U);
  EXPECT_NEAR(plan.assembly.bases[0].point.norm(), 0, 1e-15);
}

TEST(Plan, TakesDampingInAllItsForms) {
  const auto rule = [](const std::string& otherwise) {
    const TemporaryFolder folder;
    return read_plan(folder.write("mast.yaml", mast_on_bracket), {{"damping.otherwise", otherwise}}).damping;
  };
  EXPECT_EQ(rule("2 %").ratio(70), 0.02);
  EXPECT_EQ(rule("{Q: 25}").ratio(70), 0.02);  // ζ = 1/2Q
  EXPECT_EQ(rule("{loss factor: 4 %}").value, 0.04);
  EXPECT_EQ(rule("{loss factor: 4 %}").ratio(70), 0);
  EXPECT_NEAR(rule("[[600 rpm, 1 %], [1 kHz, 3 %]]").ratio(100), 0.02, 1e-15);  // half way from 10 to 1000 Hz
  EXPECT_THAT(problems_of(mast_on_bracket, {{"damping.otherwise", "{Q: 0.4}"}}),
              testing::HasSubstr("Q below 0.5 is beyond critical"));
  EXPECT_THAT(problems_of(mast_on_bracket, {{"damping.otherwise", "[]"}}),
              testing::HasSubstr("damping: the table is empty"));
  EXPECT_THAT(problems_of(mast_on_bracket, {{"damping.otherwise", "[[50 Hz, 1 %], [20 Hz, 1 %]]"}}),
              testing::HasSubstr("its points do not rise from 50 Hz to 20 Hz"));
  EXPECT_THAT(problems_of(mast_on_bracket, {{"damping.otherwise", "{eta: 3 %}"}}),
              testing::HasSubstr("unknown key \"eta\""));
}

TEST(Plan, TakesSineBranchesAndFactors) {
  std::string text = replaced(mast_on_bracket, "sine: {acceleration:", "sine: {displacement: 1 mm, acceleration:");
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
      replaced(replaced(mast_on_bracket, "material: alloy", "material: alloy\n    copies: {mirror: [x, y]}"),
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

// Whatever is cut out of a plan, it is read or refused with a place; it never ends the program. What is read satisfies
// the schema.
TEST(Plan, SurvivesAnyMutilation) {
  const TemporaryFolder folder;
  std::mt19937 generator(5);
  int refused = 0;
  for (int trial = 0; trial < 400; ++trial) {
    std::string text = mast_on_bracket;
    for (auto cuts = 1 + generator() % 3; cuts > 0; --cuts) {
      const std::size_t at = generator() % text.size(), length = 1 + generator() % 12;
      if (generator() % 3 == 0)
        text.insert(at, text.substr(generator() % text.size(), length));
      else
        text.erase(at, length);
    }
    try {
      (void)read_plan(folder.write("mast.yaml", text), {});
      EXPECT_EQ(test::complaints_of_plan(test::json_of_yaml(text)), "") << text;
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
    const CaseResults outcome = test::run_along(plan.environments[0], 0, system, basis, damping, watched);
    frequencies.push_back(basis.frequency(0));
    peaks.push_back(outcome.sine()->rows[0].peak.value);
  }
  for (std::size_t i = 1; i < frequencies.size(); ++i) {
    EXPECT_NEAR(frequencies[i] / frequencies[0], 1, 1e-11) << i;
    EXPECT_NEAR(peaks[i] / peaks[0], 1, 1e-9) << i;
  }
}

}  // namespace
}  // namespace avrenk
