// Broken models, and the finding that each must give.
#include <gmock/gmock.h>

#include <cmath>
#include <numbers>

#include "core/check/contact.h"
#include "core/check/element_quality.h"
#include "core/check/gravity.h"
#include "core/error.h"
#include "core/mesh/attach.h"
#include "core/mesh/merge.h"
#include "core/mesh/select.h"
#include "core/modes/modal_basis.h"
#include "core/system/energy.h"
#include "core/system/mechanism.h"
#include "support/findings.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using Eigen::MatrixXd;
using testing::AllOf;
using testing::Contains;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

// Two plates beside one another with a common edge line of four nodes, and a block `gap` above the first.
Assembly plates_and_block(double gap = 1e-3) {
  Assembly model;
  model.materials = {test::alloy()};
  model.parts = {test::shell_part("left", 2e-3), test::shell_part("right", 2e-3), test::solid_part("block")};
  const Mesh plate = mesh_shape(Plate{0.1, 0.06}, {false, false, 2e-3, 1}, {std::nullopt, {5, 3}});
  add_mesh(model, 0, plate, {Placement{}});
  add_mesh(model, 1, plate, {Placement{Matrix3::Identity(), {0.1, 0, 0}}});
  add_mesh(model, 2, mesh_shape(Box{{0.02, 0.02, 0.02}}, {true, false, 0, 1}, {std::nullopt, {2, 2, 2}}),
           {Placement{Matrix3::Identity(), {0, 0, 1e-3 + gap}}});
  test::hold(model, [](const Vector3& x) { return x.x() < -0.05 + 1e-9; });
  return model;
}

TEST(Contact, FindsNodesAtOneSpotAndGapsThatNothingJoins) {
  Assembly model = plates_and_block();
  EXPECT_THAT(test::sentences(unjoined_nodes(model)),
              testing::ElementsAre(
                  AllOf(HasSubstr("part left: 4 nodes lie at the same spot as nodes of right and are not joined, "
                                  "the first at (50, -30, 0) mm"),
                        HasSubstr("merge left and right within 0.01 mm"))));
  EXPECT_THAT(test::sentences(open_gaps(model, surface_of(model))),
              Contains(AllOf(HasSubstr("part block: 9 of its nodes lie within 4 mm of left, the nearest 1 mm at"),
                             HasSubstr("attach block to left within"))));
  // The block far enough away is no matter, nor are parts that a joint connects.
  EXPECT_THAT(test::sentences(open_gaps(plates_and_block(6e-3), surface_of(plates_and_block(6e-3)))),
              testing::Each(testing::Not(HasSubstr("block"))));
  const Surface surface = surface_of(model);
  attach(model, surface, {"glue", nodes_of_part(model, "block"), "block", {0}, 2e-3});
  EXPECT_THAT(test::sentences(open_gaps(model, surface)), testing::Each(testing::Not(HasSubstr("block"))));
  const Merged merged = merge_nodes(model, {0, 1}, 1e-6);
  EXPECT_EQ(merged.nodes, 4);
  EXPECT_EQ(merged.farthest, 0);
}

// A fold of two plates, merged: with equal divisions nothing is said; with others the nodes between those that happen
// to coincide pass no force, on either side; an attachment takes them all.
TEST(Contact, FindsASeamThatIsJoinedAtSomeOfItsNodes) {
  const auto fold = [](int along) {
    Assembly model;
    model.materials = {test::alloy()};
    model.parts = {test::shell_part("floor", 2e-3), test::shell_part("wall", 2e-3)};
    add_mesh(model, 0, mesh_shape(Plate{0.1, 0.06}, {false, false, 2e-3, 1}, {std::nullopt, {5, 12}}), {Placement{}});
    Placement upright;
    upright.rotation << 0, 0, 1, 0, 1, 0, -1, 0, 0;  // stands on the edge x = 50 mm
    upright.shift = {0.05, 0, 0.05};
    add_mesh(model, 1, mesh_shape(Plate{0.1, 0.06}, {false, false, 2e-3, 1}, {std::nullopt, {5, along}}), {upright});
    (void)merge_nodes(model, {0, 1}, 1e-6);
    return model;
  };
  const Assembly whole = fold(12), half = fold(8);  // 13 and 9 nodes along the seam: 5 coincide
  EXPECT_THAT(half_joined(whole, surface_of(whole)), IsEmpty());
  EXPECT_THAT(test::sentences(half_joined(half, surface_of(half))),
              testing::ElementsAre(AllOf(
                  HasSubstr("part floor: it is joined to wall at 5 nodes, but 8 of floor and 4 of wall that lie on the "
                            "other between those pass no force, the first at (50, "),
                  HasSubstr("give both the same divisions along their seam"))));
  Assembly attached = half;
  (void)attach(attached, surface_of(attached), {"seam", nodes_of_part(attached, "wall"), "wall", {0}, 1e-4});
  for (const std::string& each : test::sentences(half_joined(attached, surface_of(attached))))
    EXPECT_THAT(each, testing::Not(HasSubstr("of wall that")));
}

