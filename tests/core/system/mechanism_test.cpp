#include "core/system/mechanism.h"

#include <gmock/gmock.h>

#include <Eigen/Geometry>
#include <random>

#include "core/error.h"
#include "support/models.h"

namespace avrenk {
namespace {

// Drawn trees of beams of all directions and thicknesses, joined at nodes or by turned springs whose points lie up to
// a metre off. What is left out of one joint is the only hold of all behind it.
class DrawnTree {
 public:
  enum class LeftOut { nothing, translation, rotation, release };

  DrawnTree(unsigned seed, LeftOut left_out) : generator_(seed), left_out_(left_out) {
    assembly.materials = {{"alloy", 70e9, 0.3, 2700, std::nullopt}};
    int at = test::add_node(assembly, Vector3(uniform(-1, 1), uniform(-1, 1), uniform(-1, 1)), "root");
    assembly.bases = {{"fixture", {SupportNode{at}}, Vector3::Zero()}};
    const int parts = 1 + pick(4);
    loose_ = pick(parts);
    for (int part = 0; part < parts; ++part) at = add_part(part, at);
  }

  [[nodiscard]] std::string loose_part() const { return "part" + std::to_string(loose_); }
  Assembly assembly;

 private:
  double uniform(double from, double to) { return std::uniform_real_distribution<double>(from, to)(generator_); }
  double of_decades(double from, double to) { return std::pow(10, uniform(from, to)); }
  int pick(int count) { return std::uniform_int_distribution<int>(0, count - 1)(generator_); }
  Vector3 direction() {
    Vector3 v = Vector3::Zero();
    while (v.norm() < 0.1) v = Vector3(uniform(-1, 1), uniform(-1, 1), uniform(-1, 1));
    return v.normalized();
  }

  int add_spring(int part, int from) {
    const std::string name = "part" + std::to_string(part);
    const int start = test::add_node(assembly, assembly.position(from), name);
    Spring spring;
    spring.joint = "joint" + std::to_string(part);
    spring.nodes = {from, start};
    spring.point = assembly.position(from);
    if (pick(2) == 0) spring.point += direction() * of_decades(-3, 0);
    spring.axes = Eigen::Quaterniond(Eigen::AngleAxisd(uniform(-3, 3), direction())).toRotationMatrix();
    const double stiff = of_decades(3, 9), turning = of_decades(0, 5);
    for (int i = 0; i < 6; ++i) spring.stiffness[i] = (i < 3 ? stiff : turning) * of_decades(-1, 1);
    if (part == loose_ && left_out_ != LeftOut::nothing)
      spring.stiffness[(left_out_ == LeftOut::rotation ? 3 : 0) + pick(3)] = 0;
    assembly.springs.push_back(spring);
    return start;
  }

  int add_part(int part, int from) {
    const double length = of_decades(-1.5, 0.3), thickness = std::min(of_decades(-3.3, -1.3), length / 3);
    const std::string name = "part" + std::to_string(part);
    assembly.parts.push_back(
        {name, 0,
         pick(2) == 0 ? rod_section(thickness, 0.3) : rectangle_section(thickness, thickness * uniform(0.2, 5), 0.3)});
    const bool is_released = part == loose_ && left_out_ == LeftOut::release;
    const bool on_spring = part == loose_ ? left_out_ != LeftOut::nothing && !is_released : pick(2) == 0;
    int before = on_spring ? add_spring(part, from) : from;
    const Vector3 start = assembly.position(before), along = direction(), up = direction();
    const int divisions = 1 + pick(6);
    for (int i = 1; i <= divisions; ++i) {
      const int node = test::add_node(assembly, start + along * (length * i / divisions), name);
      BeamElement beam{{before, node}, part, {assembly.position(before), assembly.position(node), up}};
      beam.released[static_cast<std::size_t>(pick(6))] = is_released && i == 1;
      assembly.beams.push_back(beam);
      before = node;
    }
    return before;
  }

