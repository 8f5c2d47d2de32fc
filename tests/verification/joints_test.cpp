// Assemblies put together by joints against the same thing made in one piece.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "core/mesh/attach.h"
#include "core/mesh/bolt.h"
#include "core/mesh/select.h"
#include "core/system/system.h"
#include "support/checked.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::shell_part;
using test::solid_part;

int add_part(Assembly& model, const Part& part, const Mesh& mesh, const Vector3& shift = Vector3::Zero(),
             const Matrix3& turn = Matrix3::Identity()) {
  model.parts.push_back(part);
  const int index = static_cast<int>(model.parts.size()) - 1;
  add_mesh(model, index, mesh, {Placement{turn, shift}});
  return index;
}

int join(Assembly& model, int part, int to, double within) {
  const Surface surface = surface_of(model);
  const std::string& name = model.parts[static_cast<std::size_t>(part)].name;
  return attach(model, surface, {"bond", nodes_of_part(model, name), name, {to}, within});
}

Eigen::VectorXd frequencies(const Assembly& model, int count) {
  return solve_modes(model, make_system(model), {std::nullopt, count, false, false}).omega / (2 * pi);
}

Assembly empty_model() {
  Assembly model;
  model.materials = {test::alloy()};
  return model;
}

// A cantilever of solids cut in the middle, the halves meshed differently and attached: its frequencies lie between
// those of either mesh all through, but for 0.2 % that the cut may cost.
TEST(BeamOfTwoMeshes, LiesBetweenTheTwoMeshes) {
  const auto box = [](double length, std::vector<int> divisions, bool quadratic) {
    return mesh_shape(Box{{length, 0.03, 0.02}}, {true, quadratic, 0, 1}, {std::nullopt, std::move(divisions)});
  };
  const auto held = [](const Vector3& x) { return x.x() < -0.15 + 1e-9; };
  for (const bool quadratic : {false, true}) {
    const auto through = [&](std::vector<int> divisions) {
      Assembly one = empty_model();
      add_part(one, solid_part("beam"), box(0.3, std::move(divisions), quadratic));
      test::hold(one, held);
      return frequencies(one, 8);
    };
    const Eigen::VectorXd fine = through({40, 4, 3}), coarse = through({26, 3, 2});
    Assembly two = empty_model();
    const int root = add_part(two, solid_part("root"), box(0.15, {20, 4, 3}, quadratic), {-0.075, 0, 0}),
              tip = add_part(two, solid_part("tip"), box(0.15, {13, 3, 2}, quadratic), {0.075, 0, 0});
    ASSERT_GT(join(two, tip, root, 1e-6), 0);
    test::hold(two, held);
    const Eigen::VectorXd found = frequencies(two, 8);
    for (int r = 0; r < 8; ++r) {
      EXPECT_GT(found[r], 0.998 * std::min(fine[r], coarse[r])) << r;
      EXPECT_LT(found[r], 1.002 * std::max(fine[r], coarse[r])) << r;
    }
  }
}

// A ring of solids on its rim with a tube standing on it: one mesh of solids through, or a shell attached to the ring,
// whose mesh does not fit.
Mesh revolved(const std::vector<double>& radii, const std::vector<double>& heights, int around,
              const std::function<bool(double, double)>& filled) {
  Mesh mesh;
  std::map<std::tuple<std::size_t, std::size_t, int>, int> known;
  const auto node = [&](std::size_t i, std::size_t k, int a) {
    const auto [place, fresh] = known.try_emplace({i, k, a % around}, static_cast<int>(mesh.points.size()));
    const double angle = 2 * pi * (a % around) / around;
    if (fresh) mesh.points.emplace_back(radii[i] * std::cos(angle), radii[i] * std::sin(angle), heights[k]);
    return place->second;
  };
  for (std::size_t i = 0; i + 1 < radii.size(); ++i)
    for (std::size_t k = 0; k + 1 < heights.size(); ++k)
      for (int a = 0; a < around; ++a) {
        if (!filled(0.5 * (radii[i] + radii[i + 1]), 0.5 * (heights[k] + heights[k + 1]))) continue;
        mesh.add(
            kind_of(SolidShape::hexahedron8),
            std::array{node(i, k, a), node(i + 1, k, a), node(i + 1, k, a + 1), node(i, k, a + 1), node(i, k + 1, a),
                       node(i + 1, k + 1, a), node(i + 1, k + 1, a + 1), node(i, k + 1, a + 1)});
      }
  return mesh;
}

std::vector<double> steps(double from, double to, int n) {
  std::vector<double> all;
  for (int i = 0; i <= n; ++i) all.push_back(from + (to - from) * i / n);
  return all;
}

