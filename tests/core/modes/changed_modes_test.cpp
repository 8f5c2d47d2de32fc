#include "core/modes/changed_modes.h"

#include <gtest/gtest.h>

#include <functional>

#include "support/solids.h"

namespace avrenk {
namespace {

using test::Solved;

// A frame with every kind of element, and a plate of shells, each with something changed by 1 and by 4 %, against the
// changed model solved anew. Frequencies err by the fourth power of the change, responses by its square, so that four
// times the change may err by 256 and 16 times as much; what is asked is far below what the change does (0.1 to 10 %).
TEST(KnownModes, AreThoseOfAChangedModel) {
  struct Case {
    const char* what;
    Assembly model;
    std::function<void(Assembly&, double)> change;
  };
  Assembly plate = test::part_of(mesh_shape(Plate{0.3, 0.2}, {false, false, 3e-3, 1}, {std::nullopt, {8, 6}}),
                                 test::shell_part("plate", 3e-3), test::alloy(0.02));
  test::hold(plate, [](const Vector3& x) { return x.x() < -0.1499; });
  const Assembly frame = test::portal(0.03);
  Assembly two = frame;
  const SupportNode last = two.bases[0].feet.back();
  two.bases[0].feet.pop_back();
  two.bases.push_back({"other", {last}, Vector3::Zero()});
  const std::vector<Case> cases{
      {"sections", frame, [](Assembly& m, double f) { m.parts[0].section = rectangle_section(0.02 * f, 0.03, 0.33); }},
      {"a mass", frame, [](Assembly& m, double f) { m.masses[0].mass *= f; }},
      {"an isolator", frame, [](Assembly& m, double f) { m.springs[0].stiffness[2] *= f; }},
      {"modulus", frame, [](Assembly& m, double f) { m.materials[0].youngs_modulus *= f; }},
      {"two bases", two, [](Assembly& m, double f) { m.parts[1].section = tube_section(0.02, 0.002 * f, 0.33); }},
      {"a node moved", frame, [](Assembly& m, double f) { m.nodes[5].position.x() += 0.02 * (f - 1); }},
      {"thickness", plate, [](Assembly& m, double f) { m.parts[0].thickness *= f; }},
      {"density", plate, [](Assembly& m, double f) { m.materials[0].density *= f; }}};
  for (const Case& each : cases) {
    const Solved before(each.model, test::count(10), test::loss_factor(0.03));
    const KnownModes known(before.assembly, before.system, before.basis);
    for (const auto& [factor, of_frequency, of_response] :
         {std::tuple{1.0, 1e-9, 1e-7}, {1.01, 1e-6, 2e-3}, {0.96, 1e-4, 2e-2}}) {
      Assembly changed = each.model;
      each.change(changed, factor);
      const Solved after(changed, test::count(10), test::loss_factor(0.03));
      const ModalBasis basis = known.of(after.assembly, after.system);
      const ModalDamping damping = damp(after.system, basis, test::loss_factor(0.03));
      ASSERT_EQ(basis.modes, after.basis.modes);
      for (int r = 0; r < 8; ++r) {
        EXPECT_NEAR(basis.frequency(r) / after.basis.frequency(r), 1, of_frequency) << each.what << ' ' << factor;
        EXPECT_GE(basis.frequency(r), after.basis.frequency(r) * (1 - 1e-9)) << "Ritz values lie above";
      }
      EXPECT_NEAR((basis.rigid_mass - after.basis.rigid_mass).norm() / after.basis.rigid_mass.norm(), 0, 1e-9);
      const Eigen::Index motions = before.system.support_motion.cols();
      const InputColumns input{Eigen::MatrixXcd::Identity(motions, motions).col(motions - 4)};
      const Channels channels(after.assembly, after.system, basis, damping);
      const Transfer transfer(basis, damping, input), anew(after.basis, after.damping, input);
      const int tip = static_cast<int>(changed.nodes.size()) - 1;
      for (const double f : {0.5, 1.0, 1.3}) {
        const double frequency = f * after.basis.frequency(0);
        const Eigen::VectorXcd got =
                                   channels.motion(tip, NodeMotion::absolute_acceleration) * transfer.state(frequency),
                               due = after.channels.motion(tip, NodeMotion::absolute_acceleration) *
                                     anew.state(frequency);
        EXPECT_LE((got - due).norm() / due.norm(), of_response) << each.what << ' ' << factor << ' ' << f;
        for (int foot = 0; foot < std::min<int>(2, static_cast<int>(before.system.supports / 6)); ++foot) {
          const Eigen::VectorXcd on_foot = channels.foot_reaction(foot, Vector3::Zero()) * transfer.state(frequency);
          const Eigen::VectorXcd solved = after.channels.foot_reaction(foot, Vector3::Zero()) * anew.state(frequency);
          EXPECT_LE((on_foot - solved).norm() / solved.norm(), of_response) << each.what << ' ' << factor << ' ' << f;
        }
      }
    }
  }
  const Solved before(frame, test::count(4), test::loss_factor(0.03));
  const Solved less(test::chain({1, 2}, {1e5, 1e5}), test::count(4), test::ratio(0.01));
  EXPECT_THROW((void)KnownModes(before.assembly, before.system, before.basis).of(less.assembly, less.system),
               InputError);
}

// Two rods in a row between two feet, F at the middle: the feet carry F k₁/(k₁ + k₂) and F k₂/(k₁ + k₂), at rest too.
TEST(KnownModes, ShareAForceBetweenFeetAsTheChangedStiffnessDoes) {
  Assembly model = test::cantilever({.elements = 2});
  model.parts.push_back({"second", 0, model.parts[0].section});
  model.materials.push_back(model.materials[0]);
  model.parts[1].material = 1;
  model.beams[1].part = 1;
  model.bases[0].feet.push_back(SupportNode{2});
  Load load;
  load.columns.resize(1);
  load.columns[0].on_nodes[1] = (Vector6() << 1000, 0, 0, 0, 0, 0).finished();
  load.factors = {1};
  model.loads = {load};
  const Solved before(model, test::count(6), test::ratio(0.01));
  const KnownModes known(before.assembly, before.system, before.basis);
  for (const double factor : {1.0, 1.001, 0.98, 1.1}) {
    SCOPED_TRACE(factor);
    Assembly changed = model;
    changed.materials[1].youngs_modulus *= factor;
    const System system = make_system(changed);
    const ModalBasis basis = known.of(changed, system);
    const ModalDamping damping = damp(system, basis, test::ratio(0.01));
    const Channels channels(changed, system, basis, damping);
    Environment still;
    still.form = StaticInput{};
    still.load_cases = {{"", {{0, "", {}, 1.0}}}};
    const Eigen::VectorXcd z = static_state(*excitations(still, changed, system).front(), system, basis);
    for (const int foot : {0, 1}) {
      const double part = (foot == 0 ? 1 : factor) / (1 + factor);
      EXPECT_NEAR((channels.foot_reaction(foot, Vector3::Zero()) * z)[0].real() / (-1000 * part), 1,
                  1e-9 + std::pow(std::abs(factor - 1), 3));
    }
  }
}

}  // namespace
}  // namespace avrenk
