// Reduced models against the whole that they stand for.
#include "core/modes/reduction.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/mesh/components.h"
#include "core/mesh/mesh.h"
#include "support/checked.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using test::KnownProblem;

// A mast that leans in space, in two halves: the lower is clamped, the upper stands on it and carries a body.
struct Halves {
  Assembly whole, lower, upper;
  int middle = 8, tip = 16;
};
Halves leaning_mast(std::optional<double> eta) {
  Halves halves;
  test::Cantilever c;
  c.section = tube_section(0.03, 0.002, 0.3);
  c.direction = Vector3(1, -2, 4).normalized();
  c.up = Vector3(0, 1, 0);
  c.material.loss_factor = eta;
  halves.whole = test::cantilever(c);
  halves.whole.masses.push_back(
      {"dish", halves.tip, Vector3(0.02, 0, 0.05), 0.8, Vector3(2e-3, 3e-3, 1e-3).asDiagonal()});
  halves.lower = halves.upper = halves.whole;
  halves.lower.beams.resize(8);
  halves.lower.masses.clear();
  halves.upper.beams.erase(halves.upper.beams.begin(), halves.upper.beams.begin() + 8);
  halves.upper.bases = {{"socket", {SupportNode{halves.middle}}, Vector3(0.3, 0.1, -0.2)}};
  for (Assembly* half : {&halves.lower, &halves.upper}) half->parts[0].name = half == &halves.lower ? "low" : "high";
  return halves;
}

ReducedModel reduced(const Assembly& model, int modes, const std::vector<WatchedPoint>& points) {
  const System system = make_system(model);
  const ModalBasis basis = solve_modes(model, system, {std::nullopt, modes, false, false});
  return reduce(model, system, basis, points);
}

// The lower half with the upper one as a component, turned about and put where it stands.
Assembly joined(const Halves& halves, const ReducedModel& model, const Placement& placement, PlacedComponent& placed) {
  Assembly assembly = halves.lower;
  Material none;
  assembly.materials.push_back(none);
  Part part{"upper"};
  part.form = Part::Form::component;
  part.material = 1;
  assembly.parts.push_back(part);
  placed = add_component(assembly, 1, model, placement);
  assembly.links.push_back({"socket", halves.middle, {placed.interface[0]}});
  return assembly;
}

TEST(CraigBampton, WithAllItsModesIsTheWhole) {
  const Halves halves = leaning_mast(0.02);
  const Matrix3 turn = Eigen::AngleAxisd(1.1, Vector3(1, 1, -2).normalized()).toRotationMatrix();
  const std::vector<WatchedPoint> points{{"tip", halves.tip}, {"midway", 12}};
  const ReducedModel model = reduced(halves.upper, 48, points);
  EXPECT_EQ(why_invalid(model), "");
  // Taken away and brought back: a mirror image of a mirror image, turned there and back.
  Matrix3 mirror = Matrix3::Identity();
  mirror(1, 1) = -1;
  const Placement there{turn * mirror, Vector3(0.4, -0.1, 2)};
  const ReducedModel away = placed(model, there.rotation, there.shift);
  EXPECT_EQ(why_invalid(away), "");
  const Placement back{there.rotation.transpose(), -(there.rotation.transpose() * there.shift)};
  for (const auto& [own, placement] : {std::pair{&model, Placement{}}, {&away, back}}) {
    PlacedComponent put;
    const test::Solved whole(halves.whole, test::count(30), {}),
        parts(joined(halves, *own, placement, put), test::count(30), {});
    EXPECT_LT((parts.basis.omega.head(30) - whole.basis.omega.head(30))
                  .cwiseQuotient(whole.basis.omega.head(30))
                  .cwiseAbs()
                  .maxCoeff(),
              1e-8);
    EXPECT_LT((parts.basis.rigid_mass - whole.basis.rigid_mass).cwiseAbs().maxCoeff(), 1e-9);
    EXPECT_NEAR(total_mass(parts.assembly).mass / total_mass(whole.assembly).mass, 1, 1e-12);
    EXPECT_LT((total_mass(parts.assembly).inertia - total_mass(whole.assembly).inertia).norm(), 1e-9);
    for (const auto& [there_node, here] : {std::pair{halves.tip, put.points[0]}, {12, put.points[1]}})
      for (const NodeMotion motion : {NodeMotion::absolute_acceleration, NodeMotion::relative_rotation})
        for (const double f : {3.0, 60.0, 400.0}) {
          const Eigen::MatrixXcd a = whole.channels.motion(there_node, motion), b = parts.channels.motion(here, motion);
          double largest = 0;
          for (int row = 0; row < 3; ++row) largest = std::max(largest, std::abs(whole.response(a.row(row), 0, f)));
          for (int row = 0; row < 3; ++row)
            EXPECT_LT(std::abs(parts.response(b.row(row), 0, f) - whole.response(a.row(row), 0, f)), 1e-7 * largest)
                << f;
        }
    // Energies find the component as they find the elements.
    const auto contents = contents_of_modes(parts.assembly, parts.system, parts.basis);
    for (const ModeContent& each : contents) {
      EXPECT_NEAR(each.strain_parts.sum() + each.strain_joints.sum(), 1, 1e-6);
      EXPECT_NEAR(each.kinetic_parts.sum() + each.kinetic_bodies.sum(), 1, 1e-6);
    }
  }
}

