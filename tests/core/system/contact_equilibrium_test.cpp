// Tightened bolts and one-sided springs at rest, against springs in series by hand and against every set of closed
// ones.
#include "core/system/contact_equilibrium.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <random>

#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::VectorXd;

Vector6 along_z(double force) { return force * Vector6::Unit(2); }

// A flange: a mass on the base, held by a soft spring, a one-sided contact to the base and any bolts to it, along z.
struct Flange {
  Assembly model;
  int body = 0;
};
Flange flange(double contact, double gap, const std::vector<double>& bolts, double soft) {
  Flange f;
  const int foot = test::add_node(f.model, Vector3::Zero(), "foot");
  f.body = test::add_node(f.model, Vector3::Zero(), "flange");
  f.model.bases = {{"fixture", {SupportNode{foot}}, Vector3::Zero()}};
  f.model.masses.push_back({"flange", f.body, Vector3::Zero(), 2, Matrix3::Identity()});
  f.model.springs.push_back(test::stiff_spring(foot, f.body, soft));
  Spring pad;
  pad.joint = "seat";
  pad.nodes = {foot, f.body};
  pad.stiffness[2] = contact;
  pad.unilateral = UnilateralContact{2, 1, gap, std::nullopt};
  f.model.springs.push_back(pad);
  for (const double stiffness : bolts) {
    Spring bolt;
    bolt.joint = "bolt";
    bolt.nodes = {foot, f.body};
    bolt.stiffness[2] = stiffness;
    bolt.tension = 5000;
    f.model.springs.push_back(bolt);
  }
  return f;
}

StaticContactState at_rest(const Assembly& model, const std::map<int, Vector6>& forces, const std::vector<int>& bolts,
                           bool one_by_one = false, const Vector3& field = Vector3::Zero()) {
  Assembly loaded = model;
  Load load;
  load.name = "push";
  load.columns.push_back({forces});
  load.factors = {1};
  loaded.loads = {load};
  const System system = make_system(loaded);
  RestRequest request;
  request.force = VectorXd(system.loads.col(0)) + forces_of_field(system, field).free;
  request.displaced = VectorXd::Zero(system.support_motion.cols());
  request.bolts = bolts;
  request.one_by_one = one_by_one;
  return find_contact_equilibrium(loaded, system, factorise_stiffness(loaded, system), request);
}

// Textbook joint: a bolt of k_b tightened to F over a clamp of k_c. Pulled by P < F (k_b + k_c)/k_c it opens not at all
// and the bolt takes k_b/(k_b + k_c) of it; beyond, the contact is open and the bolt takes all that the soft spring
// leaves, by hand.
TEST(BoltedJoint, SharesAPullUntilItOpens) {
  const double clamp = 3e8, bolt = 1e8, soft = 1e3, tension = 5000;
  const Flange f = flange(clamp, 0, {bolt}, soft);
  const auto pulled = [&](double force) { return at_rest(f.model, {{f.body, along_z(force)}}, {2}); };
  const StaticContactState tight = pulled(0);
  EXPECT_NEAR(tight.bolts[0].tightened / tension, 1, 1e-10);
  EXPECT_NEAR(tight.bolts[0].finally / tension, 1, 1e-10);
  EXPECT_TRUE(tight.contacts[0].closed);
  EXPECT_NEAR(tight.contacts[0].pressing / (tension * clamp / (clamp + soft)), 1, 1e-9);
  EXPECT_NEAR(tight.bolts[0].shortened / (tension / bolt + tension / (clamp + soft)), 1, 1e-9);
  for (const double force : {-2e4, 3000.0, 6600.0}) {
    const StaticContactState state = pulled(force);
    EXPECT_TRUE(state.contacts[0].closed) << force;
    const double share = bolt / (bolt + clamp + soft);
    EXPECT_NEAR(state.bolts[0].finally / (tension + share * force), 1, 1e-9) << force;
    EXPECT_LE(state.largest_pull, 0);
  }
  for (const double force : {6700.0, 2e4}) {
    const StaticContactState state = pulled(force);
    ASSERT_FALSE(state.contacts[0].closed) << force;
    // Only bolt and soft spring are left: k_b (u + s) + k_s u = P.
    const double u = (force - bolt * tight.bolts[0].shortened) / (bolt + soft);
    EXPECT_NEAR(state.contacts[0].gap / u, 1, 1e-7) << force;
    EXPECT_NEAR(state.bolts[0].finally / (bolt * (u + tight.bolts[0].shortened)), 1, 1e-9) << force;
  }
}

