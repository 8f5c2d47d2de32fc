// Parts of shells and solids in plans: shapes, ribs, copies, meshes from files, and what is refused.
#include <gmock/gmock.h>

#include "core/system/system.h"
#include "files/vtu.h"
#include "support/plans.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::plan_in;
using test::replaced;
using test::TemporaryFolder;
using testing::HasSubstr;

const std::string plate_and_lug = R"(materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, yield: 430 MPa}
  sheet: {E: {x: 62 GPa, y: 60 GPa, z: 9 GPa}, nu: {xy: 0.05, yz: 0.3, xz: 0.3}, G: {xy: 4 GPa, yz: 3 GPa, xz: 3 GPa}, density: 1600 kg/m^3, axes: {x: [0, 0, 1], y: [1, 0, 0]}}
parts:
  deck: {plate: {size: [300 mm, 200 mm], divisions: [6, 4]}, thickness: 3 mm, material: alloy, offset: 1 mm, extra mass: 0.5 kg/m^2}
  ribs: {ribs: {on: deck, along: [[[-150 mm, 0 mm, 0 mm], [150 mm, 0 mm, 0 mm]]], height: 30 mm, towards: -z, divisions: 2}, thickness: 4 mm, material: alloy}
  pad: {box: {size: [40 mm, 30 mm, 20 mm], element: 10 mm}, material: alloy, position: [100 mm, 50 mm, 30 mm], copies: {mirror: [x, y]}}
  barrel: {tube: {diameter: 80 mm, height: 100 mm, divisions: [16, 4]}, thickness: 2 mm, material: sheet, rotation: {about: y, by: 90 deg}, position: [0 mm, 0 mm, 100 mm]}
  posts: {disc: {diameter: 20 mm, element: 8 mm}, elements: solids, layers: 2, thickness: 10 mm, material: alloy, position: [60 mm, 0 mm, 200 mm], copies: {pattern: {about: z, by: 90 deg, times: 4}}}
  row: {cone: {diameters: [30 mm, 20 mm], height: 25 mm, element: 6 mm}, elements: quadratic solids, thickness: 3 mm, material: alloy, position: [0 mm, 0 mm, 300 mm], copies: {pattern: {step: [50 mm, 0 mm, 0 mm], times: 3}}}
  bar: {line: {from: [0 mm, 0 mm, 0 mm], to: [100 mm, 0 mm, 0 mm], divisions: 2}, section: {rod: {diameter: 8 mm}}, material: alloy, rotation: {about: z, by: 90 deg}, position: [0 mm, 0 mm, 400 mm]}
places:
  edge: {part: deck, plane: {x: -150 mm}}
base:
  fixture: {place: edge, holds: all}
damping: {otherwise: 1 %}
watch:
  metal: {part: [deck, ribs, pad], quantities: [von Mises]}
profiles:
  sweep: {sine: {acceleration: [[5 Hz, 1 g], [100 Hz, 1 g]]}}
environments:
  sine: {profile: sweep, at: fixture, axes: [z]}
limits:
  stress: {of: metal.von Mises, in: sine, take: peak, allowable: yield}
)";

std::string problem_with_mesh(const std::string& text, const std::string& mesh = "") {
  return test::problem_of(text, mesh.empty() ? test::Files{} : test::Files{{"part.vtu", mesh}});
}

