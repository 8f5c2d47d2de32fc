// Forces, moments, line loads, fields and rotating loads against the equations of motion solved directly, closed forms,
// balance of power, and reciprocity.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <random>

#include "core/assess/limits.h"
#include "core/error.h"
#include "core/load/applied.h"
#include "core/modes/modal_basis.h"
#include "core/response/audit.h"
#include "core/response/direct_basis.h"
#include "core/response/power.h"
#include "core/system/numbering.h"
#include "core/system/system.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using test::Solved;

Load named_load(const std::string& name, LoadColumn column) {
  Load load;
  load.name = name;
  load.columns = {std::move(column)};
  load.factors = {1};
  return load;
}

// One of each kind on the portal: a force and a moment at the tip of a rigid arm, a force on a foot, a moment on a
// node of beams, a force along all beams, a field, and a rotating force.
Assembly loaded_portal(std::optional<double> eta) {
  Assembly model = test::portal(eta);
  const int arm = model.links[0].follow[0], foot = model.bases[0].feet[1].node, between = model.beams[4].nodes[0];
  LoadColumn tip, on_foot, on_beam, along, field;
  tip.on_nodes[arm] << 1, -2, 0.5, 0.1, 0.3, -0.2;
  on_foot.on_nodes[foot] << 3, 1, -2, 0.2, 0, 0.1;
  on_beam.on_nodes[between] << 0, 0, 0, 0.4, -0.5, 0.7;
  for (int beam = 0; beam < static_cast<int>(model.beams.size()); ++beam) along.on_beams[beam] = Vector3(20, -10, 30);
  field.field = Vector3(2, 9, -4);
  model.loads = {named_load("tip", tip), named_load("foot", on_foot), named_load("beam", on_beam),
                 named_load("along", along), named_load("field", field)};
  model.loads.push_back(rotating_force(model, {}, {"wheel", {arm}, Vector6::Zero(), Sharing::equally, {}},
                                       Vector3(1, 2, 2) / 3, true, std::nullopt));
  return model;
}

struct UnderLoads {
  VectorXcd raw, free, reactions;  // of every node, of the unknowns, of every foot about the base's point
};
UnderLoads solve_under_loads(const System& s, double frequency, const VectorXcd& loads) {
  const double omega = 2 * pi * frequency;
  UnderLoads d;
  d.free = test::dynamic_stiffness(s, omega, &Partitioned::ff)
               .partialPivLu()
               .solve(MatrixXd(s.loads).cast<Complex>() * loads);
  VectorXcd all = VectorXcd::Zero(s.free + s.supports);
  all.head(s.free) = d.free;
  d.raw = s.transformation.transpose() * all;
  d.reactions =
      test::dynamic_stiffness(s, omega, &Partitioned::fs).transpose() * d.free - MatrixXd(s.support_loads) * loads;
  return d;
}

void expect_close(const VectorXcd& found, const VectorXcd& exact, double tolerance, const char* what) {
  EXPECT_LE((found - exact).norm(), tolerance * exact.norm())
      << what << ": " << found.transpose() << "\nexact " << exact.transpose();
}

InputColumns unit_loads(const Solved& solved, Index column, Index columns = 1) {
  InputColumns inputs{MatrixXcd::Zero(solved.system.support_motion.cols(), columns),
                      MatrixXcd::Zero(solved.system.loads.cols(), columns)};
  for (Index k = 0; k < columns; ++k) inputs.loads(column + k, k) = 1;
  return inputs;
}

