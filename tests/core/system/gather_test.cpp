#include "core/system/gather.h"

#include <gtest/gtest.h>

#include "core/error.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::distorted_block;
using test::shell_part;
using test::solid_part;

// A block of solids that stands on held nodes, a plate of shells that the top of the block follows, a beam on the plate
// with a body at its end, a spring from the body to the block, a node held in some directions only: every way a matrix
// is made of.
Assembly mixed() {
  Assembly model;
  model.materials = {test::alloy(), test::alloy(0.02)};
  model.parts = {solid_part("block"), shell_part("plate", 3e-3), {"post", 1, tube_section(0.02, 0.002, 0.33)}};
  model.parts[1].material = 1;
  model.parts[1].offset = 2e-3;
  add_mesh(model, 0, distorted_block(SolidShape::hexahedron8, {0.1, 0.08, 0.05}, 3), {Placement{}});
  const Mesh plate = mesh_shape(Plate{0.2, 0.1}, {false, false, 3e-3, 1}, {std::nullopt, {4, 3}});
  add_mesh(model, 1, plate, {Placement{Matrix3::Identity(), {0.05, 0.04, 0.053}}});
  const auto nearest = [&](int part, const Vector3& at) {
    int best = -1;
    for (const ElementGroup& group : model.groups)
      if (group.part == part)
        for (const int node : group.nodes)
          if (best < 0 || (model.position(node) - at).norm() < (model.position(best) - at).norm()) best = node;
    return best;
  };
  model.links = {{"bond", nearest(1, {0.05, 0.04, 0.053}), {}}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node)
    if (model.nodes[static_cast<std::size_t>(node)].origin == "block" && model.position(node).z() > 0.0499 &&
        model.position(node).x() > 0.01)
      model.links[0].follow.push_back(node);
  const int tip = test::add_node(model, {-0.05, 0.04, 0.2}, "post"), foot = nearest(1, {-0.05, 0.0067, 0.053});
  model.beams.push_back({{foot, tip}, 2, {model.position(foot), model.position(tip), Vector3::UnitY()}});
  model.masses = {{"body", tip, {0.01, 0, 0.02}, 0.3, 1e-4 * Matrix3::Identity()}};
  Spring spring = test::stiff_spring(tip, nearest(0, {0, 0, 0.05}), 1e5, 2e5);
  spring.dashpot.setConstant(3);
  model.springs = {spring};
  model.bases = {{"fixture", {}, {0, 0, -0.1}}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node)
    if (model.nodes[static_cast<std::size_t>(node)].origin == "block" && model.position(node).z() < 1e-9)
      model.bases[0].feet.push_back({node, {true, model.position(node).x() < 0.05, true, true, true, true}});
  return model;
}

// Tᵀ X T with the element matrix as it is, by the transformation that the system itself states.
Eigen::MatrixXd summed(const Assembly& model, const System& system,
                       const std::function<Eigen::MatrixXd(const ElementBlock&, Eigen::Index)>& of_block,
                       const std::function<BeamMatrix(const BeamElement&)>& of_beam) {
  const Eigen::MatrixXd t = Eigen::MatrixXd(system.transformation).transpose();  // 6 N x unknowns
  Eigen::MatrixXd full = Eigen::MatrixXd::Zero(t.rows(), t.rows());
  const auto add = [&](const Eigen::MatrixXd& element, std::span<const int> nodes) {
    const Eigen::Index each = element.rows() / static_cast<Eigen::Index>(nodes.size());
    for (std::size_t a = 0; a < nodes.size(); ++a)
      for (std::size_t b = 0; b < nodes.size(); ++b)
        full.block(6 * nodes[a], 6 * nodes[b], each, each) +=
            element.block(each * static_cast<Eigen::Index>(a), each * static_cast<Eigen::Index>(b), each, each);
  };
  for (const ElementGroup& group : model.groups) {
    const ElementBlock block = model.block(group);
    for (std::size_t e = 0; e < group.elements(); ++e)
      add(of_block(block, static_cast<Eigen::Index>(e)), group.element(e));
  }
  for (const BeamElement& beam : model.beams) add(of_beam(beam), beam.nodes);
  return t.transpose() * full * t;
}

Eigen::MatrixXd whole(const Partitioned& parts) {
  const Eigen::MatrixXd ff = parts.ff, fs = parts.fs, ss = parts.ss;
  Eigen::MatrixXd all(ff.rows() + ss.rows(), ff.rows() + ss.rows());
  all << ff, fs, fs.transpose(), ss;
  return all;
}