TEST(PlanShapes, BecomeTheMassesAndPlacesTheyDescribe) {
  const TemporaryFolder folder;
  const Plan plan = plan_in(folder, plate_and_lug);
  const Assembly& model = plan.assembly;
  const auto masses = mass_breakdown(model);
  const auto mass_of = [&](const std::string& name) {
    for (const auto& [part, properties] : masses)
      if (part == name) return properties;
    return MassProperties{};
  };
  EXPECT_NEAR(mass_of("deck").mass, 0.3 * 0.2 * (2810 * 3e-3 + 0.5), 1e-12);
  EXPECT_NEAR(mass_of("deck").centre.z(), 1e-3, 1e-15);
  EXPECT_NEAR(mass_of("ribs").mass, 2810 * 0.3 * 0.03 * 4e-3, 1e-12);
  EXPECT_NEAR(mass_of("pad").mass, 4 * 2810 * 0.04 * 0.03 * 0.02, 1e-12);
  EXPECT_LE(mass_of("pad").centre.head<2>().norm(), 1e-12);
  EXPECT_NEAR((mass_of("barrel").centre - Vector3(0.05, 0, 0.1)).norm(), 0, 1e-12);  // lies along x now
  EXPECT_LE(mass_of("posts").centre.head<2>().norm(), 1e-12);
  EXPECT_NEAR(mass_of("row").centre.x(), 0.05, 1e-12);
  EXPECT_NEAR(mass_of("bar").centre.y(), 0.05, 1e-12);
  // Axes of the material turn with the part: x ran along the tube, which lies along x now.
  for (const ElementGroup& group : model.groups) {
    if (model.parts[static_cast<std::size_t>(group.part)].name != "barrel") continue;
    const auto& block = std::get<ShellBlock>(model.block(group));
    EXPECT_NEAR(std::abs(block.section.along.x()), 1, 1e-12);
    EXPECT_NEAR(block.section.in_plane(0, 0), 62e9 / (1 - 0.05 * 0.05 * 60 / 62), 1);
    EXPECT_NEAR(block.section.transverse(0, 0), 3e9, 1);
  }
  EXPECT_EQ(plan.watch[0].parts.size(), 3U);
  EXPECT_EQ(plan.limits[0].allowable, 430e6);
  EXPECT_EQ(plan.limits[0].property, "yield of alloy");
}