TEST(CylinderOfShellOnABlock, VibratesLikeSolidsThroughout) {
  constexpr double radius = 0.05, wall = 3e-3, height = 0.1, thick = 0.02, inner = 0.02, outer = 0.1;
  std::vector<double> radii = steps(inner, radius - wall / 2, 6);
  for (const double r : {radius, radius + wall / 2}) radii.push_back(r);
  for (const double r : steps(radius + wall / 2, outer, 8))
    if (r > radius + wall / 2 + 1e-9) radii.push_back(r);
  std::vector<double> heights = steps(-thick, 0, 6);
  for (const double z : steps(0, height, 24))
    if (z > 1e-9) heights.push_back(z);
  const auto rim = [&](const Vector3& x) { return x.head<2>().norm() > outer * (1 - 1e-3); };
  Assembly through = empty_model();
  add_part(through, solid_part("piece"),
           revolved(radii, heights, 48, [&](double r, double z) { return z < 0 || std::abs(r - radius) < wall / 2; }));
  test::hold(through, rim);
  const Eigen::VectorXd exact = frequencies(through, 8);

  Assembly joined = empty_model();
  const int ring =
      add_part(joined, solid_part("ring"),
               revolved(steps(inner, outer, 11), steps(-thick, 0, 4), 40, [](double, double) { return true; }));
  const int tube = add_part(joined, shell_part("tube", wall),
                            mesh_shape(Cone{2 * radius + wall, 2 * radius + wall, height}, {false, false, wall, 1},
                                       {std::nullopt, {48, 16}}));
  EXPECT_EQ(join(joined, tube, ring, 0.1e-3), 48);
  test::hold(joined, rim);
  const Eigen::VectorXd found = frequencies(joined, 8);
  const test::KnownProblem known("tube of shells attached to a ring of solids", "one mesh of solids throughout");
  for (int r = 0; r < 8; ++r) known.value(fmt::format("frequency {}, Hz", r + 1), found[r], exact[r], 0.015);
}

// Two plates, each half as thick, one on the other: loose they bend at half the frequency of one plate; attached all
// over they are that plate, whatever their meshes.
TEST(PlateOnPlate, IsOneThickPlateWhenAttached) {
  constexpr double length = 0.2, width = 0.06, half = 2e-3;
  const auto plate = [&](double thickness, int along, int across) {
    return mesh_shape(Plate{length, width}, {false, false, thickness, 1}, {std::nullopt, {along, across}});
  };
  const auto held = [](const Vector3& x) { return x.x() < -0.1 + 1e-9; };
  Assembly thick = empty_model();
  add_part(thick, shell_part("plate", 2 * half), plate(2 * half, 24, 8));
  test::hold(thick, held);
  Assembly pair = empty_model();
  const int lower = add_part(pair, shell_part("lower", half), plate(half, 24, 8), {0, 0, -half / 2}),
            upper = add_part(pair, shell_part("upper", half), plate(half, 17, 6), {0, 0, half / 2});
  ASSERT_EQ(join(pair, upper, lower, 1e-6), 18 * 7);
  test::hold(pair, [](const Vector3& x) { return x.x() < -0.1 + 1e-9 && x.z() < 0; });
  const Eigen::VectorXd exact = frequencies(thick, 6), found = frequencies(pair, 6);
  const test::KnownProblem known("plate attached on a plate", "one plate twice as thick");
  for (int r = 0; r < 6; ++r) known.value(fmt::format("frequency {}, Hz", r + 1), found[r], exact[r], 0.015);
}

// Bolted instead, from bolts of no stiffness to such that hold like a weld.
TEST(BoltedPlates, StiffenFromALoosePairToOnePlate) {
  constexpr double length = 0.2, width = 0.06, half = 2e-3;
  const auto plate = [&](double thickness) {
    return mesh_shape(Plate{length, width}, {false, false, thickness, 1}, {std::nullopt, {40, 12}});
  };
  const auto held = [](const Vector3& x) { return x.x() < -0.1 + 1e-9; };
  Assembly thick = empty_model();
  add_part(thick, shell_part("plate", 2 * half), plate(2 * half));
  test::hold(thick, held);
  const double whole = frequencies(thick, 1)[0];
  double before = 0;
  std::vector<double> ratios;
  for (const double modulus : {1e-3, 1e5, 1e7, 1e9, 2e11, 1e14}) {
    Assembly pair = empty_model();
    add_part(pair, shell_part("lower", half), plate(half), {0, 0, -half / 2});
    add_part(pair, shell_part("upper", half), plate(half), {0, 0, half / 2});
    const Surface surface = surface_of(pair);
    Bolt bolt{"bolts", 4e-3, 9e-3, 1e-3, 2 * half, {modulus, modulus / 2.6}};
    std::vector<Vector3> places;
    for (const double x : steps(-0.09, 0.09, 12))
      for (const double y : steps(-0.024, 0.024, 4)) places.emplace_back(x, y, 0);
    add_bolts(pair, surface, bolt, places, Vector3::UnitZ(), 0, 1, -1);
    test::hold(pair, held);
    ratios.push_back(frequencies(pair, 1)[0] / whole);
    EXPECT_GT(ratios.back(), before);
    before = ratios.back();
  }
  const test::KnownProblem known("plate on plate, bolts of no stiffness", "half of the thick plate's frequency");
  known.value("first frequency over that of the thick plate", ratios.front(), 0.5, 2e-3);  // that shears a little
  EXPECT_GT(ratios.back(), 0.96);
  EXPECT_LT(ratios.back(), 1.005);
}