// With all modes kept modal and direct answers agree to the conditioning of the dense solution, with a loss factor that
// leaves the modes uncoupled and with damping that couples them; every row that feels a load directly is there.
TEST(Loads, AgreeWithTheDirectSolutionOfTheWholeModel) {
  for (const std::optional<double> eta : {std::optional(0.08), std::optional<double>()})
    for (const bool apart : {false, true}) {  // feet on two bases, which the model strains
      Assembly model = loaded_portal(eta);
      if (!eta)
        for (Spring& spring : model.springs) {  // dampers that act on the isolators alone
          spring.loss_factor.reset();
          spring.dashpot << 30, 40, 20, 0.1, 0.2, 0.3;
        }
      const Base whole = model.bases[0];
      if (apart)
        model.bases = {{"left", {whole.feet[0]}, whole.point}, {"right", {whole.feet[1]}, Vector3(0.4, 0.1, 0.2)}};
      const Solved solved(model, test::count(1000), {});
      const System& system = solved.system;
      for (Index load = 0; load < system.loads.cols(); ++load) {
        SCOPED_TRACE(fmt::format("load column {}", load));
        const Transfer transfer(solved.basis, solved.damping, unit_loads(solved, load));
        for (const double f : {7.0, 61.0, 240.0}) {
          const UnderLoads direct = solve_under_loads(system, f, VectorXcd::Unit(system.loads.cols(), load));
          const VectorXcd z = transfer.state(f).col(0);
          for (const int node : {model.links[0].follow[0], model.beams[6].nodes[1]})
            expect_close(solved.channels.motion(node, NodeMotion::absolute_displacement) * z,
                         direct.raw.segment<3>(6L * node), 1e-8, "motion");
          VectorXcd sum = VectorXcd::Zero(6);
          for (int foot = 0; foot < 2; ++foot) {
            const VectorXcd own = direct.reactions.segment<6>(6L * foot);
            const Vector3& about = model.bases[apart ? static_cast<std::size_t>(foot) : 0].point;
            expect_close(solved.channels.foot_reaction(foot, about) * z, own, 1e-8, "foot");
            if (apart) expect_close(solved.channels.base_reaction(foot, about) * z, own, 1e-8, "one of two bases");
            sum += own;
          }
          if (!apart) expect_close(solved.channels.base_reaction(0, whole.point) * z, sum, 1e-8, "base");
        }
      }
    }
}

// Section forces of a beam that is loaded along its length balance at its free end, and at the root they are the whole
// load, whatever the mesh: a force per length on a held cantilever at rest.
TEST(Loads, EndForcesOfLoadedBeamsAreThoseOfStatics) {
  for (const int elements : {1, 3}) {
    test::Cantilever c;
    c.elements = elements;
    Assembly model = test::cantilever(c);
    LoadColumn along;
    for (int beam = 0; beam < elements; ++beam) along.on_beams[beam] = Vector3(5, 0, -40);
    model.loads = {named_load("snow", along)};
    const Solved solved(model, test::count(1000), test::ratio(0.01));
    Environment still;
    still.form = StaticInput{};
    still.load_cases = {{"", {{0, "", {}, 1.0}}}};
    const auto excitation = excitations(still, solved.assembly, solved.system).front();
    const VectorXcd z = static_state(*excitation, solved.system, solved.basis);
    const VectorXcd root = solved.channels.beam_forces(0) * z, tip = solved.channels.beam_forces(elements - 1) * z;
    EXPECT_LE(tip.tail(6).norm(), 1e-9 * root.norm());
    EXPECT_NEAR(root[0].real(), 5, 1e-9);  // N = qx L
    EXPECT_NEAR(std::abs(root[2].real()), 40, 1e-8);
    EXPECT_NEAR(std::abs(root[4].real()), 20, 1e-8);  // q L²/2
    // q L⁴/8EI + q L²/2kGA at the tip, exact at nodes for any number of elements.
    const double ei = c.material.youngs_modulus * c.section.second_moment_y,
                 ga = c.section.shear_factor_z * c.section.area * c.material.youngs_modulus / 2.6;
    const VectorXcd u = solved.channels.motion(elements, NodeMotion::relative_displacement) * z;
    EXPECT_NEAR(u[2].real() / -(40 / (8 * ei) + 40 / (2 * ga)), 1, 1e-9);
  }
}

