// Joints between meshes that do not match.
#include "core/mesh/attach.h"
#include "core/element/discrete.h"

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <Eigen/Dense>

#include <algorithm>

#include "core/error.h"
#include "core/mesh/average.h"
#include "core/response/stress.h"
#include "core/system/system.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using Eigen::MatrixXd;
using Eigen::VectorXd;
using testing::HasSubstr;

// A block of each of two kinds, the second on the first; their meshes share no node.
Assembly two_blocks(SolidShape below, SolidShape above, double gap = 0, const Material& material = test::alloy()) {
  Assembly model;
  model.materials = {material};
  model.parts = {test::solid_part("lower"), test::solid_part("upper")};
  add_mesh(model, 0, test::distorted_block(below, {0.1, 0.1, 0.05}, 2), {Placement{}});
  add_mesh(model, 1, test::distorted_block(above, {0.1, 0.1, 0.05}, 3),
           {Placement{Matrix3::Identity(), {0, 0, 0.05 + gap}}});
  return model;
}

std::vector<int> all_of(const Assembly& model, int part) {
  std::vector<int> nodes;
  for (int n = 0; n < static_cast<int>(model.nodes.size()); ++n)
    if (model.nodes[static_cast<std::size_t>(n)].origin == model.parts[static_cast<std::size_t>(part)].name)
      nodes.push_back(n);
  return nodes;
}

int join(Assembly& model, int part, int to, double within) {
  const Surface surface = surface_of(model);
  return attach(model, surface,
                {"bond", all_of(model, part), model.parts[static_cast<std::size_t>(part)].name, {to}, within});
}

// Every kind of follower on every kind of carrier, as one model each; turned in space so that no axis is special.
struct Pair {
  const char* name;
  Assembly (*make)(const Placement&);
};
Part line_part(const std::string& name) {
  Part part{name};
  part.section = tube_section(0.02, 0.002, 0.33);
  return part;
}
Assembly with_block(const Placement& turn, SolidShape shape) {
  Assembly model;
  model.materials = {test::alloy()};
  model.parts = {test::solid_part("block")};
  add_mesh(model, 0, test::distorted_block(shape, {0.2, 0.15, 0.05}, 3), {turn});
  return model;
}
Assembly with_plate(const Placement& turn) {
  Assembly model;
  model.materials = {test::alloy()};
  model.parts = {test::shell_part("deck", 4e-3)};
  add_mesh(model, 0, mesh_shape(Plate{0.2, 0.15}, {false, false, 4e-3, 1}, {std::nullopt, {5, 4}}),
           {turn.after({Matrix3::Identity(), {0.1, 0.075, 0.05}})});
  return model;
}
Assembly put(Assembly model, const Part& part, const Mesh& mesh, const Placement& placement) {
  model.parts.push_back(part);
  add_mesh(model, static_cast<int>(model.parts.size()) - 1, mesh, {placement});
  return model;
}
// A sheet standing on the surface at z = 0.05, slightly askew.
Assembly put_sheet(Assembly model, const Placement& turn) {
  const Placement stand{Eigen::AngleAxisd(0.3, Vector3::UnitZ()).toRotationMatrix() *
                            Eigen::AngleAxisd(pi / 2, Vector3::UnitX()).toRotationMatrix(),
                        {0.1, 0.07, 0.05 + 0.03}};
  return put(std::move(model), test::shell_part("sheet", 2e-3),
             mesh_shape(Plate{0.1, 0.06}, {false, false, 2e-3, 1}, {std::nullopt, {7, 3}}), turn.after(stand));
}
Assembly put_beam(Assembly model, const Placement& turn) {
  model.parts.push_back(line_part("strut"));
  const int a = test::add_node(model, turn({0.11, 0.08, 0.051}), "strut"),
            b = test::add_node(model, turn({0.15, 0.1, 0.2}), "strut");
  model.beams.push_back({{a, b},
                         static_cast<int>(model.parts.size()) - 1,
                         {model.position(a), model.position(b), turn.rotation * Vector3(1, -2, 0)}});
  return model;
}
Assembly put_block(Assembly model, const Placement& turn, SolidShape shape, double gap) {
  return put(std::move(model), test::solid_part("upper"), test::distorted_block(shape, {0.08, 0.08, 0.04}, 2),
             turn.after({Matrix3::Identity(), {0.05, 0.03, 0.05 + gap}}));
}
const Pair pairs[] = {
    {"block on block",
     [](const Placement& t) {
       return put_block(with_block(t, SolidShape::hexahedron8), t, SolidShape::hexahedron8, 0);
     }},
    {"across a gap",
     [](const Placement& t) {
       return put_block(with_block(t, SolidShape::tetrahedron10), t, SolidShape::wedge6, 1e-3);
     }},
    {"quadratic on quadratic",
     [](const Placement& t) {
       return put_block(with_block(t, SolidShape::hexahedron20), t, SolidShape::tetrahedron10, 0);
     }},
    {"block on plate", [](const Placement& t) { return put_block(with_plate(t), t, SolidShape::hexahedron20, 2e-3); }},
    {"sheet on block", [](const Placement& t) { return put_sheet(with_block(t, SolidShape::hexahedron8), t); }},
    {"sheet on plate", [](const Placement& t) { return put_sheet(with_plate(t), t); }},
    {"beam on block", [](const Placement& t) { return put_beam(with_block(t, SolidShape::wedge15), t); }},
    {"beam on plate", [](const Placement& t) { return put_beam(with_plate(t), t); }},
    {"plate on plate",
     [](const Placement& t) {
       return put(with_plate(t), test::shell_part("doubler", 3e-3),
                  mesh_shape(Plate{0.1, 0.08}, {false, false, 3e-3, 1}, {std::nullopt, {4, 3}}),
                  t.after({Matrix3::Identity(), {0.09, 0.07, 0.05 + 3.5e-3}}));
     }},
};
class EveryAttachment : public testing::TestWithParam<Pair> {};

