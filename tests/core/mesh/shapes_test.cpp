#include "core/mesh/shapes.h"
#include "core/modes/modal_basis.h"
#include "core/system/system.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/error.h"
#include "core/mesh/resolution.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using std::numbers::pi;
using test::shell_part;
using test::solid_part;

struct Piece {
  const char* name;
  Shape shape;
  double thickness;
  double volume;  // of the real piece
  int around;     // flat sides of what is round; 0: nothing is
};

// What an n-gon lacks of the circle around it.
double lack(int n) { return 1 - std::sin(2 * pi / n) / (2 * pi / n); }

const std::vector<Piece>& pieces() {
  const double t = 4e-3;
  const double cone_wall = t * std::hypot(1, 0.5 * (0.05 - 0.09) / 0.07);
  static const std::vector<Piece> all{
      {"plate", Plate{0.3, 0.2, {{{-0.04, 0.11}, {0.03}}}}, t, 0.3 * 0.2 * t, 0},
      {"plate with a hole", Plate{0.3, 0.2, {}, RoundHole{0.06, {0.02, -0.03}}}, t, (0.3 * 0.2 - pi * 0.03 * 0.03) * t,
       64},
      {"box", Box{{0.08, 0.06, 0.04}}, 0, 0.08 * 0.06 * 0.04, 0},
      {"tube", Cone{0.1, 0.1, 0.15}, t, pi * (0.1 - t) * t * 0.15, 64},
      {"cone", Cone{0.09, 0.05, 0.07}, t, pi * 0.07 * (0.07 - cone_wall) * cone_wall, 64},
      {"disc", Disc{0.12, 0}, t, pi * 0.06 * 0.06 * t, 64},
      {"ring", Disc{0.12, 0.05}, t, pi * (0.06 * 0.06 - 0.025 * 0.025) * t, 64}};
  return all;
}

MeshDensity fineness_of(const Piece& piece) {
  if (piece.around == 0) return {0.021, {}};
  const bool plate = std::holds_alternative<Plate>(piece.shape);
  return {std::nullopt, plate ? std::vector<int>{16, 16, 5} : std::vector<int>{64, 6}};
}

// Flux of x/3 through the surface: the volume, if all faces are there and look outward.
double volume_by_surface(const Assembly& model) {
  double sum = 0;
  for (const Surface::Face& face : surface_of(model).faces) {
    const auto at = [&](std::size_t i) { return model.position(face.nodes[i]); };
    for (std::size_t i = 1; i + 1 < static_cast<std::size_t>(face.corners); ++i)
      sum += at(0).dot(at(i).cross(at(i + 1))) / 6;
  }
  return sum;
}

TEST(Shapes, HaveTheMassOfTheirFormulaAsShellsAndAsSolids) {
  for (const Piece& piece : pieces())
    for (const auto& [solid, quadratic, layers] : {std::tuple{false, false, 1}, {true, false, 2}, {true, true, 1}}) {
      const bool box_of_shells = !solid && std::holds_alternative<Box>(piece.shape);
      const double t = box_of_shells ? 2e-3 : piece.thickness;
      const Meshing meshing{solid, quadratic, t, layers};
      ASSERT_FALSE(why_invalid(piece.shape, meshing)) << piece.name;
      const Assembly model = test::part_of(mesh_shape(piece.shape, meshing, fineness_of(piece)),
                                           solid ? solid_part(piece.name) : shell_part(piece.name, t));
      const MassProperties mass = total_mass(model);
      double volume = piece.volume;
      if (box_of_shells) {  // six walls by their middle surface
        const Vector3 middle = Vector3(0.08, 0.06, 0.04).array() - t;
        volume = 2 * t * (middle.x() * middle.y() + middle.y() * middle.z() + middle.z() * middle.x());
      }
      // Flat sides lack a part of what is round; middle nodes lie on the circle and leave a thousandth of that.
      const double tolerance = piece.around == 0 ? 1e-12 : (quadratic ? 1e-3 : 1.1) * lack(piece.around);
      EXPECT_NEAR(mass.mass / (2810 * volume), 1, tolerance) << piece.name << (solid ? " of solids" : " of shells");
      if (solid && !quadratic) {
        EXPECT_NEAR(volume_by_surface(model) / (mass.mass / 2810), 1, 1e-12) << piece.name;
      }
      for (const ElementGroup& group : model.groups) {
        const ElementBlock block = model.block(group);
        const auto* const own = std::get_if<SolidBlock>(&block);
        for (Eigen::Index e = 0; own && e < own->elements(); ++e)
          ASSERT_GT(solid_jacobian_ratio(*own, e), 0.2) << piece.name << e;
      }
    }
}

