#include "core/load/applied.h"

#include <gmock/gmock.h>

#include <algorithm>
#include <numeric>

#include "core/error.h"
#include "core/system/system.h"
#include "support/solids.h"

namespace avrenk {
namespace {

std::vector<int> all_nodes(const Assembly& model) {
  std::vector<int> nodes(model.nodes.size());
  std::iota(nodes.begin(), nodes.end(), 0);
  return nodes;
}

// 0.3 x 0.2 m around the origin in z = 0.
Mesh meshed_plate() {
  Mesh mesh;
  for (int j = 0; j <= 2; ++j)
    for (int i = 0; i <= 3; ++i) mesh.points.emplace_back(0.1 * i - 0.15, 0.1 * j - 0.1, 0);
  for (int j = 0; j < 2; ++j)
    for (int i = 0; i < 3; ++i) {
      const int p = 4 * j + i;
      std::vector<int> nodes{p, p + 1, p + 5, p + 4};
      if (i == 1) std::reverse(nodes.begin(), nodes.end());  // numbered the other way round
      mesh.add(shell_kind(4), nodes);
    }
  return mesh;
}

// Under 1 Pa all around a closed body nothing is left, and by Gauss's theorem ∫ x·n dA = 3 V: whatever the elements,
// with faces bent by a quadratic map. The volume is that of the mass matrix, which integrates over the inside.
TEST(Pressure, ClosesAroundBodiesOfEveryKind) {
  for (const SolidShape shape : test::every_solid) {
    SCOPED_TRACE(std::string(kind_of(shape).name));
    Assembly model = test::part_of(test::distorted_block(shape, {0.3, 0.2, 0.25}, 2), test::solid_part("block"));
    for (Node& node : model.nodes) {
      const Vector3 x = node.position;
      node.position += Vector3(0.8 * x.y() * x.z(), 0.6 * x.x() * x.x(), -0.7 * x.x() * x.y());
    }
    const Surface surface = surface_of(model);
    const std::vector<PressedFace> faces = pressed_faces(model, "p", faces_within(surface, all_nodes(model)), {});
    const LoadColumn column = uniform_pressure(faces);
    double work = 0, size = 0;
    for (const auto& [node, force] : column.on_nodes) {
      work -= model.position(node).dot(force.head<3>());
      size += force.head<3>().norm();
    }
    const MassProperties mass = total_mass(model);
    EXPECT_NEAR(work / (3 * mass.mass / 2810), 1, 1e-10);
    const Resultant sum = resultant_of(model, column, Vector3(0.1, 0.2, 0.3));
    EXPECT_LE(sum.force.norm(), 1e-13 * size);
    EXPECT_LE(sum.moment.norm(), 1e-13 * size);
  }
}

// On one side of a box of shells the resultant is area times normal, from whichever side it comes and however shells
// are numbered; traction is area times direction.
TEST(Pressure, PushesShellsFromTheSideThatIsSaid) {
  Assembly model = test::part_of(meshed_plate(), test::shell_part("plate", 2e-3));
  const Surface surface = surface_of(model);
  const auto faces = faces_within(surface, all_nodes(model));
  const auto force = [&](const PressureSide& side) {
    return resultant_of(model, uniform_pressure(pressed_faces(model, "p", faces, side)), Vector3::Zero());
  };
  for (const double from : {1.0, -1.0}) {
    const Resultant sum = force({Vector3(0.3, 0, from), std::nullopt});
    EXPECT_LE((sum.force - Vector3(0, 0, -from * 0.06)).norm(), 1e-14);
    EXPECT_LE(sum.moment.norm(), 1e-14);
    EXPECT_LE((force({std::nullopt, Vector3(0, 0, from)}).force - sum.force).norm(), 1e-14);
  }
  const Resultant dragged = resultant_of(model, traction(model, "t", faces, Vector3(0.6, 0.8, 0)), Vector3::Zero());
  EXPECT_LE((dragged.force - 0.06 * Vector3(0.6, 0.8, 0)).norm(), 1e-14);
  const auto refused = [&](const PressureSide& side, const std::vector<const Surface::Face*>& on) {
    try {
      (void)pressed_faces(model, "p", on, side);
    } catch (const InputError& error) {
      return error.problems.front().sentence();
    }
    return std::string();
  };
  EXPECT_THAT(refused({}, faces), testing::HasSubstr("two sides"));
  EXPECT_THAT(refused({Vector3::UnitX(), std::nullopt}, faces), testing::HasSubstr("edge-on"));
  EXPECT_THAT(refused({Vector3::UnitZ(), std::nullopt}, {}), testing::HasSubstr("no face"));
}

// However a force and a moment are shared out, their resultants are those that were asked for: exactly, about any
// point.
TEST(PointLoad, HasExactResultants) {
  Assembly model = test::part_of(meshed_plate(), test::shell_part("plate", 2e-3));
  const Surface surface = surface_of(model);
  Vector6 amount;
  amount << 3, -2, 5, 0.2, 0.4, -0.3;
  for (const Sharing sharing : {Sharing::equally, Sharing::by_area, Sharing::as_a_body}) {
    for (const bool through : {false, true}) {
      if (through && sharing != Sharing::as_a_body) continue;
      const Vector3 point(0.05, -0.02, 0.4);
      const LoadColumn column = point_load(
          model, surface, {"p", all_nodes(model), amount, sharing, through ? std::optional(point) : std::nullopt});
      const Resultant sum = resultant_of(model, column, through ? point : Vector3::Zero());
      EXPECT_LE((sum.force - amount.head<3>()).norm(), 1e-13);
      EXPECT_LE((sum.moment - amount.tail<3>()).norm(), 1e-13);
    }
  }
  const LoadColumn one = point_load(model, surface, {"p", {7}, amount, Sharing::equally, Vector3(1, 2, 3)});
  const Resultant sum = resultant_of(model, one, Vector3(1, 2, 3));
  EXPECT_LE((sum.force - amount.head<3>()).norm() + (sum.moment - amount.tail<3>()).norm(), 1e-13);
  EXPECT_THROW((void)point_load(model, surface, {"p", {0, 1}, amount, Sharing::as_a_body, {}}), InputError);
  EXPECT_THROW((void)point_load(model, surface, {"p", {0, 1}, amount, Sharing::by_area, {}}), InputError);
}

// What no unknown takes would be lost: a moment on solids, a force on nothing. A force on a foot goes into the base.
TEST(Loads, AreNotLost) {
  Assembly model =
      test::part_of(test::distorted_block(SolidShape::hexahedron8, {0.3, 0.2, 0.25}, 2), test::solid_part("block"));
  test::hold(model, [](const Vector3& x) { return x.z() == 0; });
  const int foot = model.bases[0].feet[0].node, free = static_cast<int>(model.nodes.size()) - 1;
  const int nothing = test::add_node(model, Vector3(1, 1, 1));
  const auto load_on = [&](int node, const Vector6& force) {
    Load load;
    load.name = "push";
    load.columns.emplace_back().on_nodes[node] = force;
    load.factors = {1};
    model.loads = {load};
    return make_system(model);
  };
  const auto refusal = [&](int node, const Vector6& force) {
    try {
      (void)load_on(node, force);
    } catch (const InputError& error) {
      return error.problems.front().sentence();
    }
    return std::string();
  };
  EXPECT_THAT(refusal(free, Vector6::Unit(4)), testing::HasSubstr("load push: a moment acts on"));
  EXPECT_THAT(refusal(nothing, Vector6::Unit(1)), testing::HasSubstr("nothing is joined to"));
  const System held = load_on(foot, Vector6::Unit(1));
  EXPECT_EQ(held.loads.nonZeros(), 0);
  EXPECT_NEAR(held.support_loads.sum(), 1, 0.3);  // and a moment about the base's point
}

}  // namespace
}  // namespace avrenk
