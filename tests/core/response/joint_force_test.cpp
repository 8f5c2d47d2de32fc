// What passes through joints: Newton's law for what hangs on them.
#include "core/response/joint_force.h"
#include "core/element/discrete.h"
#include "core/modes/modal_basis.h"
#include "core/system/system.h"

#include <gtest/gtest.h>

#include "core/mesh/attach.h"
#include "core/mesh/select.h"
#include "support/solids.h"

namespace avrenk {
namespace {

// A plate held along one side with a block attached on it, and on the block a mast whose tip carries a body by an
// rigid link. The block has a loss factor of its own, as large as the general one: the modes uncouple exactly.
Assembly stack() {
  Assembly model;
  model.materials = {test::alloy(), test::alloy(0.03)};
  model.parts = {test::shell_part("deck", 4e-3), test::solid_part("block"), Part{"mast"}};
  model.parts[1].material = 1;
  model.parts[2].section = tube_section(0.01, 1e-3, 0.33);
  add_mesh(model, 0, mesh_shape(Plate{0.2, 0.15}, {false, false, 4e-3, 1}, {std::nullopt, {8, 6}}), {Placement{}});
  add_mesh(model, 1, test::distorted_block(SolidShape::hexahedron8, {0.06, 0.05, 0.03}, 3),
           {Placement{Matrix3::Identity(), {0, -0.02, 2.5e-3}}});
  int before = test::add_node(model, {0.03, 0, 0.0325}, "mast");
  const int root = before;
  for (const double z : {0.08, 0.13}) {
    const int next = test::add_node(model, {0.03, 0.01, z}, "mast");
    model.beams.push_back({{before, next}, 2, {model.position(before), model.position(next), Vector3::UnitY()}});
    before = next;
  }
  const Surface surface = surface_of(model);
  attach(model, surface, {"glue", nodes_of_part(model, "block"), "block", {0}, 1e-3});
  attach(model, surface, {"socket", {root}, "mast", {1}, 1e-3});
  const int tip = test::add_node(model, {0.035, 0.012, 0.14}, "antenna");
  model.links = {{"cap", before, {tip}}};
  model.masses = {{"antenna", tip, {0.001, 0.002, 0.01}, 0.05, Matrix3::Identity() * 2e-6}};
  test::hold(model, [](const Vector3& x) { return x.x() < -0.1 + 1e-9; });
  return model;
}

// Force and moment that a joint must give: all mass behind it, moved as each node moves.
Eigen::Matrix<Complex, 6, 1> inertia_of(const test::Solved& solved, const std::vector<std::string>& behind,
                                        const Vector3& about, int direction, double frequency) {
  Assembly own = solved.assembly;
  std::vector<bool> keep;
  for (const Part& part : own.parts) keep.push_back(std::find(behind.begin(), behind.end(), part.name) != behind.end());
  std::erase_if(own.groups, [&](const ElementGroup& g) { return !keep[static_cast<std::size_t>(g.part)]; });
  std::erase_if(own.beams, [&](const BeamElement& b) { return !keep[static_cast<std::size_t>(b.part)]; });
  own.links.clear();
  own.followers.clear();
  own.bases = {{"all", {}, about}};  // every node on its own: the mass matrix of each
  for (int n = 0; n < static_cast<int>(own.nodes.size()); ++n) own.bases[0].feet.push_back({n});
  const System system = make_system(own);
  Eigen::VectorXcd acceleration(system.supports);
  for (std::size_t f = 0; f < own.bases[0].feet.size(); ++f) {
    // Motions of the base point that move this node as it moves.
    const int node = own.bases[0].feet[f].node;
    Eigen::Matrix<Complex, 6, 1> motion;
    for (int d = 0; d < 3; ++d) {
      const Complex w(0, 2 * pi * frequency);
      motion[d] =
          solved.response(solved.channels.motion(node, NodeMotion::absolute_acceleration).row(d), direction, frequency);
      motion[3 + d] =
          w * w *
          solved.response(solved.channels.motion(node, NodeMotion::absolute_rotation).row(d), direction, frequency);
    }
    acceleration.segment<6>(6 * static_cast<Eigen::Index>(f)) = rigid_arm(own.position(node), about) * motion;
  }
  return system.support_motion.transpose() * (system.mass.ss.cast<Complex>() * acceleration);
}

TEST(JointForce, IsWhatTheMassBehindTheJointNeeds) {
  const test::Solved solved(stack(), test::count(20), test::loss_factor(0.03));
  struct Case {
    const char* joint;
    std::vector<std::string> behind;
  };
  for (const Case& each : {Case{"glue", {"block", "mast"}}, Case{"socket", {"mast"}}, Case{"cap", {}}}) {
    const std::vector<JointSide> sides = joint_sides(solved.assembly, each.joint);
    ASSERT_EQ(sides.size(), 1U) << each.joint;
    const Eigen::MatrixXcd channels = solved.channels.joint_force(sides[0]);
    for (int direction = 0; direction < 3; ++direction) {
      // Modes and residual vectors carry the inertia loads exactly at rest, so that the balance holds at 0 Hz whatever
      // modes are left out; at resonance it holds as well as the modes span the motion.
      for (const double frequency : {0.5, solved.basis.frequency(0), solved.basis.frequency(2)}) {
        const auto exact = inertia_of(solved, each.behind, sides[0].point, direction, frequency);
        for (int d = 0; d < 6; ++d) {
          const Complex found = solved.response(channels.row(d), direction, frequency);
          const double scale = d < 3 ? exact.head<3>().norm() : exact.tail<3>().norm() + 0.01 * exact.head<3>().norm();
          EXPECT_LE(std::abs(found - exact[d]), (frequency < 1 ? 1e-5 : 5e-3) * scale)
              << each.joint << " " << direction << " " << frequency << " " << d << " " << found << " " << exact[d];
        }
      }
    }
  }
}

}  // namespace
}  // namespace avrenk