// A weight on two thin wires, one element each: N = F/(2 sin α) under its weight and under a pull, and it stretches
// them by F L/(2 EA sin² α). Stretch is (L/d)² times as stiff as bending, 4e8 to 4e12; no direction is without mass.
TEST(Loads, ThinWiresCarryAWeightByStatics) {
  for (const double diameter : {1e-3, 1e-4, 1e-5}) {
    SCOPED_TRACE(diameter);
    Assembly model;
    model.materials = {{"steel", 210e9, 0.3, 7850, std::nullopt}};
    model.parts = {{"wire", 0, rod_section(diameter, 0.3)}};
    const int apex = test::add_node(model, {0, 0, -1.2});
    for (const double x : {-1.6, 1.6}) {
      const int foot = test::add_node(model, {x, 0, 0});
      model.beams.push_back({{foot, apex}, 0, {model.position(foot), model.position(apex), Vector3::UnitY()}});
    }
    model.masses = {{"weight", apex, Vector3::Zero(), 1, Matrix3::Identity() * 1e-6}};
    model.bases = {{"fixture", {SupportNode{1}, SupportNode{2}}, Vector3::Zero()}};
    LoadColumn weight, pull;
    weight.field = Vector3(0, 0, -standard_gravity);
    pull.on_nodes[apex] = (Vector6() << 0, 0, 1000, 0, 0, 0).finished();
    model.loads = {named_load("weight", weight), named_load("pull", pull)};
    const Solved solved(model, test::count(6), test::ratio(0.01));
    EXPECT_LE(solved.basis.largest_nonorthogonality(), 1e-9);
    for (const int load : {0, 1}) {
      Environment still;
      still.form = StaticInput{};
      still.load_cases = {{"", {{load, "", {}, 1.0}}}};
      const VectorXcd z =
          static_state(*excitations(still, solved.assembly, solved.system).front(), solved.system, solved.basis);
      const double wires = 7850 * model.parts[0].section.area * 4, area = model.parts[0].section.area;
      const double force = load == 0 ? -(1 + 0.5 * wires) * standard_gravity : 1000;  // half of them hangs on the feet
      const double up =
          solved.channels.motion(apex, NodeMotion::relative_displacement).row(2).dot(z.transpose()).real();
      EXPECT_NEAR(up / (force * 2 / (2 * 210e9 * area * 0.36)), 1, 2e-6);  // bending carries (d/L)² of it
      if (load == 1) {
        EXPECT_NEAR((solved.channels.beam_forces(0) * z)[0].real() / (-force / 1.2), 1, 2e-6);
      }
    }
  }
}

// A field a on all mass does to motions relative to the base what a base acceleration −a does, and so to its reactions.
TEST(Loads, AFieldActsAsTheOppositeBaseAcceleration) {
  const Solved solved(loaded_portal(0.05), test::count(8), {});
  InputColumns shaken{MatrixXcd::Zero(6, 1)};
  shaken.base.col(0).head<3>() = -solved.assembly.loads[4].columns[0].field->cast<Complex>();
  const Transfer by_base(solved.basis, solved.damping, shaken),
      by_field(solved.basis, solved.damping, unit_loads(solved, 4));
  for (const double f : {3.0, 50.0, 300.0}) {
    const VectorXcd base = by_base.state(f).col(0), field = by_field.state(f).col(0);
    const auto compare = [&](const MatrixXcd& rows, const char* what) {
      expect_close(rows * field, rows * base, 1e-9, what);
    };
    compare(solved.channels.motion(9, NodeMotion::relative_displacement), "motion");
    compare(solved.channels.spring_force(0), "spring");
    compare(solved.channels.base_reaction(0, Vector3::Zero()), "base");
    for (int foot = 0; foot < 2; ++foot) compare(solved.channels.foot_reaction(foot, Vector3::Zero()), "foot");
    for (const JointSide& side : joint_sides(solved.assembly, "bracket"))
      compare(solved.channels.joint_force(side), "joint");
  }
}