TEST(CraigBampton, ConvergesWithItsModes) {
  const Halves halves = leaning_mast(std::nullopt);
  const test::Solved whole(halves.whole, test::count(6), {});
  double before = 1;
  const KnownProblem known("leaning mast, its upper half a component", "the whole mast; Craig & Bampton 1968");
  for (const int modes : {0, 2, 4, 8, 16}) {
    PlacedComponent put;
    ReducedModel model;
    if (modes == 0) {  // static shapes alone: Guyan's reduction
      model = reduced(halves.upper, 1, {});
      model.columns.pop_back();
      for (MatrixXd* m : {&model.stiffness, &model.mass}) *m = MatrixXd(m->topLeftCorner(6, 6));
    } else {
      model = reduced(halves.upper, modes, {});
    }
    const test::Solved parts(joined(halves, model, {}, put), test::count(6), {});
    double worst = 0;
    for (Index r = 0; r < 4; ++r) {
      const double off = parts.basis.omega[r] / whole.basis.omega[r] - 1;
      EXPECT_GT(off, -1e-9) << modes;  // from above: Rayleigh and Ritz
      worst = std::max(worst, off);
    }
    EXPECT_LT(worst, before) << modes;
    before = worst;
    if (modes == 16) known.error("largest error of four frequencies, 16 modes", worst, 1e-4);
  }
}

TEST(CraigBampton, KnowsHowGoodItIs) {
  const Halves halves = leaning_mast(std::nullopt);
  const System system = make_system(halves.upper);
  const std::vector<WatchedPoint> points{{"tip", halves.tip}};
  const ModalBasis basis = solve_modes(halves.upper, system, {std::nullopt, 20, false, false});
  const ReducedModel model = reduce(halves.upper, system, basis, points);
  const ReductionCheck check = check_reduction(halves.upper, system, model, points);
  ASSERT_GE(check.modes.size(), 4U);
  for (const auto& [full, own, mac] : check.modes) {
    EXPECT_NEAR(own / full, 1, 0.02);
    EXPECT_GT(mac, 0.99);
  }
  EXPECT_LT(check.inputs[0].error, 1e-3);
  EXPECT_LT(check.inputs[0].error, check.inputs[3].error);
}

