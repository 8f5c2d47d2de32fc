// Joints and places in plans: what they become, and what is refused.
#include <gmock/gmock.h>

#include "core/mesh/select.h"
#include "core/system/system.h"
#include "files/vtu.h"
#include "support/plans.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::replaced;
using test::TemporaryFolder;
using testing::HasSubstr;

const std::string ring_joint = R"(materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3}
  steel: {E: 205 GPa, nu: 0.29, density: 7850 kg/m^3}
  sheet: {E: {x: 62 GPa, y: 60 GPa, z: 9 GPa}, nu: {xy: 0.05, yz: 0.3, xz: 0.3}, G: {xy: 4 GPa, yz: 3 GPa, xz: 3 GPa}, density: 1600 kg/m^3, axes: {x: [1, 0, 0], y: [0, 1, 0]}}
parts:
  deck: {plate: {size: [300 mm, 200 mm], divisions: [12, 8]}, thickness: 4 mm, material: alloy}
  wing: {plate: {size: [100 mm, 200 mm], divisions: [4, 8]}, thickness: 4 mm, material: alloy, position: [200 mm, 0 mm, 0 mm]}
  bracket: {plate: {size: [60 mm, 60 mm], divisions: [4, 4]}, thickness: 2 mm, material: alloy, position: [0 mm, 0 mm, 3 mm]}
  tower: {tube: {diameter: 60 mm, height: 80 mm, divisions: [16, 4]}, thickness: 2 mm, material: alloy, position: [-80 mm, 0 mm, 3 mm], weighed: 0.1 kg, scale: yes}
  mast: {line: {from: [80 mm, 20 mm, 2 mm], to: [80 mm, 20 mm, 200 mm], divisions: 4}, section: {tube: {diameter: 20 mm, wall: 2 mm}}, material: alloy}
  foot: {mesh: foot.vtu, length: m, material: alloy, position: [-20 mm, -89 mm, -32 mm]}
places:
  side: {part: deck, plane: {x: -150 mm}}
  slope: {part: deck, plane: {through: [0 mm, 0 mm, 0 mm], normal: [1, 1, 0]}, within: 1 mm}
  ring: {part: tower, cylinder: {axis: z, through: [-80 mm, 0 mm, 0 mm], radius: 29 mm, inner radius: 29 mm}, within: 0.1 mm}
  rim: {intersection: [ring, {part: tower, plane: {z: 83 mm}}]}
  all-tower: {part: tower}
  walls: {difference: [all-tower, rim]}
  both: {union: [rim, {part: mast, nearest: [80 mm, 20 mm, 200 mm]}]}
  top: {surface of: foot, facing: +z}
  under: {surface of: foot, facing: [0, 0, -1], within: 10 deg}
  marked: {part: foot, set: {hole: [1, 2]}}
  root: {part: mast, plane: {z: 2 mm}}
  holes: {points: [[20 mm, 20 mm, 2 mm], [-20 mm, -20 mm, 2 mm]]}
  corner: {part: wing, nearest: [250 mm, 100 mm, 0 mm]}
  centre: {points: [-80 mm, 0 mm, 83 mm]}
masses:
  lamp: {mass: 0.2 kg, position: [-80 mm, 0 mm, 90 mm], carried by: rim, link: average}
  clock: {mass: 0.4 kg, position: [100 mm, -50 mm, 30 mm], carried by: corner, weighed: 0.5 kg, scale: yes}
base:
  fixture: {place: side, holds: all}
joints:
  seam: {merge: {parts: [deck, wing], within: 0.01 mm}}
  glue: {attach: {part: tower, to: deck, within: 1.1 mm}}
  socket: {attach: {place: root, to: [deck, wing], within: 0.1 mm}}
  pad: {attach: {place: top, to: deck, within: 0.1 mm}}
  bolts: {bolt: {at: holes, grips: [bracket, deck], diameter: 5 mm, material: steel, loss factor: 2 %}}
  mean: {average: {follow: centre, of: rim}}