// One body on one spring, viscous and hysteretic: x = F/(k (1 + iη) + iωc − mω²), and what the base feels.
TEST(Loads, MoveOneBodyAsInClosedForm) {
  for (const bool viscous : {true, false}) {
    Assembly model = test::chain({2}, {8e4});
    if (viscous) model.springs[0].dashpot.setConstant(25);
    LoadColumn push;
    push.on_nodes[1] << 0, 0, 3, 0, 0, 0;
    model.loads = {named_load("push", push)};
    const Solved solved(model, test::count(1000), viscous ? DampingRule{} : test::loss_factor(0.06));
    const Transfer transfer(solved.basis, solved.damping, unit_loads(solved, 0));
    for (const double f : {5.0, 31.0, 32.0, 200.0}) {
      const double w = 2 * pi * f;
      const Complex z = viscous ? Complex(8e4 - 2 * w * w, 25 * w) : Complex(8e4 - 2 * w * w, 0.06 * 8e4), x = 3.0 / z;
      const VectorXcd state = transfer.state(f).col(0);
      EXPECT_LE(std::abs((solved.channels.motion(1, NodeMotion::absolute_displacement) * state)[2] - x),
                1e-10 * std::abs(x));
      EXPECT_LE(std::abs((solved.channels.base_reaction(0, Vector3::Zero()) * state)[2] - (-3.0 - 2 * w * w * x)),
                1e-9 * (3 + 2 * w * w * std::abs(x)));
    }
  }
}

// The ratios of one body turned over: with D² = (1 − r²)² + (2ζr)² the smallest |k − mω² + iωc| = 2kζ√(1 − ζ²), that
// over ω is c and over ω² 2mζ√(1 − ζ²) (any textbook); across the force nothing moves, and nothing is said. A limit
// from below judges them, and the audit finds them again.
TEST(Loads, HaveDynamicStiffnessImpedanceAndDynamicMass) {
  constexpr double m = 2, k = 8e4, c = 48, zeta = 0.06;  // 2 √(k m) ζ = c
  Assembly model = test::chain({m}, {k});
  model.springs[0].dashpot[2] = c;
  LoadColumn push;
  push.on_nodes[1] << 0, 0, 1, 0, 0, 0;
  model.loads = {named_load("push", push)};
  const Solved solved(model, test::count(1000), {});
  std::vector<OutputRequest> requests;
  for (const OutputQuantity& each : output_quantities())
    if (each.is_reciprocal) requests.push_back({"body", &each, {1}});
  const std::vector<Output> watched = watch(model, solved.channels, requests);
  Environment shake;
  shake.name = "shake";
  shake.grid = {10, 150, 24, 21, {}};
  shake.upper = 1.1;
  shake.load_cases = {{"", {{0, "", Amplitude::constant(5, 10, 150), 0}}}};
  CaseResponse excited(excitations(shake, model, solved.system).front(), solved.system, solved.basis, solved.damping);
  const std::vector<CaseResults> outcomes{run_case(excited, watched)};
  const auto row = [&](const std::string& name) -> const SineRow& {
    return outcomes[0].sine()->rows[static_cast<std::size_t>(find_output(watched, name) - watched.data())];
  };
  const double below = std::sqrt(1 - zeta * zeta);
  EXPECT_NEAR(row("body.dynamic stiffness.z").peak.value, 2 * k * zeta * below, 1e-9 * k);
  EXPECT_NEAR(row("body.impedance.z").peak.value, c, 1e-9 * c);
  EXPECT_NEAR(row("body.dynamic mass.z").peak.value, 2 * m * zeta * below, 1e-9 * m);
  EXPECT_NEAR(row("body.dynamic stiffness.z").peak.frequency, std::sqrt(k / m * (1 - 2 * zeta * zeta)) / (2 * pi),
              1e-5);
  EXPECT_EQ(find_output(watched, "body.impedance"), nullptr);
  const std::vector<double>& grid = outcomes[0].grid();
  for (std::size_t i = 0; i < grid.size(); i += 10) {
    const double w = 2 * pi * grid[i];
    const Complex stiffness(k - m * w * w, c * w);
    EXPECT_LE(std::abs(row("body.dynamic stiffness.z").curve(0, static_cast<Index>(i)) - stiffness),
              1e-9 * std::abs(stiffness));
  }
  const std::vector<bool> real = real_answers(outcomes[0], watched);
  for (std::size_t i = 0; i < watched.size(); ++i) EXPECT_EQ(real[i], watched[i].component == "z") << watched[i].name;
  Limit stiff;
  stiff.response()->of = "body.dynamic stiffness.z";
  stiff.response()->environments = {"shake"};
  stiff.allowable = 7000;
  stiff.factor = 1.25;
  const std::vector<Limit> limits{stiff};
  const LimitResult result = check_limits(limits, outcomes, watched, solved.basis, model).at(0);
  EXPECT_NEAR(result.margin, 2 * k * zeta * below / (1.25 * 7000) - 1, 1e-9);
  EXPECT_TRUE(result.met);
  EXPECT_DOUBLE_EQ(result.upper_margin, result.margin);  // a ratio does not rise with its input
  const DampingRule none;
  const AuditSource source{model, solved.system, solved.basis,  solved.damping, none, requests,
                           {},    watched,       {&outcomes[0]}};
  const auto answers = audit(source, {row("body.impedance.z").peak.frequency});
  ASSERT_EQ(answers.size(), 3U);
  for (const AuditedAnswer& answer : answers) EXPECT_NEAR(answer.error(), 0, 1e-9);
}