// A second bolt tightened beside the first takes some of its tension: F₁' = F − k₁ F/(k_c + k₁ + soft).
TEST(BoltedJoint, LosesTensionToBoltsTightenedLater) {
  const double clamp = 3e8, bolt = 1e8, soft = 1e6, tension = 5000;
  const Flange f = flange(clamp, 0, {bolt, 2 * bolt}, soft);
  const StaticContactState at_once = at_rest(f.model, {}, {2, 3}), later = at_rest(f.model, {}, {2, 3}, true),
                           turned = at_rest(f.model, {}, {3, 2}, true);
  for (const BoltAtRest& each : at_once.bolts) EXPECT_NEAR(each.finally / tension, 1, 1e-10);
  EXPECT_NEAR(later.bolts[1].finally / tension, 1, 1e-10);
  EXPECT_NEAR(later.bolts[0].finally / (tension - bolt * tension / (clamp + bolt + soft)), 1, 1e-10);
  EXPECT_NEAR(turned.bolts[0].finally / (tension - 2 * bolt * tension / (clamp + 2 * bolt + soft)), 1, 1e-10);
}

// A rod with a gap to a wall: F = k_rod u until the gap closes, then both springs.
TEST(Gap, StopsARodThatReachesTheWall) {
  Assembly model;
  const int foot = test::add_node(model, Vector3::Zero(), "foot"), end = test::add_node(model, Vector3(0, 0, 1), "end"),
            wall = test::add_node(model, Vector3(0, 0, 1), "wall");
  model.bases = {{"fixture", {SupportNode{foot}, SupportNode{wall}}, Vector3::Zero()}};
  model.masses.push_back({"tip", end, Vector3::Zero(), 1, Matrix3::Identity()});
  const double rod = 2e6, stop = 7e6, gap = 1e-4;
  Spring held = test::stiff_spring(foot, end, rod);
  model.springs.push_back(held);
  Spring bump;
  bump.joint = "stop";
  bump.nodes = {end, wall};
  bump.point = Vector3(0, 0, 1);
  bump.stiffness[2] = stop;
  bump.unilateral = UnilateralContact{2, 1, gap, std::nullopt};  // travel wall − end: shrinks as the end moves up
  model.springs.push_back(bump);
  for (const double force : {-300.0, 0.0, 199.0, 201.0, 1000.0}) {
    const StaticContactState state = at_rest(model, {{end, along_z(force)}}, {});
    const bool touches = force > rod * gap;
    EXPECT_EQ(state.contacts[0].closed, touches) << force;
    const double u = touches ? (force + stop * gap) / (rod + stop) : force / rod;
    EXPECT_NEAR(touches ? state.contacts[0].pressing : state.contacts[0].gap, touches ? stop * (u - gap) : gap - u,
                1e-9 * 1000)
        << force;
    // Frozen, with the gap's own load on it, the linear model gives the same again.
    Assembly frozen = model;
    take_out_open(state, frozen);
    Load load;
    load.name = "gap";
    load.columns = {state.column, LoadColumn{{{end, along_z(force)}}}};
    load.factors = {1, 1};
    frozen.loads = {load};
    const System system = make_system(frozen);
    const VectorXd unknowns =
        factorise_stiffness(frozen, system).solve(VectorXd(system.loads * VectorXd::Ones(2))).col(0);
    EXPECT_NEAR(system.motions(unknowns)(6 * end + 2, 0) / (u == 0 ? 1 : u), u == 0 ? 0 : 1, 1e-9) << force;
  }
}