// A bolt acts at the middle of what it clamps, wherever along it its point was drawn: of plates of 2 and 4 mm, of a
// plate on a block that is bored through, and of one on a block into which the bolt is screwed. The point makes no
// difference.
TEST(Bolts, ActAtTheMiddleOfTheClampedLengthWhereverTheyAreDrawn) {
  const auto plate = [&](double thickness) {
    return mesh_shape(Plate{0.1, 0.1}, {false, false, thickness, 1}, {std::nullopt, {10, 10}});
  };
  struct Case {
    const char* what;
    bool solid;
    double lower, upper, length;  // thicknesses; m
    double middle;                // above the interface
  };
  for (const Case& each :
       {Case{"plates", false, 4e-3, 2e-3, 6e-3, -1e-3}, Case{"plates and a washer", false, 4e-3, 2e-3, 8e-3, -1e-3},
        Case{"bored block", true, 20e-3, 2e-3, 22e-3, -9e-3}, Case{"screwed in", true, 20e-3, 2e-3, 10e-3, -3e-3}}) {
    SCOPED_TRACE(each.what);
    std::optional<Eigen::MatrixXd> before;
    for (const double height : {0.0, 1e-3, -2e-3}) {
      Assembly pair = empty_model();
      if (each.solid)
        add_part(pair, solid_part("lower"),
                 mesh_shape(Box{{0.1, 0.1, each.lower}}, {true, false, 0, 1}, {std::nullopt, {10, 10, 2}}),
                 {0, 0, -each.lower});
      else
        add_part(pair, shell_part("lower", each.lower), plate(each.lower), {0, 0, -each.lower / 2});
      add_part(pair, shell_part("upper", each.upper), plate(each.upper), {0, 0, each.upper / 2});
      const Surface surface = surface_of(pair);
      const Bolt bolt{"bolts", 6e-3, 12e-3, 30e-3, each.length, {2e11, 8e10}};
      add_bolts(pair, surface, bolt, {{0.003, 0.001, height}}, Vector3::UnitZ(), 1, 0, -1);
      EXPECT_NEAR(pair.springs.at(0).point.z(), each.middle, 1e-12) << height;
      test::hold(pair, [](const Vector3& x) { return x.x() < -0.05 + 1e-9; });
      const Eigen::MatrixXd stiffness(make_system(pair).stiffness.ff);
      if (before) {
        EXPECT_LE((stiffness - *before).norm(), 1e-9 * stiffness.norm());
      }
      before = stiffness;
    }
  }
}

// A tightened bolt clamps what lies between its head and its nut: of solids it grips the outer faces, of one into which
// it is screwed the face at the joint, wherever along it its point was drawn and however fine the mesh.
TEST(Bolts, GripTheFacesThatTheyClampWhereverTheyAreDrawn) {
  struct Case {
    double length, lower_face;  // m
  };
  for (const Case& each : {Case{18e-3, -12e-3}, Case{10e-3, 0}})
    for (const int layers : {1, 3})
      for (const double height : {-12e-3, -5e-3, 0.0, 2e-3, 6e-3})
        for (const bool turned : {false, true}) {
          Assembly pair = empty_model();
          add_part(pair, solid_part("lower"),
                   mesh_shape(Box{{0.1, 0.1, 12e-3}}, {true, false, 0, 1}, {std::nullopt, {10, 10, 2 * layers}}),
                   {0, 0, -12e-3});
          add_part(pair, solid_part("upper"),
                   mesh_shape(Box{{0.1, 0.1, 6e-3}}, {true, false, 0, 1}, {std::nullopt, {10, 10, layers}}));
          const Surface surface = surface_of(pair);
          Bolt bolt{"bolts", 6e-3, 12e-3, 30e-3, each.length, {2e11, 8e10}};
          bolt.tension = 5000;
          const Vector3 up = Vector3::UnitZ(), down = -up;
          const std::string gripped =
              add_bolts(pair, surface, bolt, {{0.003, 0.001, height}}, turned ? down : up, 1, 0, -1);
          EXPECT_EQ(gripped, each.lower_face < 0 ? ", gripping the outer face of upper and the outer face of lower"
                                                 : ", gripping the outer face of upper and the inner face of lower");
          ASSERT_EQ(pair.followers.size(), 2U);
          for (int side = 0; side < 2; ++side)
            for (const int lead : pair.followers[static_cast<std::size_t>(side)].leads)
              EXPECT_NEAR(pair.position(lead).z(), side == 0 ? 6e-3 : each.lower_face, 1e-12)
                  << height << ' ' << layers << ' ' << turned;
          EXPECT_LT(pair.springs[0].axes(2, 2), 0) << "a pull is positive";
        }
}

}  // namespace
}  // namespace avrenk