// A wide tube is attached around a node of the plate, which itself does not hold it; a second one is not attached.
TEST(Contact, OfAnAttachedEndIsNoMatter) {
  Assembly model = test::part_of(mesh_shape(Plate{0.2, 0.12}, {false, false, 2e-3, 1}, {std::nullopt, {40, 24}}),
                                 test::shell_part("plate", 2e-3), test::alloy());
  for (const char* name : {"post", "peg"}) {
    const auto part = static_cast<int>(model.parts.size());
    model.parts.push_back({name, 0, tube_section(0.06, 2e-3, 0.33)});
    const double x = part == 1 ? 0 : 0.05;
    const int foot = test::add_node(model, {x, 0, 0}, name), top = test::add_node(model, {x, 0, 0.1}, name);
    model.beams.push_back({{foot, top}, part, {model.position(foot), model.position(top), Vector3::UnitX()}});
  }
  test::hold(model, [](const Vector3& x) { return x.x() < -0.0999; });
  attach(model, surface_of(model), {"foot", nodes_of_part(model, "post"), "post", {0}, 2e-3});
  EXPECT_THAT(test::sentences(unjoined_nodes(model)),
              testing::ElementsAre(HasSubstr("1 node lies at the same spot as nodes of peg and is not joined")));
}

TEST(Contact, MergedNodesJoinPartsExactly) {
  // The plates in one piece and merged have the same modes.
  Assembly apart = plates_and_block(), one = apart;
  for (Assembly* model : {&apart, &one}) {
    std::erase_if(model->groups, [](const ElementGroup& g) { return g.part == 2; });
    model->parts.pop_back();
    model->bases.clear();
  }
  (void)merge_nodes(apart, {0, 1}, 1e-6);
  EXPECT_THAT(unjoined_nodes(apart), IsEmpty());
  Assembly through;
  through.materials = one.materials;
  through.parts = {test::shell_part("plate", 2e-3)};
  add_mesh(through, 0, mesh_shape(Plate{0.2, 0.06}, {false, false, 2e-3, 1}, {std::nullopt, {10, 3}}),
           {Placement{Matrix3::Identity(), {0.05, 0, 0}}});
  const auto modes = [](Assembly model) {
    test::hold(model, [](const Vector3& x) { return x.x() < -0.05 + 1e-9; });
    return solve_modes(model, make_system(model), {std::nullopt, 6, false, false}).omega;
  };
  // Nodes of the block are no longer referred to: they have no unknowns.
  const Eigen::VectorXd exact = modes(through), found = modes(apart);
  for (int r = 0; r < 6; ++r) EXPECT_NEAR(found[r] / exact[r], 1, 1e-9);
  EXPECT_THROW((void)merge_nodes(through, {0}, 0.021), InputError);  // an edge is 20 mm
}

