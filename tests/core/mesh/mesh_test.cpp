#include <gtest/gtest.h>

#include "core/mesh/line.h"
#include "core/mesh/select.h"
#include "core/modes/modal_basis.h"
#include "support/models.h"

namespace avrenk {
namespace {

Assembly meshed(const std::vector<Line>& lines) {
  Assembly model;
  model.materials = {{"alloy", 70e9, 0.3, 2700, std::nullopt}};
  model.parts = {{"rib", 0, rod_section(0.01, 0.3)}};
  mesh_lines(model, 0, lines);
  return model;
}

TEST(Lines, AreJoinedWhereTheyMeetHoweverManyMeet) {
  // Three lines through one point and a fourth that ends a micron's fraction beside it.
  const Vector3 centre(0.1, 0.2, 0.3);
  std::vector<Line> lines;
  for (int axis = 0; axis < 3; ++axis)
    lines.push_back(
        {centre - 0.5 * Vector3::Unit(axis), centre + 0.5 * Vector3::Unit(axis), 4, Vector3(1, 2, 3).normalized()});
  lines.push_back({centre + Vector3(1e-8, 0, -1e-8), Vector3(2, 2, 2), 3, Vector3::UnitZ()});
  const Assembly model = meshed(lines);
  EXPECT_EQ(model.beams.size(), 15U);
  EXPECT_EQ(model.nodes.size(), 3U * 4 + 1 + 3);
  const auto [nearest, distance] = nearest_node(model, nodes_of_part(model, "rib"), centre);
  EXPECT_NEAR(distance, 0, 1e-15);
  EXPECT_EQ(std::count_if(model.beams.begin(), model.beams.end(),
                          [n = nearest](const BeamElement& b) { return b.nodes[0] == n || b.nodes[1] == n; }),
            7);
}

TEST(MirrorImages, AreMadeOnceInEveryPlane) {
  const Line leaning{{1, 2, 0}, {0.5, 1, 3}, 2, Vector3(0.3, 0.1, 1)};
  const auto images = with_mirror_images({leaning}, {true, true, false});
  ASSERT_EQ(images.size(), 4U);
  EXPECT_EQ(images[3].to, Vector3(-0.5, -1, 3));
  EXPECT_EQ(images[1].up, Vector3(-0.3, 0.1, 1));
  const Line across{{-1, 0, 0}, {1, 0, 0}, 2, Vector3::UnitZ()}, inside{{0, 1, 0}, {0, 2, 0}, 2, Vector3::UnitZ()};
  EXPECT_EQ(with_mirror_images({across, inside}, {true, false, false}).size(), 2U);
  // A mirrored model has the mirrored mass properties.
  const MassProperties one = total_mass(meshed({leaning})), all = total_mass(meshed(images));
  EXPECT_NEAR(all.mass, 4 * one.mass, 1e-14);
  EXPECT_NEAR(all.centre.head<2>().norm(), 0, 1e-14);
  EXPECT_NEAR(all.inertia(0, 1), 0, 1e-12);
}

TEST(Lines, KnowTheirOwnUp) {
  EXPECT_EQ(default_up({0, 0, 0}, {1, 0, 0.5}), Vector3(Vector3::UnitZ()));
  EXPECT_EQ(default_up({0, 0, 0}, {0.001, 0, 5}), Vector3(Vector3::UnitY()));
  const Assembly model = meshed({{{0, 0, 0}, {0, 0, 1}, 1, default_up({0, 0, 0}, {0, 0, 1})}});
  const Matrix3 axes = model.beams[0].geometry.axes();
  EXPECT_NEAR(axes.determinant(), 1, 1e-15);
  EXPECT_NEAR((axes.row(2).transpose() - Vector3::UnitY()).norm(), 0, 1e-15);
}

TEST(Selection, FindsWhatLiesInAPlaneABoxOrNearest) {
  const Assembly model = meshed({{{0, 0, 0}, {0, 0, 1}, 10, Vector3::UnitY()}});
  const std::vector<int> all = nodes_of_part(model, "rib");
  EXPECT_EQ(all.size(), 11U);
  EXPECT_TRUE(nodes_of_part(model, "mast").empty());
  EXPECT_EQ(nodes_in_plane(model, all, {0, 0, 0.3}, Vector3::UnitZ(), 1e-6), std::vector<int>{3});
  EXPECT_EQ(nodes_in_plane(model, all, Vector3::Zero(), Vector3::UnitX(), 1e-6).size(), 11U);
  EXPECT_EQ(nodes_in_box(model, all, {-1, -1, 0.7}, {1, 1, 0.4}, 1e-6), (std::vector<int>{4, 5, 6, 7}));
  EXPECT_EQ(nearest_node(model, all, {0.3, 0, 0.44}).first, 4);
}

// A slender beam between two held nodes, hinged by releases at its ends. Held ends without hinges: cos b cosh b = 1;
// one hinge: tan b = tanh b; two: b = π (Blevins, Formulas for Natural Frequency, 1979). Mesh error below (b
// h/L)⁴/1440.
TEST(Lines, AreHingedWhereTheirEndsAreReleased) {
  const double length = 2, diameter = 0.004;
  for (const auto& [from, to, root] :
       {std::tuple{false, false, 4.73004074}, {true, false, 3.92660231}, {true, true, pi}}) {
    Line line{Vector3::Zero(), {0, length, 0}, 16, Vector3::UnitZ()};
    for (const std::size_t bending : {4U, 5U}) {
      line.released[bending] = from;
      line.released[6 + bending] = to;
    }
    Assembly model = meshed({line});
    model.parts[0].section = rod_section(diameter, 0.3);
    model.bases = {{"fixture", {SupportNode{0}, SupportNode{16}}, Vector3::Zero()}};
    const test::Solved solved(model, test::count(2), test::ratio(0.01));
    const double exact = root * root / (2 * pi * length * length) * std::sqrt(70e9 / 2700) * diameter / 4;
    EXPECT_NEAR(solved.basis.frequency(0) / exact, 1, 1e-4);
    EXPECT_NEAR(solved.basis.frequency(1) / exact, 1, 1e-4);  // the same across
    if (to) {
      EXPECT_LE(solved.channels.beam_forces(15).bottomRows(2).norm(), 1e-9 * solved.channels.beam_forces(15).norm());
    }
  }
}

TEST(Lines, BeginAndEndOffTheirNodesByRigidArms) {
  // The same beam with its offsets as rigid links of the model.
  const Vector3 from(0.1, 0, 0), to(0.9, 0.2, 0), down(0, 0, -0.03), aside(0, 0.05, 0.02);
  Line line{from, to, 5, Vector3::UnitZ()};
  line.offset_from = down;
  line.offset_to = aside;
  Assembly offset = meshed({line});
  Assembly linked = meshed({{from + down, to + aside, 5, Vector3::UnitZ()}});
  const int root = test::add_node(linked, from, "rib"), tip = test::add_node(linked, to, "rib");
  linked.links = {{"root", root, {0}}, {"tip", tip, {5}}};
  const auto solve = [](Assembly& model, int held, int loaded) {
    model.masses = {{"battery", loaded, Vector3::Zero(), 0.3, Matrix3::Identity() * 1e-3}};
    model.bases = {{"fixture", {SupportNode{held}}, Vector3::Zero()}};
    return test::Solved(model, test::count(8), test::ratio(0.01)).basis.omega.eval();
  };
  const Eigen::VectorXd one = solve(offset, 0, 5), other = solve(linked, root, tip);
  EXPECT_LE((one - other).head(8).norm(), 1e-10 * other.norm());
  Assembly straight = meshed({{from, to, 5, Vector3::UnitZ()}});
  EXPECT_GT((one - solve(straight, 0, 5)).head(8).norm(), 1e-3 * other.norm());  // the arms matter
}

TEST(Lines, HaveMirroredSectionsInTheirImages) {
  // Two frames of a channel and an angle, one in x > 0, the other its image: every answer is the mirror image, also of
  // the stress. A section that is only turned round would bend and twist otherwise.
  const auto frame = [](bool image) {
    Assembly model;
    model.materials = {{"alloy", 70e9, 0.3, 2700, std::nullopt}};
    model.parts = {{"post", 0, channel_section(0.02, 0.03, 0.002, 0.003)},
                   {"arm", 0, angle_section(0.02, 0.03, 0.003)}};
    const std::array<bool, 3> mirror{image, false, false};
    const auto add = [&](int part, Line line) {
      auto both = with_mirror_images({line}, mirror);
      mesh_lines(model, part, {both.back()});
    };
    add(0, {{0.1, 0, 0}, {0.15, 0.05, 0.5}, 4, Vector3::UnitY()});
    Line arm{{0.15, 0.05, 0.5}, {0.4, 0.3, 0.6}, 4, Vector3::UnitZ()};
    arm.offset_from = {0, 0, 0.01};
    add(1, arm);
    model.links = {{"corner", 4, {5}}};
    model.masses = {{"tip", 9, Vector3::Zero(), 0.4, Matrix3::Identity() * 1e-3}};
    model.bases = {{"fixture", {SupportNode{0}}, Vector3::Zero()}};
    return model;
  };
  const test::Solved plain(frame(false), test::count(12), test::ratio(0.02)),
      image(frame(true), test::count(12), test::ratio(0.02));
  EXPECT_LE((plain.basis.omega - image.basis.omega).norm(), 1e-9 * plain.basis.omega.norm());
  for (const double f : {20.0, 70.0, 300.0}) {
    for (const int direction : {0, 1, 2}) {
      const double sign = direction == 0 ? -1 : 1;
      const Eigen::VectorXcd one = plain.channels.motion(9, NodeMotion::absolute_acceleration) *
                                   plain.transfer(direction).state(f),
                             two = sign * image.channels.motion(9, NodeMotion::absolute_acceleration) *
                                   image.transfer(direction).state(f);
      EXPECT_LE((one - Eigen::Vector3cd(-two[0], two[1], two[2])).norm(), 1e-8 * one.norm());
      const auto worst_stress = [&](const test::Solved& solved) {
        double worst = 0;
        for (int beam = 0; beam < 8; ++beam) {
          const Eigen::VectorXcd forces = solved.channels.beam_forces(beam) * solved.transfer(direction).state(f);
          const BeamSection& section =
              solved.assembly.properties(solved.assembly.beams[static_cast<std::size_t>(beam)]).at_end(0);
          for (const StressPoint& point : section.points) {
            const Eigen::Vector3cd stress = stress_rows(section, point).cast<Complex>() * forces.head(6);
            worst = std::max(worst, std::abs(stress[0] + stress[1]) + std::abs(stress[2]));
          }
        }
        return worst;
      };
      EXPECT_NEAR(worst_stress(plain) / worst_stress(image), 1, 1e-8);
    }
  }
}

}  // namespace
}  // namespace avrenk