TEST(Gatherer, GivesTheSumOfTheElementMatricesOnAnyNumberOfThreads) {
  const Assembly model = mixed();
  const System system = make_system(model, 1);
  Assembly bare = model;  // what the blocks and beams alone make
  bare.springs.clear();
  bare.masses.clear();
  const System alone = make_system(bare, 1);
  const Eigen::MatrixXd k = summed(
      bare, alone, [](const ElementBlock& block, Eigen::Index e) { return stiffness(block, e, 1); },
      [&](const BeamElement& beam) { return BeamMatrix(stiffness(beam.geometry, model.properties(beam))); });
  EXPECT_LE((whole(alone.stiffness) - k).norm(), 1e-13 * k.norm());
  const Eigen::MatrixXd m = summed(
      bare, alone, [](const ElementBlock& block, Eigen::Index e) { return mass(block, e, 1); },
      [&](const BeamElement& beam) { return BeamMatrix(mass(beam.geometry, model.properties(beam))); });
  EXPECT_LE((whole(alone.mass) - m).norm(), 1e-13 * m.norm());
  // Same to the last bit.
  for (const int threads : {2, 3}) {
    const System other = make_system(model, threads);
    for (const auto& [a, b] : {std::pair{&system.stiffness, &other.stiffness},
                               {&system.mass, &other.mass},
                               {&system.loss, &other.loss},
                               {&system.own_stiffness, &other.own_stiffness}}) {
      ASSERT_EQ(a->ff.nonZeros(), b->ff.nonZeros());
      EXPECT_TRUE(std::equal(a->ff.valuePtr(), a->ff.valuePtr() + a->ff.nonZeros(), b->ff.valuePtr()));
      EXPECT_TRUE(std::equal(a->ff.innerIndexPtr(), a->ff.innerIndexPtr() + a->ff.nonZeros(), b->ff.innerIndexPtr()));
      EXPECT_EQ((a->fs - b->fs).norm(), 0);
    }
  }
  // The loss matrix is that of the plate, the beam and nothing else.
  EXPECT_LE((whole(alone.loss) - 0.02 * whole(alone.own_stiffness)).norm(), 1e-12 * whole(alone.loss).norm());
}

TEST(Gatherer, MovesRigidlyWithoutForceAndHasTheMassOfGeometry) {
  const Assembly model = mixed();
  const System system = make_system(model);
  const StaticSolution statics = solve_statics(system, factorise_stiffness(model, system));
  EXPECT_TRUE(statics.moves_rigidly);
  EXPECT_LT(statics.rigid_difference, 1e-9);
  Eigen::MatrixXd rigid(system.free + system.supports, 6);
  rigid << system.rigid, system.support_motion;
  // The base's motions are those of its point.
  const Matrix6 about = rigid.transpose() * whole(system.mass) * rigid;
  MassProperties total = total_mass(model);
  const Vector3 arm = total.centre - model.reference();
  EXPECT_NEAR(about(0, 0), total.mass, 1e-12 * total.mass);
  EXPECT_NEAR(about(1, 5), total.mass * arm.x(), 1e-12);
  MassProperties moved;
  moved.add(total.mass, total.centre, total.inertia);
  const Matrix3 inertia =
      total.inertia + total.mass * (arm.squaredNorm() * Matrix3::Identity() - arm * arm.transpose());
  // Free rotations of solids are small rotations of straight lines: exact.
  EXPECT_LE((about.bottomRightCorner<3, 3>() - inertia).norm(), 1e-12 * inertia.norm());
}

TEST(Numbering, GivesRotationsOnlyToNodesThatUseThem) {
  const Assembly model = mixed();
  const System system = make_system(model);
  std::vector<bool> shell(model.nodes.size()), solid(model.nodes.size());
  for (const ElementGroup& group : model.groups)
    for (const int node : group.nodes) (group.kind->is_shell() ? shell : solid)[static_cast<std::size_t>(node)] = true;
  const int sprung = model.springs[0].nodes[1];
  const std::vector<int>& follow = model.links[0].follow;
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node) {
    const auto n = static_cast<std::size_t>(node);
    const bool foot = std::any_of(model.bases[0].feet.begin(), model.bases[0].feet.end(),
                                  [&](const SupportNode& each) { return each.node == node; });
    const bool needed = shell[n] || !solid[n] || node == sprung || foot ||
                        std::find(follow.begin(), follow.end(), node) != follow.end();
    EXPECT_EQ(system.has_rotation(node), needed) << model.describe_node(node);
  }
  // A block on three spots turns about none of them; on two it does, and the message says how.
  Assembly block = test::part_of(distorted_block(SolidShape::tetrahedron10, {0.1, 0.1, 0.1}, 2), solid_part("block"));
  test::hold(block, [](const Vector3& x) { return x.head<2>().norm() < 1e-9; });
  const System hinged = make_system(block);
  try {
    (void)factorise_stiffness(block, hinged);
    FAIL() << "it swings";
  } catch (const InputError& error) {
    EXPECT_NE(error.problems.front().sentence().find("block turns freely about the direction z through (0, 0"),
              std::string::npos)
        << error.problems.front().sentence();
  }
}

// One element among many that has no matrix: told by its part, its file and its place, on any number of threads.
TEST(Gatherer, TellsWhichElementIsFolded) {
  const auto said = [](std::size_t group, const char* file, int threads) {
    Assembly model = mixed();
    ElementGroup& own = model.groups[group];
    model.parts[static_cast<std::size_t>(own.part)].mesh_file = file;
    const auto last = own.nodes.end() - own.kind->nodes;
    std::swap(*last, *(last + 1));
    Vector3 centre = Vector3::Zero();
    for (auto node = last; node != own.nodes.end(); ++node) centre += model.position(*node) / own.kind->nodes;
    try {
      (void)make_system(model, threads);
    } catch (const InputError& error) {
      std::string text = error.what();
      const std::string place = model.describe_position(centre);
      const std::size_t at = text.find(place);
      return at == std::string::npos ? "elsewhere: " + text : text.replace(at, place.size(), "HERE");
    }
    return std::string();
  };
  for (const int threads : {1, 3}) {
    EXPECT_EQ(said(0, "lug.vtu", threads).substr(0, 77),
              "part block: its element at HERE, from lug.vtu, is a hexahedron of 8 nodes tur");
    EXPECT_EQ(said(1, "", threads),
              "part plate: its element at HERE is a quadrilateral with a corner of 180° or more; mesh that place anew");
  }
}

}  // namespace
}  // namespace avrenk