TEST(ElementQuality, IsThatOfTheShapesByHand) {
  const auto quality = [](const ElementKind& kind, const std::vector<Vector3>& points) {
    Assembly model;
    model.parts = {Part{"piece"}};
    ElementGroup group{0, &kind, {}};
    for (const Vector3& x : points) group.nodes.push_back(test::add_node(model, x));
    return element_quality(model, group, 0);
  };
  const ElementKind &quadrilateral = shell_kind(4), &triangle = shell_kind(3),
                    &tetrahedron = kind_of(SolidShape::tetrahedron4), &block = kind_of(SolidShape::hexahedron8);
  // A trapezium 3:1 with right angles on one side: corner determinants are as the parallel sides.
  EXPECT_NEAR(quality(quadrilateral, {{0, 0, 0}, {3, 0, 0}, {1, 1, 0}, {0, 1, 0}}).jacobian, 1.0 / 3, 1e-12);
  EXPECT_NEAR(quality(quadrilateral, {{0, 0, 0}, {5, 0, 0}, {5, 1, 0}, {0, 1, 0}}).aspect, 5, 1e-12);
  EXPECT_LE(quality(quadrilateral, {{0, 0, 0}, {3, 0, 0}, {0.2, 0.2, 0}, {0, 3, 0}}).jacobian, 0);  // folded
  // One corner of a unit square lifted by h: cut through that corner the halves have normals (0, −h, 1) and (−h, 0, 1).
  const double h = 0.2;
  EXPECT_NEAR(quality(quadrilateral, {{0, 0, 0}, {1, 0, 0}, {1, 1, h}, {0, 1, 0}}).warp, std::acos(1 / (1 + h * h)),
              1e-12);
  EXPECT_NEAR(quality(triangle, {{0, 0, 0}, {1, 0, 0}, {0.5, std::sqrt(0.75), 0}}).aspect, 1, 1e-12);
  // 3-4-5: inscribed circle of 1, longest edge 5.
  EXPECT_NEAR(quality(triangle, {{0, 0, 0}, {4, 0, 0}, {0, 3, 0}}).aspect, 5 / (2 * std::sqrt(3.0)), 1e-12);
  EXPECT_NEAR(quality(tetrahedron, {{1, 1, 1}, {-1, 1, -1}, {1, -1, -1}, {-1, -1, 1}}).aspect, 1, 1e-12);
  std::vector<Vector3> cube;
  for (const double z : {0.0, 1.0})
    for (const auto& [x, y] : {std::pair{0.0, 0.0}, {1.0, 0.0}, {1.0, 1.0}, {0.0, 1.0}}) cube.emplace_back(x, y, z);
  EXPECT_NEAR(quality(block, cube).jacobian, 1, 1e-12);
  cube[6] = {0.4, 0.4, 0.4};  // a corner pushed past the plane of its neighbours
  EXPECT_LE(quality(block, cube).jacobian, 0);
}

TEST(ElementQuality, TellsTheWorstElementOfAPart) {
  Assembly model = plates_and_block();
  EXPECT_THAT(poor_elements(model, part_quality(model)), IsEmpty());
  for (Node& node : model.nodes)
    if (node.origin == "block" && (node.position - Vector3(0.01, 0.01, 0.022)).norm() < 1e-9) node.position.z() = 0.004;
  const std::vector<PartQuality> quality = part_quality(model);
  const std::vector<Finding> found = poor_elements(model, quality);
  ASSERT_THAT(test::sentences(found), Contains(HasSubstr("part block: the element at (5, 5, ")));
  EXPECT_EQ(found.front().grade, Finding::Grade::error);
  EXPECT_EQ(quality[2].beyond, 1);
}

// Σ of all shares is half the work of gravity; stress and deflection of a cantilever by hand.
TEST(Gravity, BalancesEnergyStressAndReaction) {
  test::Cantilever c;
  c.length = 0.5;
  Assembly model = test::cantilever(c);
  model.joints = {{"spring", Joint::Type::spring}};
  const int tip = test::add_node(model, {0.5, 0, 0}, "body");
  model.masses = {{"body", tip, Vector3::Zero(), 0.3, Matrix3::Identity() * 1e-6}};
  model.springs = {test::stiff_spring(c.elements, tip, 2e4, 1e5)};
  model.springs[0].point = {0.5, 0, 0};
  const System system = make_system(model);
  const StaticSolution statics = solve_statics(system, factorise_stiffness(model, system));
  const std::vector<GravityCase> cases = under_gravity(model, system, statics);
  ASSERT_THAT(cases, SizeIs(3));
  MatrixXd motions(cases[0].motions.size(), 3);
  for (int k = 0; k < 3; ++k) motions.col(k) = cases[static_cast<std::size_t>(k)].motions;
  const StrainEnergy energy = strain_energy(model, motions);
  const double g = standard_gravity, d = 0.01, i = std::numbers::pi * std::pow(d, 4) / 64,
               area = std::numbers::pi * d * d / 4, weight = 0.3 * g, line = 2700 * area * g, l = 0.5, e = 70e9;
  for (int axis = 0; axis < 3; ++axis) {
    const GravityCase& own = cases[static_cast<std::size_t>(axis)];
    EXPECT_NEAR(own.reaction / own.weight, 1, 1e-9);
    EXPECT_NEAR(own.weight, weight + line * l, 1e-9 * weight);
    EXPECT_NEAR(energy.joints(0, axis), 0.5 * weight * weight / (axis == 2 ? 2e4 : 1e5), 1e-6 * energy.joints(0, axis));
  }
  // Bending by a tip load P and its own weight w: δ = PL³/3EI + wL⁴/8EI; shear adds 1e-3 of it.
  const double tip_deflection = weight * l * l * l / (3 * e * i) + line * l * l * l * l / (8 * e * i) + weight / 2e4;
  EXPECT_NEAR(cases[2].deflection / tip_deflection, 1, 2e-3);
  const std::vector<HighestStress> stress = highest_stress(model, motions);
  ASSERT_THAT(stress, SizeIs(1));
  const double moment = weight * l + 0.5 * line * l * l;
  EXPECT_NEAR(stress[0].value[2] / (moment * d / 2 / i), 1, 1e-3);
  EXPECT_EQ(stress[0].node[2], 0);
  EXPECT_THAT(gravity_findings(model, cases, stress), IsEmpty());
  model.materials[0].yield = 1e5;
  EXPECT_THAT(test::sentences(gravity_findings(model, cases, stress)),
              Contains(HasSubstr("part mast: 1 g along z alone stresses it to")));
}