TEST(PlanShapes, SayInOneSentenceWhatIsWrong) {
  const std::tuple<const char*, const char*, const char*> cases[] = {
      {"size: [300 mm, 200 mm]", "size: [300 mm]",
       "plan.yaml:5:24: part deck plate size: two lengths are due; write [620 mm, 420 mm]"},
      {"size: [300 mm, 200 mm]", "size: [300 mm, -200 mm]", "part deck plate size: \"-200 mm\" is not positive"},
      {"divisions: [6, 4]}, thickness", "divisions: 6}, thickness",
       "part deck plate divisions: 1 numbers stand here, 2 are due; write [24, 12]"},
      {"divisions: [6, 4]}, thickness", "divisions: [6, 4], element: 5 mm}, thickness",
       "\"element\" and \"divisions\" cannot both be given"},
      {"divisions: [6, 4]}, thickness", "divisions: [6, 4], lines: {x: 200 mm}}, thickness",
       "part deck plate: a line of nodes lies beyond the edge"},
      {"divisions: [6, 4]}, thickness", "divisions: [6, 4, 3], hole: {diameter: 250 mm}}, thickness",
       "part deck plate: the hole reaches the edge"},
      {"thickness: 3 mm, material: alloy, offset", "material: alloy, offset",
       "part deck: \"thickness\" is missing; write thickness: 8 mm"},
      {"extra mass: 0.5 kg/m^2", "extra mass: 0.5 kg/m", "part deck extra mass: \"0.5 kg/m\" is"},
      {"on: deck", "on: dek", "part ribs ribs: no part \"dek\"; write \"deck\""},
      {"[[-150 mm, 0 mm, 0 mm], [150 mm, 0 mm, 0 mm]]", "[[-150 mm, 10 mm, 0 mm], [150 mm, 10 mm, 0 mm]]",
       "part ribs ribs: 0 nodes of deck lie on the line from (-150, 10, 0) to (150, 10, 0) mm; let the mesh of that "
       "part have a line of nodes there"},
      {"[[-150 mm, 0 mm, 0 mm], [150 mm, 0 mm, 0 mm]]", "[[-190 mm, 0 mm, 0 mm], [150 mm, 0 mm, 0 mm]]",
       "7 nodes of deck lie on the line from (-190, 0, 0) to (150, 0, 0) mm, none at its ends"},
      {"towards: -z", "towards: down", "part ribs ribs towards: \"down\" is not known here"},
      {"elements: solids, layers: 2", "elements: solid, layers: 2",
       "part posts elements: \"solid\" is not known here; write \"solids\""},
      {"layers: 2", "layers: 2.5", "part posts layers: \"2.5\" is not a whole number above zero"},
      {"rotation: {about: y, by: 90 deg}", "rotation: {about: y, by: 90 mm}", "part barrel rotation by: \"90 mm\" is"},
      {"copies: {mirror: [x, y]}", "copies: {miror: [x, y]}",
       "part pad copies: unknown key \"miror\"; write \"mirror\""},
      {"{about: z, by: 90 deg, times: 4}", "{about: z, by: 90 deg}",
       "part posts pattern: \"times\" is missing; write times: 4"},
      {"thickness: 2 mm, material: sheet", "thickness: 41 mm, material: sheet",
       "part barrel tube: the wall leaves no room inside"},
      {"nu: {xy: 0.05,", "nu: {xy: 1.5,",
       "material sheet: these elastic constants store negative energy under some strain"},
      {"nu: {xy: 0.05, yz: 0.3, xz: 0.3}", "nu: 0.3", "material sheet nu: \"0.3\" stands where a map is due"},
      {"G: {xy: 4 GPa, yz: 3 GPa, xz: 3 GPa}", "G: {xy: 4 GPa, yz: 3 GPa}", "material sheet G: \"xz\" is missing"},
      {"section: {rod: {diameter: 8 mm}}, material: alloy", "section: {rod: {diameter: 8 mm}}, material: sheet",
       "part bar: beams are made of isotropic materials"},
      {"plate: {", "plte: {",
       "part deck: nothing says what it is; give one of: line, plate, box, tube, cone, disc, ribs, mesh"},
      {"quantities: [von Mises]", "quantities: [axial force]",
       "watch metal: part deck is made of shells, which have no axial force; write von Mises, principal stress, stress "
       "xx, yy or xy, or watch parts apart"},
      {"quantities: [von Mises]", "quantities: [stress xx, stress zz]",
       "watch metal: part deck is made of shells, which have no stress zz; write von Mises"},
      {"[deck, ribs, pad], quantities: [von Mises]", "pad, quantities: [stress zz, bending stress]",
       "watch metal: part pad is made of solids, which have no bending stress; write von Mises, principal stress, "
       "stress xx, yy, zz, yz, zx or xy"},
      {"[deck, ribs, pad], quantities: [von Mises]", "[pad, bar], quantities: [principal stress]",
       "watch metal: part bar is made of lines, which have no principal stress; write normal stress"},
      {"[deck, ribs, pad]", "[deck, barrel]", "limit stress: material sheet has no yield stress"},
  };
  for (const auto& [from, to, sentence] : cases) {
    const std::string text = replaced(plate_and_lug, from, to);
    ASSERT_NE(text, plate_and_lug) << from;
    const std::string found = problem_with_mesh(text);
    EXPECT_THAT(found, HasSubstr(sentence)) << from << " -> " << to;
    EXPECT_EQ(std::count(found.begin(), found.end(), '\n'), 0) << found;  // one mistake, one sentence
  }
}

// Two regions of a file, one of shells with a text array besides.
std::string file_of(const Mesh& mesh, const GridArray& array) {
  Grid grid;
  grid.points = mesh.points;
  for (const Mesh::Cells& cells : mesh.cells)
    for (std::size_t at = 0; at < cells.nodes.size(); at += static_cast<std::size_t>(cells.kind->nodes))
      grid.add_cell(static_cast<std::uint8_t>(cells.kind->cell_type),
                    std::span(cells.nodes).subspan(at, static_cast<std::size_t>(cells.kind->nodes)));
  grid.cell_arrays = {array};
  return to_vtu(grid);
}

