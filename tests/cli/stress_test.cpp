// Shells and solids through the built program: what check says of them, stress as table, field and picture.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <nlohmann/json.hpp>
#include <sstream>
#include <tuple>

#include "files/vtu.h"
#include "support/program.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::example;
using test::Ran;
using test::run_program;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using Json = nlohmann::json;

// One bar as shells and as solids, shaken across.
const std::string bars = R"(title: One bar twice
materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, yield: 430 MPa}
parts:
  sheet: {plate: {size: [200 mm, 20 mm], divisions: [20, 3]}, thickness: 6 mm, material: alloy, position: [100 mm, 100 mm, 0 mm]}
  block: {box: {size: [200 mm, 20 mm, 6 mm], divisions: [20, 2, 1]}, elements: quadratic solids, material: alloy, position: [100 mm, 200 mm, -3 mm]}
places:
  edge: {plane: {x: 0 mm}}
base:
  fixture: {place: edge, holds: all}
damping: {otherwise: 2 %}
watch:
  metal: {part: [sheet, block], quantities: [von Mises]}
  grain: {part: block, quantities: [principal stress, stress xx, stress zx]}
profiles:
  sweep: {sine: {acceleration: [[20 Hz, 1 g], [2000 Hz, 1 g]]}}
  noise: {random: [[20 Hz, 0.02 g^2/Hz], [2000 Hz, 0.02 g^2/Hz]]}
environments:
  gravity: {static: {acceleration: {z: -1 g}}}
  sine: {profile: sweep, at: fixture, axes: [z, y], after: gravity}
  random: {profile: noise, at: fixture, axes: [y, z], combine: root sum of squares, simultaneous: yes}
limits:
  stress: {of: metal.von Mises, in: [sine, random], take: {sine: peak, random: 3 sigma}, with: gravity, allowable: yield}
)";

std::vector<std::vector<std::string>> csv(const std::string& text) {
  std::vector<std::vector<std::string>> rows;
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) {
    rows.emplace_back();
    std::istringstream cells(line);
    for (std::string cell; std::getline(cells, cell, ',');) rows.back().push_back(cell);
  }
  return rows;
}

double largest(const Json& table, const std::string& in, const std::string& of = "von Mises") {
  double value = 0;
  for (const Json& row : table.at("rows"))
    if (row[1] == in && row[3] == of) value = std::max(value, std::abs(row[2].get<double>()));
  return value;
}