TEST(Shapes, HaveLinesOfNodesWhereAskedAndRoundEdgesOnTheCircle) {
  const Assembly plate =
      test::part_of(mesh_shape(pieces()[0].shape, {false, false, 1e-3, 1}, {0.05, {}}), shell_part("plate", 1e-3));
  for (const double x : {-0.15, -0.04, 0.11, 0.15})
    EXPECT_GE(std::count_if(plate.nodes.begin(), plate.nodes.end(),
                            [&](const Node& node) { return std::abs(node.position.x() - x) < 1e-12; }),
              6);
  for (const auto& edge : surface_of(plate).feature_edges) {  // the rim only
    const Vector3 middle = 0.5 * (plate.position(edge.from) + plate.position(edge.to));
    EXPECT_TRUE(std::abs(std::abs(middle.x()) - 0.15) < 1e-12 || std::abs(std::abs(middle.y()) - 0.1) < 1e-12);
  }
  const Assembly holed =
      test::part_of(mesh_shape(pieces()[1].shape, {false, false, 1e-3, 1}, {0.02, {}}), shell_part("plate", 1e-3));
  int on_hole = 0;
  for (const auto& edge : surface_of(holed).feature_edges) {
    const Vector3 centre(0.02, -0.03, 0);
    if ((holed.position(edge.from) - centre).norm() < 0.04) {
      EXPECT_NEAR((holed.position(edge.from) - centre).norm(), 0.03, 1e-12);
      ++on_hole;
    }
  }
  EXPECT_GE(on_hole, 30);
}

TEST(Shapes, AreRefusedWhereTheyCannotBe) {
  for (const auto& [shape, meshing, wrong] :
       {std::tuple<Shape, Meshing, const char*>{
            Plate{0.1, 0.1, {}, RoundHole{0.05, {0.03, 0}}}, {false, false, 1e-3, 1}, "the hole reaches the edge"},
        {Plate{0.1, 0.1, {{{0.06}, {}}}}, {false, false, 1e-3, 1}, "a line of nodes lies beyond the edge"},
        {Box{{0.1, 0.1, 0.004}}, {false, false, 2e-3, 1}, "the walls leave no room inside"},
        {Cone{0.05, 0.01, 0.03}, {true, false, 5e-3, 1}, "the wall leaves no room inside"},
        {Disc{0.05, 0.06}, {false, false, 1e-3, 1}, "the hole is as wide as the disc"}})
    EXPECT_EQ(why_invalid(shape, meshing).value_or(""), wrong);
}

TEST(Copies, KeepMassAndOrientationAndShareWhereTheyMeet) {
  for (const SolidShape shape : test::every_solid) {
    const Mesh mesh = test::distorted_block(shape, {0.1, 0.08, 0.05}, 2);
    const auto placements = with_mirror_images({Placement{}}, {true, true, false});
    const Assembly one = test::part_of(mesh, solid_part("block")),
                   four = test::part_of(mesh, solid_part("block"), test::alloy(), placements);
    EXPECT_NEAR(total_mass(four).mass / total_mass(one).mass, 4, 1e-12);
    EXPECT_LE(total_mass(four).centre.head<2>().norm(), 1e-15);
    EXPECT_NEAR(volume_by_surface(four) * 2810 / total_mass(four).mass, 1, 1e-12);
    EXPECT_LT(four.nodes.size(), 4 * one.nodes.size());
    // An image that is the block itself adds nothing.
    std::vector<Placement> same{Placement{}};
    const Mesh straight = mesh_shape(Box{{0.1, 0.08, 0.05}}, {true, false, 0, 1}, {std::nullopt, {2, 2, 2}});
    EXPECT_EQ(test::part_of(straight, solid_part("block"), test::alloy(), with_mirror_images(same, {true, true, false}))
                  .groups.size(),
              1U);
    // Numbered inside out, they are turned.
    Mesh inside_out = mesh;
    for (Vector3& point : inside_out.points) point.x() *= -1;
    Mesh mended = inside_out;
    EXPECT_EQ(turn_inverted(mended), static_cast<int>(mesh.cells[0].nodes.size()) / kind_of(shape).nodes);
    EXPECT_EQ(turn_inverted(mended), 0);
    EXPECT_NEAR(total_mass(test::part_of(mended, solid_part("block"))).mass, total_mass(one).mass, 1e-12);
  }
}

