#include <gtest/gtest.h>

#include "core/mesh/line.h"
#include "core/mesh/select.h"
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
  EXPECT_EQ(nodes_in_plane(model, all, 2, 0.3, 1e-6), std::vector<int>{3});
  EXPECT_EQ(nodes_in_plane(model, all, 0, 0, 1e-6).size(), 11U);
  EXPECT_EQ(nodes_in_box(model, all, {-1, -1, 0.7}, {1, 1, 0.4}, 1e-6), (std::vector<int>{4, 5, 6, 7}));
  EXPECT_EQ(nearest_node(model, all, {0.3, 0, 0.44}).first, 4);
}

}  // namespace
}  // namespace avrenk