watch:
  glue: {joint: glue, quantities: [force, moment], axes: {x: [0, 1, 0], y: [0, 0, 1]}}
  bolts: {joint: bolts, quantities: [force, travel]}
damping: {otherwise: 1 %}
)";

// A small block with two nodes marked.
std::string foot_file() {
  Mesh mesh = mesh_shape(Box{{0.04, 0.02, 0.03}}, {true, false, 0, 1}, {std::nullopt, {4, 2, 3}});
  Show metres;
  metres.set(kind::length, "m");
  Grid grid = model_grid(test::part_of(mesh, test::solid_part("foot")), metres);
  GridArray hole{"hole", 1, std::vector<double>(grid.points.size(), 0.0), {}};
  hole.values[3] = 1;
  hole.values[7] = 2;
  hole.values[9] = 3;
  grid.point_arrays = {hole};
  return to_vtu(grid);
}

Plan plan_of(const TemporaryFolder& folder, const std::string& text) {
  return test::plan_in(folder, text, {{"foot.vtu", foot_file()}});
}

std::string problem_with_foot(const std::string& text) {
  const std::string problem = test::problem_of(text, {{"foot.vtu", foot_file()}});
  return problem.empty() ? "none" : problem;
}

TEST(PlanJoints, BecomeWhatTheySay) {
  const TemporaryFolder folder;
  const Plan plan = plan_of(folder, ring_joint);
  const Assembly& model = plan.assembly;
  const auto count = [&](const char* place) { return model.places.at(place).size(); };
  EXPECT_EQ(count("slope"), 9U);  // the diagonal of 25 mm squares
  EXPECT_EQ(count("ring"), 80U);
  EXPECT_EQ(count("rim"), 16U);
  EXPECT_EQ(count("walls"), 64U);
  EXPECT_EQ(count("both"), 17U);
  EXPECT_EQ(count("top"), 15U);
  EXPECT_EQ(count("under"), 15U);
  EXPECT_EQ(count("marked"), 2U);
  for (const int node : model.places.at("top")) EXPECT_NEAR(model.position(node).z(), -2e-3, 1e-12);
  const auto followers = [&](const std::string& joint) {
    return std::count_if(model.followers.begin(), model.followers.end(),
                         [&](const Follower& each) { return each.joint == joint; });
  };
  EXPECT_EQ(followers("glue"), 16);
  EXPECT_EQ(followers("socket"), 1);
  EXPECT_EQ(followers("pad"), 15);
  EXPECT_EQ(followers("bolts"), 4);
  EXPECT_EQ(followers("mean"), 1);
  EXPECT_EQ(followers("lamp"), 1);
  ASSERT_EQ(model.springs.size(), 2U);
  EXPECT_NEAR(model.springs[0].stiffness[2], 205e9 * pi * 25e-6 / 4 / 6e-3, 1);  // EA/l, l = 4 + 2 mm
  EXPECT_EQ(model.springs[0].loss_factor, 0.02);
  EXPECT_NEAR(std::abs(model.springs[0].axes(2, 2)), 1, 1e-12);  // along the normal
  // The seam is one row of nodes for both.
  const auto deck = nodes_of_part(model, "deck"), wing = nodes_of_part(model, "wing");
  std::vector<int> common;
  std::set_intersection(deck.begin(), deck.end(), wing.begin(), wing.end(), std::back_inserter(common));
  EXPECT_EQ(common.size(), 9U);
  const std::map<std::string, double> weighed{{"tower", 0.1}, {"clock", 0.5}};
  for (const auto& [name, properties] : mass_breakdown(model))
    if (const auto own = weighed.find(name); own != weighed.end()) {
      EXPECT_NEAR(properties.mass, own->second, 1e-12) << name;
    }
  EXPECT_EQ(plan.watch[0].joint, "glue");
  EXPECT_EQ(plan.watch[2].items, (std::vector<int>{0, 1}));
  const System system = make_system(model);
  EXPECT_NO_THROW((void)factorise_stiffness(model, system));
}