TEST(Ribs, ShareTheNodesTheyStandOnAndAreRefusedWhereThereAreNone) {
  Assembly model = test::part_of(mesh_shape(Plate{0.3, 0.2}, {false, false, 2e-3, 1}, {std::nullopt, {6, 4}}),
                                 shell_part("plate", 2e-3));
  model.parts.push_back(shell_part("ribs", 3e-3));
  const std::size_t before = model.nodes.size();
  add_ribs(model, 1, 0, {{{-0.15, 0, 0}, {0.15, 0, 0}}, {{0.05, -0.1, 0}, {0.05, 0.1, 0}}}, 0.03, -Vector3::UnitZ(), 2);
  EXPECT_EQ(model.nodes.size() - before, 2 * (7 + 5 - 1U));  // they cross and share
  const auto mass = mass_breakdown(model);
  EXPECT_NEAR(mass[1].second.mass, 2810 * 3e-3 * 0.03 * (0.3 + 0.2), 1e-12);
  EXPECT_NEAR(mass[1].second.centre.z(), -0.015, 1e-12);
  for (const auto& [from, to] :
       {std::pair{Vector3(-0.15, 0.01, 0), Vector3(0.15, 0.01, 0)}, {Vector3(-0.2, 0, 0), Vector3(0.15, 0, 0)}})
    EXPECT_THROW(add_ribs(model, 1, 0, {{from, to}}, 0.03, -Vector3::UnitZ(), 2), InputError);
}

// Standing waves of a simply supported strip: the mesh says up to where it is good, and there its frequency is 5 %
// high.
TEST(MeshReach, IsTheFrequencyWhereBendingWavesComeOutFivePercentHigh) {
  const double t = 2e-3, length = 0.4;
  for (const bool solid : {false, true}) {
    const int elements = 20, halves = 4;  // half waves: ten elements a wave
    const Meshing meshing{solid, false, t, 1};
    Assembly model =
        test::part_of(mesh_shape(Plate{length, 0.02}, meshing, {std::nullopt, {elements, 1}}),
                      solid ? solid_part("strip") : shell_part("strip", t), {"alloy", 71e9, 0, 2810, std::nullopt});
    const MeshReach reach = mesh_reach(model).front();
    EXPECT_NEAR(reach.element, length / elements, 1e-12);
    EXPECT_NEAR(element_for(reach, reach.frequency), length / elements, 1e-9);
    const double wave = elements_a_wave * length / elements;
    ASSERT_NEAR(2 * length / halves, wave, 1e-12);
    // Supported in z at both ends, and kept in its plane.
    model.bases = {{"fixture", {}, Vector3::Zero()}};
    for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node) {
      const Vector3& at = model.position(node);
      const bool end = std::abs(std::abs(at.x()) - length / 2) < 1e-9 && (!solid || at.z() < 0);
      const bool corner = end && at.x() < 0;
      if (end) model.bases[0].feet.push_back({node, {corner, true, true, false, false, false}});
    }
    const System system = make_system(model);
    const ModalBasis basis = solve_modes(model, system, {std::nullopt, 12, false, false});
    const double exact = bending_frequency(wave, 71e9 * t * t / (12 * 2810), std::sqrt(5.0 / 6 * 71e9 / 2 / 2810));
    double nearest = 1e9;
    for (int r = 0; r < basis.modes; ++r)
      if (std::abs(basis.frequency(r) / exact - 1.05) < std::abs(nearest / exact - 1.05)) nearest = basis.frequency(r);
    EXPECT_NEAR(nearest / exact, 1.05, 0.01) << solid;
    if (!solid) {
      EXPECT_NEAR(reach.frequency / exact, 1, 1e-9);
    }
  }
}

}  // namespace
}  // namespace avrenk