// Each follower goes along exactly with a rigid motion, so that a force on it keeps its resultants.
TEST_P(EveryAttachment, CarriesRigidMotionsAndResultantsExactly) {
  const Placement turn{Eigen::AngleAxisd(0.8, Vector3(1, -2, 0.5).normalized()).toRotationMatrix(), {0.3, -0.2, 0.1}};
  Assembly model = GetParam().make(turn);
  const int count = join(model, 1, 0, 1.1e-3);
  ASSERT_GT(count, 0);
  ASSERT_EQ(model.followers.size(), static_cast<std::size_t>(count));
  const Vector3 about(0.1, 0.2, 0.3);
  for (const Follower& follower : model.followers) {
    Matrix6 motion = Matrix6::Zero(), load = Matrix6::Zero();  // of unit motions about a point; of unit loads
    for (std::size_t k = 0; k < follower.leads.size(); ++k) {
      const Matrix6 share = follower.shares.middleCols<6>(6 * static_cast<Eigen::Index>(k));
      const Matrix6 arm = rigid_arm(about, model.position(follower.leads[k]));
      motion += share * arm;
      load += arm.transpose() * share.transpose();
    }
    const Matrix6 exact = rigid_arm(about, model.position(follower.node));
    EXPECT_LE((motion - exact).topRows<3>().norm(), 1e-11) << model.describe_node(follower.node);
    EXPECT_LE((motion - exact).norm(), 1e-9) << model.describe_node(follower.node);
    EXPECT_LE((load - exact.transpose()).norm(), 1e-9);  // F, and r × F + M
  }
}
INSTANTIATE_TEST_SUITE_P(Pairs, EveryAttachment, testing::ValuesIn(pairs), [](const auto& row) {
  std::string name = row.param.name;
  std::replace(name.begin(), name.end(), ' ', '_');
  return name;
});