// A disc out of balance about z on a massless post: stiffness k_x and k_y. Like a Jeffcott rotor on isotropic supports
// it goes round on a circle, on unlike ones on an ellipse: x = Uω²/(k_x(1+iη) − mω²), y = −i Uω²/(k_y(1+iη) − mω²).
TEST(Loads, UnbalanceTurnsAsInClosedForm) {
  for (const double ky : {5e4, 9e4})
    for (const bool positive : {true, false}) {
      Assembly model = test::chain({3}, {1e9});
      model.springs[0].stiffness << 5e4, ky, 1e9, 1e9, 1e9, 1e9;
      model.loads = {rotating_force(model, {}, {"wheel", {1}, Vector6::Zero(), Sharing::equally, {}}, Vector3::UnitZ(),
                                    positive, std::nullopt)};
      model.loads[0].unbalance = 6e-5;
      const Solved solved(model, test::count(1000), test::loss_factor(0.03));
      Environment turning;
      turning.name = "turning";
      turning.grid = {5, 60, 24, 21, {}};
      turning.load_cases = {{"", {{0, "", Amplitude::constant(6e-5, 5, 60).times(1, 2), 0}}}};
      CaseResponse excited(excitations(turning, solved.assembly, solved.system).front(), solved.system, solved.basis,
                           solved.damping);
      const Measure both{"", solved.channels.motion(1, NodeMotion::absolute_displacement), false};
      for (const double f : {10.0, 20.6, 27.0, 55.0}) {
        const double w = 2 * pi * f, force = 6e-5 * w * w;
        const Complex x = force / Complex(5e4 - 3 * w * w, 0.03 * 5e4),
                      y = (positive ? -1.0 : 1.0) * imaginary * force / Complex(ky - 3 * w * w, 0.03 * ky);
        const VectorXcd found = excited.sine->at(both, f);
        EXPECT_LE(std::abs(found[0] - x) + std::abs(found[1] - y), 1e-10 * (std::abs(x) + std::abs(y)));
        if (ky == 5e4) {  // a circle
          EXPECT_NEAR(largest_over_phase(found), std::abs(x), 1e-10 * std::abs(x));
        }
      }
      // The largest |x| of Uω²/|k(1+iη) − mω²|: with r = (ω/ω_n)², d/dr of r²/((1−r)² + η²) is zero at r = 1 + η².
      const Measure along{"", both.rows.topRows(1), false};
      const SinePeak peak = excited.sine->peak(along);
      const double r = 1 + 0.03 * 0.03;
      EXPECT_NEAR(peak.frequency, std::sqrt(r * 5e4 / 3) / (2 * pi), 1e-8 * peak.frequency);
      EXPECT_NEAR(peak.value, 6e-5 / 3 * r / std::hypot(1 - r, 0.03), 1e-12 * peak.value);
    }
}