TEST(PlanMeshes, GiveTheMatricesOfTheModelThatWasWritten) {
  // Every kind of element, written as a field and read as parts.
  for (const ElementKind& kind : element_kinds()) {
    Mesh mesh;
    if (kind.is_shell()) {
      mesh = mesh_shape(Plate{0.2, 0.1}, {false, false, 2e-3, 1}, {std::nullopt, {4, 2}});
      if (kind.nodes == 3) {
        Mesh cut;
        cut.points = mesh.points;
        for (std::size_t at = 0; at < mesh.cells[0].nodes.size(); at += 4) {
          const auto* const n = &mesh.cells[0].nodes[at];
          cut.add(kind, std::array{n[0], n[1], n[2]});
          cut.add(kind, std::array{n[0], n[2], n[3]});
        }
        mesh = cut;
      }
    } else {
      mesh = test::distorted_block(kind.shape, {0.1, 0.08, 0.05}, 2);
    }
    const Assembly own = [&] {
      Assembly model = test::part_of(mesh, kind.is_shell() ? test::shell_part("part", 2e-3) : test::solid_part("part"));
      test::hold(model, [&](const Vector3& x) { return x.x() < (kind.is_shell() ? -0.0999 : 1e-9); });
      return model;
    }();
    Show metres;
    metres.set(kind::length, "m");
    const TemporaryFolder folder;
    (void)folder.write("part.vtu", to_vtu(model_grid(own, metres)));
    const Plan plan =
        plan_in(folder,
                "materials:\n  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3}\nparts:\n  part: {mesh: part.vtu, "
                "length: m, " +
                    std::string(kind.is_shell() ? "thickness: 2 mm, " : "") +
                    "material: alloy}\nplaces:\n  root: {part: part, plane: {x: " + (kind.is_shell() ? "-100" : "0") +
                    " mm}}\nbase:\n  fixture: {place: root, holds: all}\n");
    const System written = make_system(own), read = make_system(plan.assembly);
    ASSERT_EQ(written.free, read.free) << kind.name;
    for (const auto& [a, b] :
         {std::pair{&written.stiffness.ff, &read.stiffness.ff}, {&written.mass.ff, &read.mass.ff}}) {
      ASSERT_EQ(a->nonZeros(), b->nonZeros());
      EXPECT_TRUE(std::equal(a->valuePtr(), a->valuePtr() + a->nonZeros(), b->valuePtr())) << kind.name;
    }
  }
}

const std::string from_file = R"(materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3}
parts:
  low: {mesh: part.vtu, length: mm, cells: {region: 1}, material: alloy}
  high: {mesh: part.vtu, length: mm, cells: {region: [2, 3]}, material: alloy}
places:
  root: {part: low, plane: {z: 0 mm}}
base:
  fixture: {place: root, holds: all}
)";

// Cells chosen by a text: written as ascii by hand.
TEST(PlanMeshes, AreChosenByTextsToo) {
  const std::string file = R"(<?xml version="1.0"?>
<VTKFile type="UnstructuredGrid" version="1.0" byte_order="LittleEndian"><UnstructuredGrid><Piece NumberOfPoints="6" NumberOfCells="2">
<Points><DataArray type="Float64" NumberOfComponents="3" format="ascii">0 0 0 10 0 0 20 0 0 0 10 0 10 10 0 20 10 0</DataArray></Points>
<Cells><DataArray type="Int32" Name="connectivity" format="ascii">0 1 4 3 1 2 5 4</DataArray><DataArray type="Int32" Name="offsets" format="ascii">4 8</DataArray>
<DataArray type="UInt8" Name="types" format="ascii">9 9</DataArray></Cells>
<CellData><Array type="String" Name="part" format="ascii">114 105 98 0 108 105 100 0</Array></CellData></Piece></UnstructuredGrid></VTKFile>)";
  const std::string text =
      "materials:\n  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3}\nparts:\n  rib: {mesh: part.vtu, length: mm, "
      "cells: {part: "
      "rib}, thickness: 2 mm, material: alloy}\nplaces:\n  root: {part: rib, plane: {x: 0 mm}}\nbase:\n  fixture: "
      "{place: root}\n";
  const TemporaryFolder folder;
  (void)folder.write("part.vtu", file);
  const Plan plan = plan_in(folder, text);
  EXPECT_NEAR(total_mass(plan.assembly).mass, 2810 * 0.01 * 0.01 * 0.002, 1e-15);
  EXPECT_NEAR(total_mass(plan.assembly).centre.x(), 0.005, 1e-12);
  EXPECT_THAT(problem_with_mesh(replaced(text, "part: rib}", "part: lip}"), file),
              HasSubstr("no cell of the file is taken; its values are lid, rib"));
}