TEST(PlanJoints, SayInOneSentenceWhatIsWrong) {
  const std::tuple<const char*, const char*, const char*> cases[] = {
      {"to: deck, within: 1.1 mm", "to: deck, within: 0.5 mm",
       "joint glue: nothing is near enough: of tower the nearest, tower (-51, 0, 3) mm is 1 mm from deck, and only "
       "what "
       "is within 0.5 mm follows; close the gap, or let it reach to within 1.01 mm"},
      {"{part: tower, to: deck", "{part: tower, to: mast",
       "joint glue: part mast is made of lines, which have no faces; name a part of shells or solids, or use a rigid "
       "joint"},
      {"{part: tower, to: deck", "{part: tower, to: dek", "joint glue: no part \"dek\"; write \"deck\""},
      {"{part: tower, to: deck, within: 1.1 mm}", "{part: tower, to: deck}",
       "joint glue: \"within\" is missing; write within: 8 mm"},
      {"{place: root, to: [deck, wing], within: 0.1 mm}", "{place: both, to: deck, within: 0.1 mm}",
       "joint socket: nothing is near enough: of place both the nearest, tower (-53.207, 11.098, 83) mm is 81 mm from "
       "deck"},
      {"merge: {parts: [deck, wing], within: 0.01 mm}", "merge: {parts: [deck, tower], within: 0.01 mm}",
       "joint seam: no two nodes of these parts are that near to one another"},
      {"merge: {parts: [deck, wing], within: 0.01 mm}", "merge: {parts: [deck, wing], within: 30 mm}",
       "joint seam: two nodes of one element at deck (-150, -100, 0) mm would become one; merge within less than the "
       "shortest edge"},
      {"grips: [bracket, deck]", "grips: [bracket]",
       "joint bolts: two are due; write grips: [PART, PART], or [PART, BASE]"},
      {"grips: [bracket, deck]", "grips: [tower, deck]",
       "joint bolts: the bolt at (20, 20, 2) mm is 72.54 mm from tower, and grips only what is within 5 mm; move it, "
       "or let it grip within 73.27 mm"},
      {"grips: [bracket, deck]", "grips: [foot, deck]",
       "joint bolts: the clamped length is not known: foot is of solids; write length: 9 mm"},
      {"diameter: 5 mm, material: steel", "diameter: 5 mm, footprint: 4 mm, material: steel",
       "joint bolts: the footprint is no wider than the bolt"},
      {"diameter: 5 mm, material: steel", "diameter: 5 mm, material: sheet",
       "joint bolts: material sheet is orthotropic; name the isotropic material of the bolt"},
      {"average: {follow: centre, of: rim}", "average: {follow: centre, of: root}",
       "lie on one line, and turning about it would not be carried"},
      {"average: {follow: centre, of: rim}", "average: {follow: rim, of: rim}", "would be part of its own mean"},
      {"average: {follow: centre, of: rim}", "rigid: {lead: rim, follow: rim}",
       "every node that is to follow leads itself, so that nothing follows; name two places that differ"},
      {"average: {follow: centre, of: rim}", "spring: {from: rim, to: rim, each: {z: 2 N/mm}}",
       "would be paired with itself"},
      {"average: {follow: centre, of: rim}", "average: {follow: centre, of: rim, weights: area}",
       "joint mean: no face has all its nodes in that place, so no node has an area; write weights: equal"},
      {"average: {follow: centre, of: rim}", "averge: {follow: centre, of: rim}",
       "joint mean: nothing says what it is; give one of: rigid, average, attach, spring, bolt, merge"},
      {"plane: {through: [0 mm, 0 mm, 0 mm], normal: [1, 1, 0]}", "plane: {normal: [1, 1, 0]}",
       "place slope plane: \"through\" is missing"},
      {"radius: 29 mm, inner", "radius: 90 deg, inner", "place ring cylinder radius: \"90 deg\" is"},
      {"intersection: [ring, {part: tower, plane: {z: 83 mm}}]", "intersection: [ring, side]",
       "place rim: the intersection is empty; check its places one by one with avrenk check"},
      {"difference: [all-tower, rim]", "difference: all-tower",
       "place walls: two or more are due; write difference: [PLACE, PLACE]"},
      {"difference: [all-tower, rim]", "difference: [all-tower, rimm]",
       "place walls: no place \"rimm\"; write \"rim\""},
      {"facing: +z", "facing: +w", "place top facing: \"w\" is not known here"},
      {"set: {hole: [1, 2]}", "set: {hol: 1}",
       "place marked set: the file has no array \"hol\" of one value a point; write \"hole\""},
      {"set: {hole: [1, 2]}", "set: {hole: 8}",
       "place marked: no point of part foot is in that set; the values in the file are 0, 1, 2, 3"},
      {"{part: foot, set: {hole: [1, 2]}}", "{part: deck, set: {hole: 1}}",
       "place marked: part deck comes from no file"},
      {"carried by: rim, link: average", "carried by: rim, link: averag",
       "mass lamp link: \"averag\" is not known here; write \"average\""},
      {"weighed: 0.5 kg, scale: yes", "scale: yes", "mass clock: there is no mass to scale to; write weighed: 0.41 kg"},
      {"{joint: glue, quantities: [force, moment]", "{joint: seam, quantities: [force, moment]",
       "watch glue: joint \"seam\" merges nodes: no force passes between them"},
      {"{joint: glue, quantities: [force, moment]", "{joint: glue, quantities: [travel]",
       "watch glue: no quantity \"travel\" here"},
      {"{joint: bolts, quantities: [force, travel]}",
       "{joint: bolts, quantities: [force], axes: {x: [0, 1, 0], y: [0, 0, 1]}}",
       "watch bolts: a spring has axes of its own; leave axes out"}};
  ASSERT_EQ(problem_with_foot(ring_joint), "none");
  for (const auto& [from, to, sentence] : cases) {
    ASSERT_NE(ring_joint.find(from), std::string::npos) << from;
    EXPECT_THAT(problem_with_foot(replaced(ring_joint, from, to)), HasSubstr(sentence)) << to;
  }
}