// A beam-like row of masses over stops of uneven gaps, pushed at random: the state found is the only one of all 2ⁿ sets
// in which nothing pulls and nothing overlaps.
TEST(Contact, IsTheOnlySetThatIsComplementary) {
  std::mt19937 random(7);
  std::uniform_real_distribution<double> uniform(0, 1);
  for (int trial = 0; trial < 20; ++trial) {
    constexpr int count = 6;
    Assembly model;
    const int foot = test::add_node(model, Vector3::Zero(), "foot");
    model.bases = {{"fixture", {SupportNode{foot}}, Vector3::Zero()}};
    std::map<int, Vector6> forces;
    int before = foot;
    for (int i = 0; i < count; ++i) {
      const int node = test::add_node(model, Vector3(0.1 * (i + 1), 0, 0), "row");
      model.masses.push_back({"row", node, Vector3::Zero(), 1, Matrix3::Identity()});
      model.springs.push_back(test::stiff_spring(before, node, 1e4 * (1 + uniform(random)), 1e5));
      model.springs.back().point = 0.5 * (model.position(before) + model.position(node));
      Spring stop;
      stop.joint = "stops";
      stop.nodes = {node, -1};
      stop.point = model.position(node);
      stop.axes << 0, 1, 0, 0, 0, 1, 1, 0, 0;
      const double sign = uniform(random) < 0.5 ? -1 : 1;
      stop.stiffness[1] = 1e5 * (1 + 9 * uniform(random));
      stop.unilateral = UnilateralContact{1, sign, trial % 2 ? 2e-3 * uniform(random) : 0, std::nullopt};
      model.springs.push_back(stop);
      forces[node] = along_z(200 * (uniform(random) - 0.5));
      before = node;
    }
    const StaticContactState found = at_rest(model, forces, {});
    int valid = 0, same = 0;
    for (int set = 0; set < (1 << count); ++set) {
      Assembly one = model;
      LoadColumn gaps{forces};
      for (int i = 0; i < count; ++i) {
        Spring& stop = one.springs[static_cast<std::size_t>(2 * i + 1)];
        if (set >> i & 1)
          gaps.unstressed_at[2 * i + 1] = -stop.unilateral->sign * stop.unilateral->gap * Vector6::Unit(1);
        else
          stop.stiffness.setZero();
      }
      Load load;
      load.name = "push";
      load.columns = {gaps};
      load.factors = {1};
      one.loads = {load};
      const System system = make_system(one);
      const VectorXd moved = system.motions(factorise_stiffness(one, system).solve(VectorXd(system.loads.col(0))));
      bool good = true, equal = true;
      for (int i = 0; i < count; ++i) {
        const UnilateralContact& side = *one.springs[static_cast<std::size_t>(2 * i + 1)].unilateral;
        const double opening = side.gap - side.sign * moved[6 * (i + 1) + 2];
        good = good && ((set >> i & 1) ? opening < 1e-12 : opening > -1e-12);
        equal = equal && found.contacts[static_cast<std::size_t>(i)].closed == bool(set >> i & 1);
      }
      valid += good;
      same += good && equal;
    }
    EXPECT_EQ(valid, 1) << trial;
    EXPECT_EQ(same, 1) << trial;
  }
}

TEST(Contact, ThatHoldsNothingIsRefused) {
  const auto refused = [](const Assembly& model, const std::map<int, Vector6>& forces, const std::vector<int>& bolts) {
    try {
      (void)at_rest(model, forces, bolts);
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  // Nothing but the contact is along z: pulled it opens, pushed it holds, and with a gap it falls until it touches.
  const Flange loose = flange(3e8, 0, {}, 0), falling = flange(3e8, 1e-3, {}, 0);
  EXPECT_THAT(refused(loose.model, {{loose.body, along_z(10)}}, {}),
              testing::HasSubstr("nothing holds what it pressed"));
  EXPECT_EQ(refused(loose.model, {{loose.body, along_z(-10)}}, {}), "");
  const StaticContactState landed = at_rest(falling.model, {}, {}, false, Vector3(0, 0, -standard_gravity));
  EXPECT_TRUE(landed.contacts[0].closed);
  EXPECT_NEAR(landed.contacts[0].pressing / (2 * standard_gravity), 1, 1e-9);
  // A bolt between what nothing else joins.
  Flange bare = flange(0, 0, {1e8}, 0);
  bare.model.springs.erase(bare.model.springs.begin() + 1);
  EXPECT_THAT(refused(bare.model, {}, {1}), testing::HasSubstr("nothing presses back when the bolt"));
}

}  // namespace
}  // namespace avrenk