TEST(ReducedModel, ThatDoesNotFitTogetherIsRefused) {
  const Halves halves = leaning_mast(std::nullopt);
  const ReducedModel good = reduced(halves.upper, 3, {{"tip", halves.tip}});
  const auto refused = [&](const auto& spoil) {
    ReducedModel bad = good;
    spoil(bad);
    return why_invalid(bad);
  };
  using testing::HasSubstr;
  EXPECT_EQ(refused([](ReducedModel&) {}), "");
  EXPECT_THAT(refused([](ReducedModel& m) { m.mass(0, 7) *= 1.1; }), HasSubstr("mass matrix is not symmetric"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.mass(7, 7) = -1; }), HasSubstr("not positive"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.mass = m.mass.topLeftCorner(4, 4).eval(); }), HasSubstr("4 x 4"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.columns[3].direction = 4; }), HasSubstr("twice"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.columns[0].node = 5; }), HasSubstr("there are 1 nodes"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.stiffness(0, 0) += 1e3; }), HasSubstr("rigid translation"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.recovery(1, 0) += 0.1; }), HasSubstr("not carried along"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.recovery.conservativeResize(5, Eigen::NoChange); }), HasSubstr("5 x"));
  EXPECT_THAT(refused([](ReducedModel& m) { m.mass(2, 2) = std::nan(""); }), HasSubstr("no numbers"));
}

// Modes of a model about its base, handed over as frequencies, shapes and participation, answer as the model does with
// the same modes and no residual vectors.
TEST(ModesFromElsewhere, AnswerAsThoseOfTheModel) {
  Assembly model = test::portal(std::nullopt);
  const test::Solved whole(model, {std::nullopt, 12, false, true}, test::ratio(0.02));
  const Index m = 12;
  SuppliedModes modes;
  modes.about = model.bases[0].point;
  modes.frequency = whole.basis.omega.head(m) / (2 * pi);
  const Eigen::VectorXd scale = Eigen::VectorXd::LinSpaced(m, 0.3, 5);  // of their shapes
  modes.modal_mass = scale.cwiseAbs2();
  modes.participation = scale.asDiagonal() * whole.basis.participation.topRows(m);
  modes.zeta = Eigen::VectorXd::Constant(m, 0.02);
  const MassProperties mass = total_mass(model);
  modes.mass = mass.mass;
  modes.centre = mass.centre;
  modes.inertia = mass.inertia;
  const int tip = model.masses[0].node;
  modes.names = {"tip"};
  modes.points = {model.position(tip)};
  modes.has_rotations = true;
  const SparseMatrix rows = whole.system.transformation.middleCols(6 * tip, 6).topRows(whole.system.free).transpose();
  modes.shapes = rows * whole.basis.shapes.leftCols(m) * scale.asDiagonal();
  Assembly own;
  own.materials.emplace_back();
  Part part{"frame"};
  part.form = Part::Form::component;
  own.parts = {part};
  const PlacedComponent placed = add_component(own, 0, as_component(modes), {});
  own.bases = {{"fixture", {SupportNode{placed.interface[0]}}, modes.about}};
  const test::Solved given(own, {std::nullopt, 12, false, true}, {});
  EXPECT_LT((given.basis.omega.head(m) - whole.basis.omega.head(m)).cwiseAbs().maxCoeff(),
            1e-9 * whole.basis.omega[m - 1]);
  EXPECT_LT((given.basis.rigid_mass - whole.basis.rigid_mass).cwiseAbs().maxCoeff(), 1e-9);
  for (const int direction : {0, 2, 4})
    for (const double f : {8.0, 35.0, 170.0}) {
      const auto compare = [&](const Eigen::MatrixXcd& a, const Eigen::MatrixXcd& b) {
        double largest = 0;
        for (int row = 0; row < 3; ++row)
          largest = std::max(largest, std::abs(whole.response(a.row(row), direction, f)));
        for (int row = 0; row < 3; ++row)
          EXPECT_LT(std::abs(given.response(b.row(row), direction, f) - whole.response(a.row(row), direction, f)),
                    1e-9 * largest);
      };
      for (const NodeMotion motion :
           {NodeMotion::absolute_acceleration, NodeMotion::relative_displacement, NodeMotion::relative_rotation})
        compare(whole.channels.motion(tip, motion), given.channels.motion(placed.points[0], motion));
      compare(whole.channels.base_reaction(0, modes.about).topRows(3),
              given.channels.base_reaction(0, modes.about).topRows(3));
    }
  modes.mass *= 0.9;
  modes.centre.reset();
  modes.inertia.reset();
  modes.participation *= 1.1;
  EXPECT_THROW((void)as_component(modes), InputError);
}

}  // namespace
}  // namespace avrenk