// Constant stress across meshes that do not match. Where the functions of both sides change at the points between which
// the integral is sampled it is exact; else an error of the sampling is left.
TEST(Attachment, PassesThePatchTest) {
  constexpr double exact = 1e-11, sampled = 0.012;
  for (const SolidShape below : test::every_solid)
    for (const SolidShape above : test::every_solid) {
      SCOPED_TRACE(fmt::format("{} below {}", kind_of(below).name, kind_of(above).name));
      Material material = test::alloy();
      material.poissons_ratio = 0;
      Assembly model = two_blocks(below, above, 0, material);
      ASSERT_GT(join(model, 1, 0, 1e-6), 0);
      test::hold(model, [](const Vector3& x) { return x.z() < 1e-9 || x.z() > 0.1 - 1e-9; });
      const System system = make_system(model);
      VectorXd supports = VectorXd::Zero(system.supports);
      constexpr double strain = 1e-3;
      for (std::size_t f = 0; f < model.bases[0].feet.size(); ++f)
        supports[static_cast<Eigen::Index>(6 * f) + 2] = strain * model.position(model.bases[0].feet[f].node).z();
      VectorXd unknowns(system.free + system.supports);
      unknowns << factorise_stiffness(model, system).solve(-(system.stiffness.fs * supports)), supports;
      const VectorXd raw = system.transformation.transpose() * unknowns;
      const StressStations stations(model);
      const MatrixXd stress = stations.rows(
          test::all_of(stations), test::one_by_one([&](int node) -> Vector6 { return raw.segment<6>(6 * node); }));
      const auto triangles = [](SolidShape shape) { return kind_of(shape).faces[0].size() % 3 == 0; };
      const bool matching = !triangles(below) || triangles(above);
      for (std::size_t s = 0; s < stations.size(); ++s)
        ASSERT_NEAR(stress(static_cast<Eigen::Index>(6 * s) + 2, 0) / (71e9 * strain), 1, matching ? exact : sampled);
    }
}

// The node goes with the rigid motion that fits best: against a least-squares solution by QR.
TEST(Average, IsTheLeastSquaresFitOfARigidMotion) {
  Assembly model;
  std::vector<int> of;
  of.reserve(7);
  const Eigen::MatrixXd at = Eigen::MatrixXd::Random(3, 7), u = Eigen::MatrixXd::Random(3, 7);
  const VectorXd weights = VectorXd::Random(7).cwiseAbs() + VectorXd::Constant(7, 0.1);
  for (int i = 0; i < 7; ++i) of.push_back(test::add_node(model, at.col(i)));
  const int node = test::add_node(model, {0.3, -1.2, 0.8});
  add_average(model, "mean", node, of, {weights.begin(), weights.end()});
  MatrixXd rows(21, 6);
  VectorXd values(21);
  Vector6 found = Vector6::Zero();
  for (int i = 0; i < 7; ++i) {
    rows.middleRows<3>(3 * i) = std::sqrt(weights[i]) * rigid_arm(model.position(node), at.col(i)).topRows<3>();
    values.segment<3>(3 * i) = std::sqrt(weights[i]) * u.col(i);
    found += model.followers[0].shares.middleCols<3>(6 * i) * u.col(i);
    EXPECT_TRUE(model.followers[0].shares.middleCols<3>(6 * i + 3).isZero(0));  // their rotations do not count
  }
  EXPECT_LE((found - rows.colPivHouseholderQr().solve(values)).norm(), 1e-12);
}

TEST(Attachment, SaysWhichNodesAreTooFarAndHowFar) {
  const auto refusal = [](Assembly model, const Attachment& request) {
    try {
      attach(model, surface_of(model), request);
    } catch (const InputError& error) {
      return std::string(error.what());
    }
    return std::string("none");
  };
  const Assembly apart = two_blocks(SolidShape::hexahedron8, SolidShape::hexahedron8, 3e-3);
  const std::vector<int> upper = all_of(apart, 1);
  EXPECT_EQ(
      refusal(apart, {"bond", upper, "upper", {0}, 1e-3}),
      "joint bond: nothing is near enough: of upper the nearest, upper (0, 0, 53) mm is 3 mm from lower, and only "
      "what is within 1 mm follows; close the gap, or let it reach to within 3.03 mm");
  EXPECT_EQ(
      refusal(apart, {"bond", {upper[0], upper.back()}, "place pads", {0}, 4e-3, true}),
      "joint bond: upper (100, 100, 103) mm is 53 mm from lower, and only what is within 4 mm follows; leave it out "
      "of place pads, or let the joint reach to within 53.53 mm");
  EXPECT_EQ(refusal(apart, {"bond", all_of(apart, 0), "lower", {0}, 1e-3}),
            "joint bond: every node of lower belongs to lower already; name another part or place");
  Assembly line;
  const int a = test::add_node(line, {0, 0, 0}), b = test::add_node(line, {1, 0, 0}),
            c = test::add_node(line, {2, 0, 0});
  try {
    add_average(line, "mean", a, {a, b, c}, {1, 1, 1});
    ADD_FAILURE();
  } catch (const InputError& error) {
    EXPECT_THAT(error.what(), HasSubstr("lie on one line, and turning about it would not be carried"));
  }
}

}  // namespace
}  // namespace avrenk