// A node that follows twice, or follows what follows it, names both joints.
TEST(PlanJoints, NameBothSidesOfAConflict) {
  const auto refusal = [](const std::string& text) {
    const TemporaryFolder folder;
    const Plan plan = plan_of(folder, text);
    try {
      (void)make_system(plan.assembly);
    } catch (const InputError& error) {
      return std::string(plan.located(error).what());
    }
    return std::string("none");
  };
  EXPECT_THAT(refusal(ring_joint + "  \n").substr(0, 4), "none");
  EXPECT_THAT(
      refusal(replaced(ring_joint, "  mean: {", "  second: {rigid: {lead: centre, follow: all-tower}}\n  mean: {")),
      testing::AllOf(HasSubstr("joint second"), HasSubstr("already follows in joint")));
  EXPECT_THAT(refusal(replaced(ring_joint, "  mean: {", "  back: {rigid: {lead: centre, follow: rim}}\n  mean: {")),
              HasSubstr("a ring of joints"));
  EXPECT_THAT(refusal(replaced(ring_joint, "  mean: {", "  held: {rigid: {lead: centre, follow: side}}\n  mean: {")),
              HasSubstr("follow"));
}

TEST(PlanJoints, AFreeModelNeedsNoBase) {
  const std::string free = replaced(replaced(ring_joint, "base:\n  fixture: {place: side, holds: all}\n", ""),
                                    "damping:", "modes: {count: 8, free: yes}\ndamping:");
  const TemporaryFolder folder;
  const Plan plan = plan_of(folder, free);
  EXPECT_TRUE(plan.modes.free_motions);
  EXPECT_TRUE(plan.assembly.bases.empty());
  EXPECT_THAT(problem_with_foot(replaced(free, ", free: yes", "")), HasSubstr("\"base\" is missing"));
  EXPECT_EQ(solve_modes(plan.assembly, make_system(plan.assembly), plan.modes).free_motions(), 6);
}

}  // namespace
}  // namespace avrenk
