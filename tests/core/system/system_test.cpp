#include "core/system/system.h"
#include "core/element/discrete.h"

#include <gmock/gmock.h>

#include "core/error.h"
#include "core/modes/modal_basis.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Cantilever;
using testing::HasSubstr;

std::string modes_of(const Assembly& model, std::optional<double> up_to) {
  try {
    ModeRequest request;
    request.up_to = up_to;
    if (!up_to) request.count = 3;
    (void)solve_modes(model, make_system(model), request);
  } catch (const InputError& error) {
    return error.what();
  }
  return "none";
}

std::string mechanism_of(const Assembly& model) {
  const System system = make_system(model);
  try {
    (void)factorise_stiffness(model, system);
  } catch (const InputError& error) {
    return error.what();
  }
  return "none";
}

TEST(System, CarriesTheMassOfTheModelUnderRigidMotion) {
  // The assembled mass matrix against the sum of rigid bodies, translation, coupling and inertia alike.
  const Assembly model = test::portal(std::nullopt);
  const System system = make_system(model);
  const Eigen::MatrixXd& r = system.rigid;
  const Eigen::MatrixXd& e = system.support_motion;
  const Eigen::MatrixXd coupling = r.transpose() * (system.mass.fs * e);
  const Matrix6 found =
      r.transpose() * (system.mass.ff * r) + coupling + coupling.transpose() + e.transpose() * (system.mass.ss * e);
  const MassProperties all = total_mass(model);
  const Matrix6 expected = mass_at_node(all.mass, all.inertia, all.centre - model.bases[0].point);
  EXPECT_LE((found - expected).norm(), 1e-12 * expected.norm());
}

TEST(System, MovesRigidlyOnOneBaseAndTellsOfASpringToGround) {
  Assembly model = test::portal(std::nullopt);
  System system = make_system(model);
  StaticSolution statics = solve_statics(system, factorise_stiffness(model, system));
  EXPECT_TRUE(statics.moves_rigidly);
  EXPECT_LE(statics.rigid_difference, 1e-9);
  Spring leash = model.springs.front();
  leash.nodes = {3, -1};
  leash.point = model.nodes[3].position;
  model.springs.push_back(leash);
  system = make_system(model);
  statics = solve_statics(system, factorise_stiffness(model, system));
  EXPECT_FALSE(statics.moves_rigidly);
  EXPECT_GT(statics.rigid_difference, 0.01);
}

TEST(System, RefusesANodeThatTwoBasesHold) {
  Assembly model = test::portal(std::nullopt);
  model.bases.push_back({"second", {SupportNode{0}}, Vector3::Zero()});
  try {
    (void)make_system(model);
    FAIL();
  } catch (const InputError& error) {
    EXPECT_STREQ(error.what(), "base second: foot (0, 0, 0) mm is held twice; let one base hold a node");
  }
}

TEST(Mechanism, IsNamedWithThePartThatMovesAndHow) {
  Cantilever c;
  c.elements = 4;
  // Held in all but the rotation about its own axis.
  Assembly hinged = test::cantilever(c);
  hinged.bases[0].feet[0].holds = {true, true, true, false, true, true};
  EXPECT_THAT(mechanism_of(hinged), HasSubstr("mechanism: mast turns freely about the direction x"));
  // Held so that it can slide across.
  Assembly sliding = test::cantilever(c);
  sliding.bases[0].feet[0].holds = {true, false, true, true, true, true};
  EXPECT_THAT(mechanism_of(sliding), HasSubstr("mast moves freely along y"));
  // A box on springs without stiffness about z, at a stated point.
  Assembly loose = test::chain({1}, {1e5});
  loose.springs[0].stiffness[5] = 0;
  EXPECT_THAT(mechanism_of(loose), HasSubstr("mass turns freely about the direction z through (0, 0, 0) mm"));
  // A body on a spring that turns for nothing: no stiffness at all is left about any axis; one without inertia has
  // nothing that could turn.
  Assembly bare = test::chain({1}, {1e5});
  bare.springs[0].stiffness.tail<3>().setZero();
  EXPECT_THAT(mechanism_of(bare), HasSubstr("mass turns freely about the direction"));
  bare.masses[0].inertia.setZero();
  EXPECT_EQ(mechanism_of(bare), "none");
  // Something that touches nothing has six free motions.
  Assembly adrift = test::cantilever(c);
  test::add_node(adrift, {5, 5, 5}, "antenna");
  adrift.masses.push_back({"antenna", 5, Vector3::Zero(), 1, Matrix3::Identity()});
  EXPECT_THAT(mechanism_of(adrift),
              HasSubstr("mechanism: antenna is joined to nothing that is held: it moves freely in all directions"));
  EXPECT_EQ(mechanism_of(test::cantilever(c)), "none");
  // Said also where the modes are counted first.
  Assembly turning = test::chain({2}, {1e5});
  turning.springs[0].stiffness.tail<3>().setZero();
  turning.nodes[1].position.x() = turning.springs[0].point.x() = 0.1;
  for (const std::optional<double>& up_to : {std::optional(200.0), std::optional<double>()})
    EXPECT_THAT(modes_of(turning, up_to), HasSubstr("mass turns freely about"));
  Assembly held = test::cantilever(c);
  for (int node = 1; node < static_cast<int>(held.nodes.size()); ++node) held.bases[0].feet.push_back({node});
  EXPECT_THAT(modes_of(held, 100.0), HasSubstr("every node is held, nothing can move"));
  Assembly beyond = test::cantilever(c);
  beyond.materials[0].youngs_modulus = 1e306;
  beyond.parts[0].section.area = 1e10;
  EXPECT_THAT(modes_of(beyond, 100.0), HasSubstr("the stiffness of mast"));
  c.elements = 1500;  // a very slender line is no mechanism
  EXPECT_EQ(mechanism_of(test::cantilever(c)), "none");
}

TEST(RigidLinks, FollowThroughChainsAndRefuseRings) {
  Assembly model = test::chain({1}, {1e5});
  const int a = test::add_node(model, {0, 0, 1}), b = test::add_node(model, {1, 0, 1});
  model.links = {{"first", 1, {a}}, {"second", a, {b}}};
  const System system = make_system(model);
  // ux of b under a unit rotation of node 1 about y is its height, 1; under rotation about z it is minus its y, 0.
  const Eigen::VectorXd ux = system.row(b, 0), uy = system.row(b, 1);
  EXPECT_DOUBLE_EQ(ux[4], 1);
  EXPECT_DOUBLE_EQ(ux[5], 0);
  EXPECT_DOUBLE_EQ(uy[5], 1);
  const auto refusal = [&](std::vector<RigidLink> links) {
    model.links = std::move(links);
    try {
      (void)make_system(model);
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_THAT(refusal({{"first", a, {b}}, {"second", b, {a}}}),
              HasSubstr("follows nodes that follow it together with second: a ring of joints"));
  EXPECT_THAT(refusal({{"first", 1, {a}}, {"second", b, {a}}}),
              HasSubstr("joint second: point (0, 0, 1000) mm already follows in joint first"));
  EXPECT_THAT(refusal({{"first", 1, {0}}}),
              HasSubstr("base fixture: foot (0, 0, 0) mm is held, but follows in a joint"));
}

}  // namespace
}  // namespace avrenk