TEST(PlanMeshes, ShareTheNodesOfTheirBorderAndAreRefusedInOneSentence) {
  Mesh mesh = mesh_shape(Box{{40, 40, 30}}, {true, false, 0, 1}, {std::nullopt, {2, 2, 3}});
  GridArray region{"region", 1, {}};
  for (int k = 1; k <= 3; ++k) region.values.insert(region.values.end(), 4, k);
  const std::string file = file_of(mesh, region);
  const TemporaryFolder folder;
  (void)folder.write("part.vtu", file);
  const Plan plan = plan_in(folder, from_file);
  EXPECT_EQ(plan.assembly.nodes.size(), 4U * 9);
  EXPECT_NEAR(mass_breakdown(plan.assembly)[1].second.mass, 2810 * 0.04 * 0.04 * 0.02, 1e-12);
  // At another place they are parts of their own again, and share there.
  const std::string moved = replaced(replaced(from_file, "region: 1}", "region: 1}, position: [0 mm, 0 mm, 5 mm]"),
                                     "[2, 3]}", "[2, 3]}, position: [0 mm, 0 mm, 5 mm]");
  EXPECT_EQ(plan_in(folder, replaced(moved, "{z: 0 mm}", "{z: 5 mm}")).assembly.nodes.size(), 4U * 9);
  // Numbered inside out, cells are turned and the plan says so; lines in the file are left out and the plan says so.
  Mesh inside_out = mesh;
  for (Vector3& point : inside_out.points) point.x() *= -1;
  (void)folder.write("part.vtu", file_of(inside_out, region));
  EXPECT_THAT(plan_in(folder, from_file).notes,
              testing::Contains(HasSubstr("12 cells numbered inside out have been turned")));
  Grid with_line;
  with_line.points = mesh.points;
  with_line.add_cell(12, std::span<const int>(mesh.cells[0].nodes).first(8));
  with_line.add_cell(3, std::array{0, 1});
  with_line.cell_arrays = {{"region", 1, {1, 9}}};
  (void)folder.write("part.vtu", to_vtu(with_line));
  EXPECT_THAT(
      plan_in(folder, from_file.substr(0, from_file.find("  high:")) + from_file.substr(from_file.find("places:")))
          .notes,
      testing::Contains("part.vtu: 1 cell of VTK's type 3 is left out: no shells or solids"));
  for (const auto& [from, to, sentence] :
       {std::tuple{"low: {mesh: part.vtu", "low: {mesh: other.vtu",
                   "4:15: part low: other.vtu: there is no such file; paths start from the file of the plan"},
        {"region: 1}", "regoin: 1}",
         "part low cells: the file has no array \"regoin\" of one value a cell; write \"region\""},
        {"region: 1}", "region: 7}", "part low: no cell of the file is taken; its values are 1, 2, 3"},
        {"region: 1}", "region: low}", "part low cells: \"low\" is"},
        {"{mesh: part.vtu, length: mm, cells: {region: 1}", "{mesh: part.vtu, cells: {region: 1}",
         "part low: \"length\" is missing; write length: mm"},
        {"length: mm, cells: {region: 1}", "length: kg, cells: {region: 1}", "part low length: "},
        {"region: 1}, material", "region: 1}, thickness: 2 mm, material",
         "part low: solids have no thickness; leave thickness out"}})
    EXPECT_THAT(problem_with_mesh(replaced(from_file, from, to), file), HasSubstr(sentence));
  EXPECT_THAT(problem_with_mesh(from_file, "no file at all"), HasSubstr("give a VTK XML unstructured grid (.vtu)"));
  EXPECT_THAT(problem_with_mesh(from_file, file.substr(0, file.size() / 2)), HasSubstr("part.vtu"));
}

}  // namespace
}  // namespace avrenk