TEST(StressOfARun, IsTheSameInTablesFieldsAndWhatIsWatched) {
  const TemporaryFolder folder;
  (void)folder.write("bars.yaml", bars);
  const Ran ran = run_program(folder, "run bars.yaml --full");
  ASSERT_EQ(ran.status, 0) << ran.err;
  std::string in_one_line = ran.out;
  std::replace(in_one_line.begin(), in_one_line.end(), '\n', ' ');
  EXPECT_THAT(in_one_line,
              AllOf(HasSubstr("Largest stress of each part"), HasSubstr("may be up to 1 % low between grid points")));
  const std::filesystem::path results = folder / "bars-results";
  const Json tables = Json::parse(test::read_all(results / "summary.json")).at("tables");
  for (const std::string name : {"gravity", "sine.z", "sine.y", "random.z"}) {
    const double worst = largest(tables.at("stress"), name);
    // Static answer of the clamped bar in bending: ½ρgL²·6/t, less what one element leaves at the root.
    if (name == "gravity") {
      EXPECT_NEAR(worst / (0.5e-6 * 2810 * 9.80665 * 0.04 * 6 / 0.006), 1, 0.06);
    }
    const Json& watched = tables.at(name == "gravity" ? "gravity.static" : name + (name[0] == 's' ? ".peaks" : ".rms"));
    EXPECT_NEAR(watched.at("rows")[0][1].get<double>() / worst, 1, 1e-8) << name;
    const auto rows = csv(test::read_all(results / ("tables/" + name + ".stress.csv")));
    EXPECT_EQ(rows[0][5], "von Mises (MPa)");
    for (std::size_t i = 2; i < rows.size(); ++i) ASSERT_LE(std::stod(rows[i][5]), std::stod(rows[i - 1][5]));
    EXPECT_NEAR(std::stod(rows[1][5]) / worst, 1, 1e-8);
    const Grid grid = read_vtu(test::read_all(results / ("fields/" + name + ".stress.vtu")), name);
    EXPECT_EQ(grid.points.size(), rows.size() - 1);
    EXPECT_EQ(grid.types.size(), 60U + 40);
    ASSERT_EQ(grid.point_arrays.size(), name[0] == 's' ? 5U + 6 + 5 + 5 : 3U + 4 + 3 + 3);
    double in_field = 0;
    for (int level = 0; level < 3; ++level)
      for (const double value : grid.point_arrays[static_cast<std::size_t>(level)].values)
        in_field = std::max(in_field, value);
    EXPECT_NEAR(in_field / worst, 1, 1e-8);
    EXPECT_TRUE(std::filesystem::exists(results / ("figures/" + name + ".stress.png")));
    // Of the other quantities likewise; what was not asked for of a part is not there.
    for (const auto& [of, file, row] :
         {std::tuple("principal stress", ".stress.principal", 1U), std::tuple("stress xx", ".stress.xx", 2U),
          std::tuple("stress zx", ".stress.zx", 3U)}) {
      const double own = largest(tables.at("stress"), name, of);
      EXPECT_NEAR(std::abs(watched.at("rows")[row][1].get<double>()) / own, 1, 1e-8) << name << " " << of;
      const auto nodes = csv(test::read_all(results / ("tables/" + name + file + ".csv")));
      EXPECT_EQ(nodes[0][5], std::string(of) + " (MPa)");
      EXPECT_NEAR(std::abs(std::stod(nodes[1][5])) / own, 1, 1e-8);
      EXPECT_LT(nodes.size(), rows.size());
      EXPECT_TRUE(std::filesystem::exists(results / ("figures/" + name + file + ".png")));
    }
    // Bent along z, or along y: uniaxial but for the root, where the sides are held.
    const double principal = largest(tables.at("stress"), name, "principal stress"),
                 along = largest(tables.at("stress"), name, "stress xx");
    EXPECT_GE(principal, along * (1 - 1e-9));
    EXPECT_NEAR(principal / along, 1, 0.04);
  }
  // Two axes together, place by place: as large as the larger of them at least.
  const double combined = tables.at("random.combined.rms").at("rows")[0][1].get<double>();
  EXPECT_GE(combined, largest(tables.at("stress"), "random.z") * (1 - 1e-9));
  EXPECT_LE(combined, std::hypot(largest(tables.at("stress"), "random.z"), largest(tables.at("stress"), "random.y")) *
                          (1 + 1e-9));
  const std::string report = test::read_all(results / "report.md");
  EXPECT_THAT(report, AllOf(HasSubstr("## Stress"), HasSubstr("figures/sine.z.stress.png"),
                            HasSubstr("figures/gravity.stress.png")));
  // Only what is watched is looked at where nobody will look at fields: the same answer.
  const Ran bare = run_program(folder, "run bars.yaml --full --no-figures --out bare");
  ASSERT_EQ(bare.status, 0);
  const Json again = Json::parse(test::read_all(folder / "bare/summary.json")).at("tables");
  EXPECT_EQ(again.at("sine.z.peaks"), tables.at("sine.z.peaks"));
  EXPECT_EQ(run_program(folder, "modes bars.yaml --full --no-figures --out modes").status, 0);
}

TEST(CheckOfShellsAndSolids, SaysElementsSizesAndHowFarTheMeshIsGood) {
  const TemporaryFolder folder;
  (void)folder.write("payload-deck.yaml", example("payload-deck/payload-deck.yaml"));
  (void)folder.write("mast-foot.vtu", example("payload-deck/mast-foot.vtu"));
  const std::string coarse =
      " --set values.element=\"45 mm\" --set values.barrel-around=16 --set values.barrel-along=8";
  const Ran fine = run_program(folder, "check payload-deck.yaml");
  ASSERT_EQ(fine.status, 0) << fine.err;
  EXPECT_THAT(fine.out, HasSubstr("Check: nothing found")) << fine.out;
  EXPECT_THAT(fine.out, AllOf(HasSubstr("shells of 4"), HasSubstr("hexahedra of 20"), HasSubstr("good to")));
  const Ran ran = run_program(folder, "check payload-deck.yaml --quiet" + coarse);
  ASSERT_EQ(ran.status, 0) << ran.err;
  for (const char* part : {"deck", "ribs", "barrel"})
    EXPECT_THAT(ran.err, HasSubstr(std::string("warning: part ") + part + ": its elements of 4"));
  EXPECT_THAT(ran.err, HasSubstr("Hz are excited; elements of"));
  EXPECT_EQ(run_program(folder, "sine payload-deck.yaml --no-figures" + coarse).status, 1);
}