// u_j under a unit force at k is u_k under one at j, and power put in is power dissipated, ½ Re(F* v) = ½ ω uᴴ(ωC +
// K_η)u, at every frequency: with dashpots and unlike loss factors, few modes or all (each set is a model of its own).
TEST(Loads, ReciprocityAndBalanceOfPowerHold) {
  std::mt19937 generator(18);
  for (const int modes : {4, 1000}) {
    Assembly model = test::portal(std::nullopt);
    model.materials[0].loss_factor = 0.01;
    model.springs[0].loss_factor = 0.3;
    model.springs[1].dashpot << 30, 40, 20, 0.1, 0.2, 0.3;
    std::uniform_int_distribution<int> node(2, static_cast<int>(model.nodes.size()) - 1), component(0, 5);
    std::vector<std::pair<int, int>> where;
    for (int k = 0; k < 8; ++k) {
      where.emplace_back(node(generator), component(generator));
      LoadColumn unit;
      unit.on_nodes[where.back().first] = Vector6::Unit(where.back().second);
      model.loads.push_back(named_load(fmt::format("unit {}", k), unit));
    }
    const Solved solved(model, test::count(modes), {});
    const Transfer transfer(solved.basis, solved.damping, unit_loads(solved, 0, 8));
    for (const double f : {11.0, 64.0, 180.0}) {
      const MatrixXcd z = transfer.state(f);
      MatrixXcd motions(8, 8);
      for (Index k = 0; k < 8; ++k) {
        const auto [at, along] = where[static_cast<std::size_t>(k)];
        const NodeMotion quantity = along < 3 ? NodeMotion::absolute_displacement : NodeMotion::absolute_rotation;
        motions.row(k) = solved.channels.motion(at, quantity).row(along % 3) * z;
      }
      EXPECT_LE((motions - motions.transpose()).norm(), 1e-10 * motions.norm());
      const double omega = 2 * pi * f;
      const MatrixXd dampers = omega * MatrixXd(solved.system.dashpot.ff) + MatrixXd(solved.system.loss.ff);
      for (Index k = 0; k < 8; ++k) {
        const VectorXcd u = solved.basis.shapes * transfer.coordinates(f).col(k);
        const double in = 0.5 * (imaginary * omega * motions(k, k)).real(),
                     out = 0.5 * omega * u.dot(dampers * u).real();
        EXPECT_NEAR(in, out, 1e-9 * out) << f << " Hz, load " << k;
        Environment alone;
        Excitation unit;
        unit.environment = &alone;
        unit.base = transfer.inputs().base.col(k);
        unit.loads = transfer.inputs().loads.col(k);
        unit.drive = std::vector<Amplitude>{Amplitude::constant(1, 1, 1000)};
        const Transfer one(solved.basis, solved.damping, {unit.base, unit.loads});
        const PowerBalance balance = power_balance(unit, solved.assembly, solved.system, one, solved.channels, f);
        EXPECT_NEAR(balance.put_in, in, 1e-10 * in);
        EXPECT_NEAR(balance.dissipated, out, 1e-9 * out);
      }
    }
  }
}