TEST(FreeMotions, AreNamedWithWhatIsLikelyMissing) {
  Assembly model = plates_and_block();
  const auto refusal = [](const Assembly& broken) {
    try {
      const System system = make_system(broken);
      (void)factorise_stiffness(broken, system);
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string("none");
  };
  EXPECT_THAT(refusal(model), AllOf(HasSubstr("right is joined to nothing that is held"),
                                    HasSubstr("the nearest other part is left, 0 mm from right (50, "),
                                    HasSubstr("block is joined to nothing that is held"),
                                    HasSubstr("the nearest other part is left, 1 mm from block"),
                                    HasSubstr("attach block to left within 1.01 mm")));
  // A hinge: a spring without a stiffness about y.
  Assembly hinge = test::cantilever({});
  const int far = test::add_node(hinge, {1, 0, 0}, "flap"), end = test::add_node(hinge, {1.3, 0, 0}, "flap");
  hinge.beams.push_back({{far, end}, 0, {hinge.position(far), hinge.position(end), Vector3::UnitZ()}});
  Spring spring = test::stiff_spring(16, far, 1e9);
  spring.joint = "knuckle";
  spring.point = {1, 0, 0};
  spring.stiffness[4] = 0;
  hinge.springs = {spring};
  EXPECT_THAT(refusal(hinge), AllOf(HasSubstr("flap turns freely about the direction y through (1000, 0, 0) mm"),
                                    HasSubstr("only joint knuckle leads to what stands still")));
}

// A free beam: six modes of 0 Hz that carry all its mass, then those of 1 − cos β cosh β = 0. No base at all.
TEST(FreeModel, HasExactlyItsRigidMotionsAndTheClosedFormBehindThem) {
  test::Cantilever c;
  c.section = rod_section(0.002, 0.3);
  c.elements = 40;
  Assembly model = test::cantilever(c);
  model.bases.clear();
  ModeRequest request{std::nullopt, 12, true, false};
  request.free_motions = true;
  const System system = make_system(model);
  const ModalBasis basis = solve_modes(model, system, request);
  EXPECT_THAT(describe_motions(model, system, basis.shapes.leftCols(6)), SizeIs(6));
  EXPECT_EQ(basis.free_motions(), 6);
  EXPECT_EQ(basis.counted_below, 12);
  const double unit = std::sqrt(70e9 / 2700) * (0.002 / 4) / (2 * pi);  // √(EI/ρA)/2πL², L = 1
  int r = 6;
  for (const double root : {4.73004074486, 7.85320462410, 10.9956078380})
    for (int plane = 0; plane < 2; ++plane, ++r) EXPECT_NEAR(basis.frequency(r) / (root * root * unit), 1, 1e-4) << r;
  for (int d = 0; d < 3; ++d) {
    double rigid = 0;
    for (int k = 0; k < 6; ++k) rigid += basis.effective_mass(k, d);
    EXPECT_NEAR(rigid / basis.rigid_mass(d, d), 1, 1e-9);
  }
  // Held by a ball joint it has three left.
  model.bases = {{"pin", {SupportNode{0, {true, true, true, false, false, false}}}, Vector3::Zero()}};
  const System pinned = make_system(model);
  EXPECT_EQ(solve_modes(model, pinned, request).free_motions(), 3);
}

}  // namespace
}  // namespace avrenk