TEST(CheckOfShellsAndSolids, WarnsOfTetrahedraThatAreTooStiff) {
  const TemporaryFolder folder;
  Show metres;
  metres.set(kind::length, "m");
  (void)folder.write(
      "block.vtu", to_vtu(model_grid(test::part_of(test::distorted_block(SolidShape::tetrahedron4, {0.1, 0.1, 0.1}, 2),
                                                   test::solid_part("block")),
                                     metres)));
  (void)folder.write(
      "block.yaml",
      "materials:\n  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3}\nparts:\n  block: {mesh: block.vtu, "
      "length: m, material: alloy}\nplaces:\n  root: {part: block, plane: {z: 0 mm}}\nbase:\n  fixture: {place: "
      "root}\n");
  const Ran ran = run_program(folder, "check block.yaml --quiet");
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.err, HasSubstr("warning: part block: tetrahedra of 4 nodes are too stiff"));
}

// Positions in words, of nodes and of fibres, are in the unit that plans ask for, in every table.
TEST(Places, AreInTheUnitThatIsShown) {
  const test::TemporaryFolder folder;
  (void)folder.write("mast.yaml", test::example("mast.yaml"));
  ASSERT_EQ(test::run_program(folder, "run mast.yaml --no-figures --out mm").status, 0);
  ASSERT_EQ(test::run_program(folder, "run mast.yaml --no-figures --out cm --set show.length=cm").status, 0);
  const auto texts_of = [&](const char* results) {
    std::vector<std::string> texts;
    const auto summary = test::summary_of(folder, results);
    for (const auto& [name, table] : summary.at("tables").items())
      for (const auto& row : table.at("rows"))
        for (const auto& cell : row)
          if (cell.is_string() && cell.template get<std::string>().find(") ") != std::string::npos)
            texts.push_back(cell.template get<std::string>());
    return texts;
  };
  const auto in = [](const std::vector<std::string>& texts, const std::string& unit) {
    return std::count_if(texts.begin(), texts.end(),
                         [&](const std::string& text) { return text.find(") " + unit) != std::string::npos; });
  };
  const std::vector<std::string> mm = texts_of("mm"), cm = texts_of("cm");
  EXPECT_GT(in(mm, "mm"), 10);
  EXPECT_EQ(in(mm, "cm"), 0);
  EXPECT_EQ(in(cm, "mm"), 0);
  EXPECT_EQ(in(cm, "cm"), in(mm, "mm"));
}

// A section that is given by numbers: shear stress needs both, and what is missing is named.
TEST(StressOfGivenSections, NamesWhatIsMissing) {
  const std::tuple<const char*, const char*, int> cases[] = {
      {"", "no torsion modulus and no shear areas, so it has no von Mises", 2},
      {", torsion modulus: 90 mm^3", "its section has no shear areas, so", 2},
      {", shear areas: [150 mm^2, 160 mm^2]", "its section has no torsion modulus, so", 2},
      {", torsion modulus: 90 mm^3, shear areas: [150 mm^2, 160 mm^2]", "", 0}};
  for (const auto& [more, sentence, status] : cases) {
    SCOPED_TRACE(more);
    const TemporaryFolder folder;
    (void)folder.write("bar.yaml", fmt::format(R"(materials: {{alloy: {{E: 70 GPa, nu: 0.3, density: 2700 kg/m^3}}}}
parts:
  bar:
    line: {{from: [0 mm, 0 mm, 0 mm], to: [400 mm, 0 mm, 0 mm], divisions: 2}}
    section: {{given: {{A: 200 mm^2, Iy: 9000 mm^4, Iz: 6000 mm^4, J: 400 mm^4, fibres: [[8 mm, 12 mm]]{}}}}}
    material: alloy
places: {{root: {{part: bar, plane: {{x: 0 mm}}}}}}
base: {{wall: {{place: root}}}}
damping: {{otherwise: 1 %}}
watch: {{bar: {{part: bar, quantities: [von Mises]}}}}
environments: {{weight: {{static: {{acceleration: {{z: -1 g}}}}}}}}
)",
                                               more));
    const Ran ran = run_program(folder, "run bar.yaml --no-figures --audit 0");
    EXPECT_EQ(ran.status, status) << ran.err;
    EXPECT_THAT(ran.err, HasSubstr(sentence));
  }
}

}  // namespace
}  // namespace avrenk