// A moment on a rotation that has no mass bends what no mode does: with few modes the rotation at the driving point is
// right only if the flexibility without mass is kept. The body of the chain has inertia; a bare node on springs has
// none.
TEST(Loads, BendWhatHasNoMass) {
  Assembly model = test::chain({2, 1}, {8e4, 5e4});
  const int bare = test::add_node(model, Vector3::Zero(), "bare");
  Spring spring = test::stiff_spring(1, bare, 3e4, 2e4);
  spring.loss_factor = 0.2;
  model.springs.push_back(spring);
  LoadColumn turn, push;
  turn.on_nodes[bare] << 0, 0, 0, 1, 0, 0;
  push.on_nodes[bare] << 0, 0, 1, 0, 0, 0;
  model.loads = {named_load("turn", turn), named_load("push", push)};
  for (const int modes : {1, 1000}) {
    const Solved solved(model, test::count(modes), test::loss_factor(0.05));
    for (Index load = 0; load < 2; ++load) {
      const Transfer transfer(solved.basis, solved.damping, unit_loads(solved, load));
      for (const double f : {0.5, 20.0}) {
        // In series: the spring to the node, and the body, which the loss factors of the others hold.
        const double w = 2 * pi * f;
        const Complex own = load == 0 ? 1.0 / (2e4 * Complex(1, 0.2)) : 1.0 / (3e4 * Complex(1, 0.2));
        VectorXcd state = transfer.state(f).col(0);
        const VectorXcd at = (load == 0 ? solved.channels.motion(bare, NodeMotion::absolute_rotation)
                                        : solved.channels.motion(bare, NodeMotion::absolute_displacement)) *
                             state;
        const VectorXcd body = (load == 0 ? solved.channels.motion(1, NodeMotion::absolute_rotation)
                                          : solved.channels.motion(1, NodeMotion::absolute_displacement)) *
                               state;
        const Index row = load == 0 ? 0 : 2;
        EXPECT_LE(std::abs(at[row] - body[row] - own), 1e-9 * std::abs(own)) << f << " Hz, ω " << w;
      }
    }
  }
}

// With few modes the audit solves the full equations under loads and base motion together; rows of feet, bases, joints
// and springs go their own way there.
TEST(Loads, AreAuditedBesideBaseMotion) {
  const Assembly model = loaded_portal(0.05);
  const Solved all(model, test::count(1000), {});
  Environment both;
  both.name = "both";
  both.axes = {1};
  both.profile = "shake";
  both.input = LogLogTable({{10, 3, {}}, {150, 3, {}}}, 20);
  both.grid = {10, 150, 24, 21, {}};
  both.load_cases = {{"",
                      {{0, "", Amplitude::constant(4, 10, 150), 0},
                       {3, "", Amplitude::constant(2, 10, 150).times(std::polar(1.0, 0.7)), 0},
                       {4, "", Amplitude::constant(1, 10, 150).times(imaginary), 0},
                       {5, "", Amplitude::constant(1e-4, 10, 150).times(1, 2), 0}}}};
  const auto quantity = [](std::string_view keyword, Subject subject) {
    for (const OutputQuantity& each : output_quantities())
      if (each.keyword == keyword && each.subject == subject) return &each;
    return static_cast<const OutputQuantity*>(nullptr);
  };
  OutputRequest joint;
  joint.name = joint.joint = "bracket";
  joint.quantity = quantity("force", Subject::joint);
  const std::vector<OutputRequest> requests{{"tip", quantity("acceleration", Subject::node), {12}},
                                            {"root", quantity("force", Subject::base), {0}},
                                            {"feet", quantity("foot force", Subject::foot), {0, 1}},
                                            {"isolator", quantity("force", Subject::spring), {0}},
                                            joint};
  const std::vector<Output> watched = watch(model, all.channels, requests);
  CaseResponse excited(excitations(both, model, all.system).front(), all.system, all.basis, all.damping);
  const std::vector<CaseResults> outcomes{run_case(excited, watched)};
  const DampingRule none;
  const AuditSource source{model, all.system, all.basis, all.damping, none, requests, {}, watched, {&outcomes[0]}};
  const auto answers = audit(source, frequencies_that_matter(source, 3));
  ASSERT_GE(answers.size(), 4U);
  for (const AuditedAnswer& answer : answers) EXPECT_NEAR(answer.error(), 0, 1e-7) << watched[answer.watched].name;
}