  std::mt19937 generator_;
  LeftOut left_out_;
  int loose_ = 0;
};

std::string refusal_of(const Assembly& assembly) {
  const System system = make_system(assembly);
  try {
    (void)factorise_stiffness(assembly, system);
  } catch (const InputError& error) {
    return error.what();
  }
  return "";
}

// What moves freely is refused and named whatever the directions; what is held in all of them is not refused. Of 1500
// each rounding leaves mechanisms λ ≤ 9e-16 of K x = λ D x, and the softest that is held has 6e-15.
TEST(DrawnMechanisms, AreAllRefusedAndNothingElseIs) {
  using LeftOut = DrawnTree::LeftOut;
  for (unsigned seed = 1; seed <= 1200; ++seed) {
    const auto left_out = static_cast<LeftOut>(seed % 4);
    const DrawnTree tree(seed, left_out);
    SCOPED_TRACE(seed);
    const std::string refusal = refusal_of(tree.assembly);
    if (left_out == LeftOut::nothing)
      EXPECT_EQ(refusal, "");
    else
      EXPECT_THAT(refusal, testing::AllOf(testing::ContainsRegex("part. (moves|turns) freely"),
                                          testing::HasSubstr(tree.loose_part())));
  }
}

// Dashpots and loss factors of their own lead to no other end.
TEST(DrawnMechanisms, AreRefusedBeforeTheirDampingIsLookedAt) {
  for (unsigned seed = 1; seed <= 60; ++seed) {
    SCOPED_TRACE(seed);
    DrawnTree tree(seed, seed % 2 == 0 ? DrawnTree::LeftOut::translation : DrawnTree::LeftOut::rotation);
    for (Spring& spring : tree.assembly.springs) {
      spring.loss_factor = 0.1;
      spring.dashpot.setConstant(3);
    }
    const System system = make_system(tree.assembly);
    for (const ModeRequest& request : {test::count(5), ModeRequest{1000.0, std::nullopt, true, true}}) {
      try {
        (void)solve_modes(tree.assembly, system, request);
        ADD_FAILURE() << "nothing is refused";
      } catch (const InputError& error) {
        EXPECT_THAT(error.what(), testing::HasSubstr("freely"));
      }
    }
  }
}

// A body on a spring k beneath a stiff one: held ever more softly, the error of its frequency is below what is stated,
// until it is refused.
TEST(SoftlyHeldModel, SaysWhatRoundingMayDoToItsFrequency) {
  int refused = 0;
  for (double soft = 1e6; soft > 1e-3; soft /= 7) {
    SCOPED_TRACE(soft);
    const Assembly model = test::chain({1, 1}, {soft, 1e15 / 3});
    const System system = make_system(model);
    try {
      const ModalBasis basis = solve_modes(model, system, test::count(1));
      const double exact = std::sqrt(soft / 2), rounding = frequency_rounding(system, basis)[0];
      EXPECT_LE(std::abs(basis.omega[0] / exact - 1), rounding + 1e-9);
      EXPECT_LE(rounding, 0.2);
    } catch (const Error&) {  // too little of the force in balance, or nothing that rounding tells from free
      ++refused;
      EXPECT_LE(soft, 100);
    }
  }
  EXPECT_GE(refused, 3);
}

// The same tube in metres and in millimetres, as an end that slides along it.
TEST(DrawnMechanisms, DoNotDependOnTheUnit) {
  for (const double unit : {1.0, 1e-3, 1e3}) {
    SCOPED_TRACE(unit);
    Assembly model;
    model.materials = {{"alloy", 71e9 / (unit * unit), 0.33, 2810 / std::pow(unit, 3), std::nullopt}};
    model.parts = {{"strut", 0, tube_section(0.03 * unit, 0.001 * unit, 0.33)}};
    const Vector3 from = Vector3(0.05, 0.108, -0.008) * unit, to = Vector3(0.043, 0.031, 0.159) * unit;
    for (int i = 0; i <= 3; ++i) test::add_node(model, from + (to - from) * i / 3, "strut");
    for (int i = 0; i < 3; ++i) {
      BeamElement beam{{i, i + 1}, 0, {model.position(i), model.position(i + 1), Vector3::UnitX()}};
      beam.released[0] = i == 0;
      model.beams.push_back(beam);
    }
    model.bases = {{"fixture", {SupportNode{0}}, Vector3::Zero()}};
    EXPECT_THAT(refusal_of(model), testing::HasSubstr("strut moves freely along (-0.038, -0.418, 0.907)"));
  }
}

// A body without inertia on springs at its own node has nothing that could turn, and three modes.
TEST(Mechanism, IsNoNodeThatNothingCouldTurn) {
  Assembly model;
  const int node = test::add_node(model, Vector3(0.1, 0.2, 0.3), "body"),
            foot = test::add_node(model, Vector3(0.1, 0.2, 0), "foot");
  model.masses = {{"body", node, Vector3::Zero(), 2, Matrix3::Zero()}};
  Spring spring;
  spring.joint = "spring";
  spring.nodes = {node, foot};
  spring.point = model.nodes[0].position;
  spring.stiffness << 1e4, 2e4, 3e4, 0, 0, 0;
  model.springs = {spring};
  model.bases = {{"fixture", {SupportNode{foot}}, Vector3::Zero()}};
  const System system = make_system(model);
  EXPECT_EQ(system.free, 3);
  const ModalBasis basis = solve_modes(model, system, test::count(3));
  for (int r = 0; r < 3; ++r) EXPECT_NEAR(basis.frequency(r), std::sqrt(1e4 * (r + 1) / 2) / (2 * pi), 1e-9) << r;
}

}  // namespace
}  // namespace avrenk