// The full equations, solved at a few frequencies, against the modes, all of them: each kind of load and base motion,
// with dampers that couple the modes, a loss factor as the general rule, and Rayleigh's two; rows of motions, forces
// and reactions, at frequencies that were not solved.
TEST(DirectBasis, AgreesWithAllModesForEveryLoad) {
  Assembly model = loaded_portal(std::nullopt);
  model.springs[0].loss_factor = 0.4;
  model.springs[1].dashpot << 30, 40, 20, 0.1, 0.2, 0.3;
  std::mt19937 generator(7);
  std::uniform_real_distribution<double> drawn(8, 240);
  for (const DampingRule& rule :
       {test::loss_factor(0.03), rayleigh_through(20, 0.02, 200, 0.03), DampingRule{DampingRule::Form::none}}) {
    const Solved all(model, test::count(1000), rule), few(model, test::count(4), rule);
    Environment shake, push;
    shake.axes = {1};
    shake.input = LogLogTable({{8, 1, {}}, {240, 1, {}}}, 20);
    for (int load = 0; load < 6; ++load)
      push.load_cases.push_back({fmt::format("load {}", load), {{load, "", Amplitude::constant(1, 8, 240)}}});
    auto cases = excitations(push, model, few.system);
    cases.push_back(excitation_along(shake, 1, few.system));
    shake.grid = push.grid = {8, 240, 24, 21, {}};
    std::vector<std::shared_ptr<const Excitation>> in_band;
    for (const auto& each : cases) {
      Excitation own = *each;
      own.grid = push.grid;
      in_band.push_back(std::make_shared<const Excitation>(own));
    }
    const DirectBasis direct = direct_basis(few.system, few.basis, rule, in_band);
    EXPECT_LE(direct.error, direct_tolerance);
    EXPECT_LT(direct.frequencies.size(), 60U);
    const Channels channels(model, few.system, direct.basis, direct.damping);
    for (const auto& each : in_band) {
      const Transfer whole(all.basis, all.damping, {each->base, each->loads}),
          solved(direct.basis, direct.damping, {each->base, each->loads});
      for (int k = 0; k < 5; ++k) {
        const double f = drawn(generator);
        const auto compare = [&](const MatrixXcd& by_modes, const MatrixXcd& by_equations, const char* what) {
          // The residual of the equations, times the amplification of a resonance with little damping.
          expect_close(by_equations * solved.state(f).col(0), by_modes * whole.state(f).col(0), 1e3 * direct_tolerance,
                       what);
        };
        compare(all.channels.motion(12, NodeMotion::absolute_acceleration),
                channels.motion(12, NodeMotion::absolute_acceleration), "motion");
        compare(all.channels.spring_force(1), channels.spring_force(1), "spring");
        compare(all.channels.beam_forces(2), channels.beam_forces(2), "beam");
        compare(all.channels.base_reaction(0, Vector3::Zero()), channels.base_reaction(0, Vector3::Zero()), "base");
        compare(all.channels.foot_reaction(1, Vector3::Zero()), channels.foot_reaction(1, Vector3::Zero()), "foot");
      }
    }
  }
  DampingRule table;
  table.form = DampingRule::Form::table;
  table.table = {{10, 0.01}, {100, 0.02}};
  const Solved some(model, test::count(4), test::ratio(0.01));
  EXPECT_THROW((void)direct_basis(some.system, some.basis, table, {}), InputError);
}

}  // namespace
}  // namespace avrenk
