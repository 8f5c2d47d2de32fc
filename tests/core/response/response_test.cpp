// Rows, columns and transfer against the equations of motion solved directly, without modes.
#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <random>

#include "core/element/discrete.h"
#include "core/modes/modal_basis.h"
#include "core/response/run_case.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using test::Solved;

struct Direct {
  VectorXcd raw;        // motion of every component of every node
  VectorXcd reactions;  // n_s: of every foot, about the base's point
};
Direct solve_directly(const System& s, double frequency, int direction) {
  const double omega = 2 * pi * frequency;
  const VectorXcd supports = (-1 / (omega * omega)) * s.support_motion.col(direction).cast<Complex>();
  const MatrixXcd fs = test::dynamic_stiffness(s, omega, &Partitioned::fs);
  VectorXcd all(s.free + s.supports);
  all.head(s.free) = -test::dynamic_stiffness(s, omega, &Partitioned::ff).partialPivLu().solve(fs * supports);
  all.tail(s.supports) = supports;
  return {s.transformation.transpose() * all,
          fs.transpose() * all.head(s.free) + test::dynamic_stiffness(s, omega, &Partitioned::ss) * supports};
}

void expect_near(const VectorXcd& found, const VectorXcd& exact, double tolerance) {
  EXPECT_LE((found - exact).norm(), tolerance * exact.norm()) << found.transpose() << "\nexact " << exact.transpose();
}

VectorXcd through(const Solved& solved, const MatrixXcd& rows, int direction, double frequency) {
  return rows * solved.transfer(direction).state(frequency).col(0);
}

// Every element with the same loss factor: modes uncouple exactly, so that with all modes kept modal and direct
// solution agree to rounding: motions, forces, reactions, for translations and rotations of the base, with and without
// a spring to ground.
TEST(Response, AgreesWithTheDirectSolutionOfTheWholeModel) {
  for (const bool grounded : {false, true}) {
    SCOPED_TRACE(grounded ? "grounded" : "free");
    Assembly model = test::portal(0.08);
    if (grounded) {
      Spring leash = model.springs.front();
      leash.nodes = {4, -1};
      leash.point = model.nodes[4].position;
      model.springs.push_back(leash);
    }
    const Solved solved(model, test::count(1000), {});
    const int leash = static_cast<int>(model.springs.size()) - 1;
    for (const int direction : {0, 2, 4}) {
      for (const double f : {5.0, 33.0, 120.0, 900.0}) {
        SCOPED_TRACE(testing::Message() << direction << " at " << f << " Hz");
        const Direct direct = solve_directly(solved.system, f, direction);
        const double omega = 2 * pi * f;
        const int node = static_cast<int>(model.nodes.size()) - 2;
        const VectorXcd base = rigid_arm(model.bases[0].point, model.nodes[static_cast<std::size_t>(node)].position)
                                   .col(direction)
                                   .cast<Complex>() *
                               (-1 / (omega * omega));
        const VectorXcd motion = direct.raw.segment<3>(6 * node);
        const auto found = [&](NodeMotion quantity) {
          return through(solved, solved.channels.motion(node, quantity), direction, f);
        };
        expect_near(found(NodeMotion::absolute_displacement), motion, 1e-8);
        expect_near(found(NodeMotion::relative_displacement), motion - base.head<3>(), 1e-8);
        expect_near(found(NodeMotion::absolute_velocity), Complex(0, omega) * motion, 1e-8);
        expect_near(found(NodeMotion::absolute_acceleration), -omega * omega * motion, 1e-8);
        expect_near(found(NodeMotion::absolute_rotation), direct.raw.segment<3>(6 * node + 3), 1e-8);
        // Spring force and beam forces from the raw motion and the complex modulus.
        const Spring& spring = model.springs[static_cast<std::size_t>(leash)];
        const auto at = [&](int n) { return n < 0 ? spring.point : model.nodes[static_cast<std::size_t>(n)].position; };
        VectorXcd ends = VectorXcd::Zero(12);
        for (int end = 0; end < 2; ++end)
          if (spring.nodes[static_cast<std::size_t>(end)] >= 0)
            ends.segment<6>(6 * end) = direct.raw.segment<6>(6 * spring.nodes[static_cast<std::size_t>(end)]);
        const MatrixXd travel = travel_rows(spring.point, spring.axes, at(spring.nodes[0]), at(spring.nodes[1]));
        expect_near(through(solved, solved.channels.spring_travel(leash), direction, f), travel * ends, 1e-7);
        expect_near(through(solved, solved.channels.spring_force(leash), direction, f),
                    Complex(1, 0.08) * (spring.stiffness.asDiagonal() * (travel * ends)), 1e-7);
        const BeamElement& beam = model.beams[5];
        VectorXcd beam_ends(12);
        beam_ends << direct.raw.segment<6>(6 * beam.nodes[0]), direct.raw.segment<6>(6 * beam.nodes[1]);
        const MatrixXd recovery = force_recovery(beam.geometry, model.properties(beam));
        expect_near(through(solved, solved.channels.beam_forces(5), direction, f),
                    Complex(1, 0.08) * (recovery * beam_ends), 1e-6);
        // Reactions: of each foot, and their sum as the base's.
        VectorXcd sum = VectorXcd::Zero(6);
        for (int foot = 0; foot < 2; ++foot) {
          const VectorXcd reaction =
              through(solved, solved.channels.foot_reaction(foot, model.bases[0].point), direction, f);
          expect_near(reaction, direct.reactions.segment<6>(6 * foot), 1e-7);
          sum += reaction;
        }
        expect_near(through(solved, solved.channels.base_reaction(0, model.bases[0].point), direction, f), sum, 1e-9);
      }
    }
  }
}

// Dashpots, loss factors and Rayleigh's rule side by side couple the modes; with the coupling kept and all modes, the
// modal answer is the direct one. Uncoupled it is not: the test would notice.
TEST(Response, AgreesWithTheDirectSolutionWhenDampingCouplesTheModes) {
  Assembly model = test::portal(std::nullopt);
  model.springs[0].loss_factor = 0.4;
  model.springs[1].dashpot.setConstant(20);
  DampingRule rule = rayleigh_through(20, 0.02, 200, 0.03);
  rule.coupled = true;
  const Solved solved(model, test::count(1000), rule);
  rule.coupled = false;
  const Solved plain(model, test::count(1000), rule);
  // (K + iK_η + iω(C + αM + β(K − K_own)) − ω²M) y = −P ü_b, dense.
  const System& s = solved.system;
  const MatrixXd k = s.stiffness.ff, own = s.own_stiffness.ff, mass = s.mass.ff;
  double apart = 0;
  for (const double f : {14.0, 37.0, 52.0, 120.0, 900.0}) {
    const Complex i(0, 1);
    const double omega = 2 * pi * f;
    const MatrixXcd dynamic =
        k.cast<Complex>() + i * MatrixXd(s.loss.ff) +
        i * omega * (MatrixXd(s.dashpot.ff) + rule.mass_rate * mass + rule.stiffness_rate * (k - own)) -
        omega * omega * mass.cast<Complex>();
    for (const int direction : {0, 2, 4}) {
      const VectorXcd y =
          dynamic.partialPivLu().solve(-solved.basis.statics.inertia_load.col(direction).cast<Complex>());
      const auto modal = [&](const Solved& which) -> VectorXcd {
        return which.basis.shapes * which.transfer(direction).coordinates(f);
      };
      expect_near(modal(solved), y, 1e-8);
      apart = std::max(apart, (modal(plain) - y).norm() / y.norm());
      // The estimate that a plain run makes of what it leaves out.
      const VectorXcd estimate = plain.basis.shapes * plain.transfer(direction).with_coupling().coordinates(f);
      expect_near(estimate, y, 1e-8);
    }
  }
  EXPECT_GT(apart, 0.02);
  // The poles are those of the physical system: s² M + s C + K + iK_η has a zero determinant there.
  const auto poles = solved.damping.modes.resonances();
  ASSERT_EQ(poles.size(), static_cast<std::size_t>(solved.basis.size()));
  for (std::size_t p = 0; p < 6; ++p) {
    const auto [frequency, ratio] = poles[p];
    const Complex pole = 2 * pi * frequency * Complex(-ratio, std::sqrt(1 - ratio * ratio));
    const MatrixXcd at_pole = pole * pole * mass.cast<Complex>() + k.cast<Complex>() +
                              Complex(0, 1) * MatrixXd(s.loss.ff) +
                              pole * (MatrixXd(s.dashpot.ff) + rule.mass_rate * mass + rule.stiffness_rate * (k - own));
    const Eigen::VectorXd scale = k.diagonal().cwiseSqrt().cwiseInverse();
    const MatrixXcd scaled = scale.asDiagonal() * at_pole * scale.asDiagonal();
    EXPECT_LT(Eigen::JacobiSVD<MatrixXcd>(scaled).singularValues().tail<1>()[0], 1e-9) << p;
  }
}

// Two feet on bases of their own, with different amplitude and phase, one spring with a dashpot: the 2 x 2 complex
// system by hand,  (k₁ + k₁₂ + iωc − ω²m₁) x₁ − k₁₂ x₂ = (k₁ + iωc) a₁,  (k₂ + k₁₂ − ω²m₂) x₂ − k₁₂ x₁ = k₂ a₂; the
// springs without a dashpot elastic, or with the general rules that damp them: k(1 + iη), k(1 + iωβ).
TEST(Response, FollowsTwoBasesThatMoveApart) {
  const double m1 = 2, m2 = 0.7, k1 = 6e4, k2 = 3e4, k12 = 2e4, c = 40;
  Assembly model;
  const int foot1 = test::add_node(model, {0, 0, 0}), foot2 = test::add_node(model, {0, 0, 0}),
            one = test::add_node(model, {0, 0, 0}), two = test::add_node(model, {0, 0, 0});
  model.masses = {{"one", one, Vector3::Zero(), m1, Matrix3::Identity()},
                  {"two", two, Vector3::Zero(), m2, Matrix3::Identity()}};
  model.springs = {test::stiff_spring(foot1, one, k1), test::stiff_spring(foot2, two, k2),
                   test::stiff_spring(one, two, k12)};
  model.springs[0].dashpot[2] = c;
  model.bases = {{"left", {SupportNode{foot1}}, Vector3::Zero()}, {"right", {SupportNode{foot2}}, Vector3::Zero()}};
  for (const int kind : {0, 1, 2}) {
    SCOPED_TRACE(kind);
    const double eta = kind == 1 ? 0.07 : 0, beta = kind == 2 ? 4e-4 : 0;
    DampingRule rule = kind == 1 ? test::loss_factor(eta) : DampingRule{};
    if (kind == 2) {
      rule.form = DampingRule::Form::rayleigh;
      rule.stiffness_rate = beta;
    }
    rule.coupled = true;
    const Solved solved(model, test::count(1000), rule);
    EXPECT_FALSE(solved.basis.statics.grounded);
    EXPECT_NEAR(solved.basis.rigid_mass(2, 2), m1 + m2, 1e-9);
    Environment environment;
    for (const Complex right : {Complex(0), std::polar(0.5, 1.2), Complex(1)}) {
      environment.motions = {{0, 1.0}, {1, right}};
      const Transfer transfer(solved.basis, solved.damping, test::inputs_along(environment, 2, solved.system));
      for (const double f : {3.0, 21.0, 27.5, 33.0, 80.0}) {
        const double omega = 2 * pi * f, omega2 = omega * omega;
        const Complex a1 = -1 / omega2, a2 = -right / omega2, spring1(k1, omega * c), damped(1, eta + omega * beta);
        Eigen::Matrix2cd dynamic;
        dynamic << spring1 + damped * k12 - omega2 * m1, -damped * k12, -damped * k12,
            damped * (k2 + k12) - omega2 * m2;
        const Eigen::Vector2cd x = dynamic.inverse() * Eigen::Vector2cd(spring1 * a1, damped * k2 * a2);
        const auto expect = [&](const Eigen::RowVectorXcd& row, Complex exact) {
          EXPECT_LE(std::abs((row * transfer.state(f))(0) - exact), 1e-9 * std::abs(exact) + 1e-15) << f;
        };
        expect(solved.channels.motion(one, NodeMotion::absolute_displacement).row(2), x[0]);
        expect(solved.channels.motion(two, NodeMotion::absolute_acceleration).row(2), -omega2 * x[1]);
        expect(solved.channels.spring_force(0).row(2), spring1 * (x[0] - a1));
        expect(solved.channels.spring_force(2).row(2), damped * k12 * (x[1] - x[0]));
        expect(solved.channels.base_reaction(0, Vector3::Zero()).row(2), -spring1 * (x[0] - a1));
        expect(solved.channels.base_reaction(1, Vector3::Zero()).row(2), -damped * k2 * (x[1] - a2));
        expect(solved.channels.approach({one, two}, Vector3::UnitZ()), x[1] - x[0]);
      }
    }
  }
}

// One mass on a spring with a loss factor and a dashpot of its own, whose mode has a damping given near its frequency:
// what the spring feels is what the mass needs, −m a, whatever damps it.
TEST(Response, ForcesBalanceWhereDampingIsGivenNearAMode) {
  for (const bool dashpot : {false, true}) {
    Assembly model = test::chain({3.7}, {9e4});
    if (dashpot)
      model.springs[0].dashpot[2] = 130;
    else
      model.springs[0].loss_factor = 0.2;
    DampingRule rule = test::ratio(0.01);
    rule.near = {{std::sqrt(9e4 / 3.7) / (2 * pi), 0.05, 0.03, 0.01}};
    const Solved solved(model, test::count(1000), rule);
    for (const double f : {3.0, 24.0, 80.0}) {
      const Complex force = through(solved, solved.channels.spring_force(0).row(2), 2, f)[0],
                    inertia = 3.7 * through(solved, solved.channels.motion(1, NodeMotion::absolute_acceleration).row(2),
                                            2, f)[0];
      EXPECT_LE(std::abs(force + inertia), 1e-9 * std::abs(force)) << f << " " << dashpot;
    }
  }
}

// A mass behind a rigid joint on a spring, damped by Rayleigh's rule: what the joint passes on is what the spring
// gives, the mass's own damping αM included.
TEST(Response, OfAJointHasTheDampingOfTheMassBehindIt) {
  Assembly model = test::chain({1e-6}, {5e4});
  const int behind = test::add_node(model, {0, 0, 0.1}, "mass");
  model.links = {{"bond", 1, {behind}}};
  model.masses.push_back({"more", behind, Vector3::Zero(), 2, Matrix3::Identity() * 0.01});
  const DampingRule rule = rayleigh_through(5, 0.08, 60, 0.05);
  const Solved solved(model, test::count(1000), rule);
  const auto sides = joint_sides(solved.assembly, "bond");
  ASSERT_EQ(sides.size(), 1U);
  for (const double f : {3.0, 25.0, 80.0}) {
    const Complex spring = through(solved, solved.channels.spring_force(0).row(2), 2, f)[0],
                  joint = through(solved, solved.channels.joint_force(sides[0]).row(2), 2, f)[0];
    EXPECT_LE(std::abs(spring + joint), 2e-6 * std::abs(spring)) << f << spring << joint;  // the mass before the joint
  }
}

TEST(Response, OfASplitBaseThatMovesAsOneIsThatOfOneBase) {
  // The two feet of the portal on bases of their own that move together about any point: nothing may change.
  Assembly split = test::portal(0.05);
  const Base whole = split.bases[0];
  split.bases = {{"left", {whole.feet[0]}, whole.point}, {"right", {whole.feet[1]}, Vector3(0.7, 0.3, -0.2)}};
  const Solved one(test::portal(0.05), test::count(1000), {}), two(split, test::count(1000), {});
  for (int d = 0; d < 6; ++d) {
    Environment environment;
    const Transfer transfer(two.basis, two.damping, test::inputs_along(environment, d, two.system));
    for (const double f : {31.0, 140.0}) {
      for (const int node : {3, 9})
        expect_near(two.channels.motion(node, NodeMotion::absolute_acceleration) * transfer.state(f),
                    through(one, one.channels.motion(node, NodeMotion::absolute_acceleration), d, f), 1e-6);
      const Vector3 about(0.1, 0.2, 0.3);
      expect_near((two.channels.base_reaction(0, about) + two.channels.base_reaction(1, about)) * transfer.state(f),
                  through(one, one.channels.base_reaction(0, about), d, f), 1e-6);
    }
    for (int r = 0; r < 6; ++r)
      EXPECT_NEAR(two.basis.effective_mass(r, d), one.basis.effective_mass(r, d), 1e-6 * one.basis.rigid_mass(d, d));
  }
}

TEST(Response, SharesTheReactionAmongFeetWhateverTheModesKept) {
  // The sum over feet is the reaction of the base for any damping and truncation; moments about any point.
  for (const int modes : {2, 7}) {
    Assembly model = test::portal(std::nullopt);
    model.springs[0].loss_factor = 0.3;
    model.springs[1].dashpot.setConstant(5);
    const Solved solved(model, test::count(modes), test::ratio(0.02));
    const Vector3 about(0.3, 0.2, 0.1);
    for (const double f : {1e-3, 20.0, 60.0, 400.0}) {
      VectorXcd sum = VectorXcd::Zero(6);
      for (int foot = 0; foot < 2; ++foot) sum += through(solved, solved.channels.foot_reaction(foot, about), 1, f);
      expect_near(sum, through(solved, solved.channels.base_reaction(0, about), 1, f), 1e-9);
    }
  }
}

TEST(Response, HasTheTotalMassAsApparentMassAtZeroFrequency) {
  const Assembly model = test::portal(std::nullopt);
  const Solved solved(model, test::count(4), test::ratio(0.02));
  const MassProperties all = total_mass(model);
  const Matrix6 expected = mass_at_node(all.mass, all.inertia, all.centre - model.bases[0].point);
  for (int d = 0; d < 6; ++d)
    expect_near(through(solved, solved.channels.base_reaction(0, model.bases[0].point), d, 1e-4),
                expected.col(d).cast<Complex>(), 1e-8);
}

TEST(Response, FollowsTheTwoMassClosedForm) {
  // Two masses in a row, both springs with η: the 2 x 2 complex system by Cramer's rule.
  const double m1 = 2, m2 = 0.5, k1 = 3e5, k2 = 8e4, eta = 0.06;
  const Solved solved(test::chain({m1, m2}, {k1, k2}), test::count(2), test::loss_factor(eta));
  for (const double f : {3.0, 40.0, 55.0, 80.0, 300.0}) {
    const double w2 = std::pow(2 * pi * f, 2);
    const Complex c(1, eta), a = c * (k1 + k2) - w2 * m1, b = -c * k2, d = c * k2 - w2 * m2;
    const Complex determinant = a * d - b * b;
    const Complex y1 = (-m1 * d + m2 * b) / determinant,
                  y2 = (-m2 * a + m1 * b) / determinant;  // relative, per unit base acceleration
    const auto relative = [&](int node) {
      return solved.response(solved.channels.motion(node, NodeMotion::relative_displacement).row(2), 2, f);
    };
    EXPECT_LE(std::abs(relative(1) - y1), 1e-10 * std::abs(y1));
    EXPECT_LE(std::abs(relative(2) - y2), 1e-10 * std::abs(y2));
  }
}

TEST(Response, IsTheSameInATurnedAndShiftedModel) {
  // Turning model, spring axes and base directions together changes no physical answer.
  const Matrix3 turn = Eigen::AngleAxisd(1.1, Vector3(1, 2, 3).normalized()).toRotationMatrix();
  const Solved plain(test::portal(0.05), test::count(12), {}),
      turned(test::portal(0.05, turn, Vector3(3, -2, 1)), test::count(12), {});
  EXPECT_LE((plain.basis.omega - turned.basis.omega).norm(), 1e-9 * plain.basis.omega.norm());
  Eigen::VectorXd along_plain = Eigen::VectorXd::Zero(6), along_turned = along_plain;
  along_plain[2] = 1;
  along_turned.head<3>() = turn.col(2);
  const Transfer one(plain.basis, plain.damping, InputColumns{along_plain});
  const Transfer other(turned.basis, turned.damping, InputColumns{along_turned});
  const LogLogTable white({{10, 1, {}}, {300, 1, {}}}, 10);
  const auto gamma_one = integrate_covariance(one, white);
  const auto gamma_other = integrate_covariance(other, white);
  for (const int node : {3, 9, 14}) {
    const MatrixXcd rows = plain.channels.motion(node, NodeMotion::absolute_acceleration);
    const MatrixXcd rows_turned = turned.channels.motion(node, NodeMotion::absolute_acceleration);
    for (const double f : {30.0, 90.0})
      expect_near(turn.transpose().cast<Complex>() * (rows_turned * other.state(f)).col(0),
                  (rows * one.state(f)).col(0), 1e-7);
    EXPECT_NEAR(test::root_mean_square({"", rows_turned}, gamma_other) / test::root_mean_square({"", rows}, gamma_one),
                1, 1e-8);
  }
  // Spring forces are in the spring's own axes: the same numbers.
  expect_near((turned.channels.spring_force(1) * other.state(47)).col(0),
              (plain.channels.spring_force(1) * one.state(47)).col(0), 1e-7);
}

TEST(Peak, OfAMagnitudeIsTheLargestOverTheCycle) {
  // Against 10⁵ samples of the cycle: max² = ½(ŵᴴŵ + |ŵᵀŵ|) and its instant. Sampling is short by (π/10⁵)².
  std::mt19937 generator(3);
  std::normal_distribution<double> normal;
  for (int trial = 0; trial < 50; ++trial) {
    VectorXcd w(3);
    for (Complex& component : w) component = {normal(generator), trial % 5 == 0 ? 0 : normal(generator)};
    double largest = 0;
    for (int i = 0; i < 100000; ++i) largest = std::max(largest, (w * std::polar(1.0, 2 * pi * i / 1e5)).real().norm());
    EXPECT_NEAR(largest_over_phase(w) / largest, 1, 1e-8);
    EXPECT_NEAR((w * std::polar(1.0, -phase_of_largest(w))).real().norm() / largest, 1, 1e-8);
  }
  VectorXcd circle(3);
  circle << 1, Complex(0, 1), 0;
  EXPECT_DOUBLE_EQ(largest_over_phase(circle), 1);
}

TEST(Peak, WithAStaticValueIsTheLargestOverTheCycle) {
  // Against 10⁵ samples of |s + Re(ŵ e^{iθ})|, which fall short by (π/10⁵)² of the curvature; one to three rows, also
  // with a static part of nothing, along the ellipse or many times larger.
  std::mt19937 generator(11);
  std::normal_distribution<double> normal;
  for (int trial = 0; trial < 60; ++trial) {
    const int rows = 1 + trial % 3;
    VectorXcd w(rows);
    Eigen::VectorXd s(rows);
    const double size = trial % 4 == 0 ? 0 : std::pow(10, 0.5 * normal(generator));
    for (int i = 0; i < rows; ++i) {
      w[i] = {normal(generator), trial % 7 == 0 ? 0 : normal(generator)};
      s[i] = size * normal(generator);
    }
    double largest = 0;
    for (int i = 0; i < 100000; ++i)
      largest = std::max(largest, (s + (w * std::polar(1.0, 2 * pi * i / 1e5)).real()).norm());
    const LargestWithStatic found = largest_with_static(s, w);
    EXPECT_NEAR(found.value / largest, 1, 1e-7) << trial;
    EXPECT_NEAR((s + (w * std::polar(1.0, found.instant)).real()).norm() / found.value, 1, 1e-12) << trial;
  }
}

TEST(Peak, DoesNotDependOnTheGrid) {
  const Solved solved(test::portal(0.05), test::count(20), {});
  const Transfer transfer = solved.transfer(0);
  const LogLogTable sweep({{10, 1, {}}, {60, 2, {}}, {60, 1, {}}, {500, 4, {}}}, 20);
  const MatrixXcd rows = solved.channels.motion(9, NodeMotion::absolute_acceleration);
  const std::vector<Measure> measures{{"magnitude", rows}, {"x", rows.row(0)}, {"z", rows.row(2)}};
  for (const Measure& measure : measures) {
    std::vector<SinePeak> peaks;
    for (const auto& [per_octave, points] : {std::pair{6.0, 9}, {24.0, 21}, {301.0, 151}}) {
      const SineResponse response(transfer, sweep,
                                  frequency_grid({10, 500, per_octave, points, {}}, sweep.curve_points(),
                                                 resonances(solved.basis, solved.damping)));
      peaks.push_back(response.peak(measure));
      EXPECT_NEAR(largest_over_phase(response.at(measure, peaks.back().frequency)), peaks.back().value,
                  1e-12 * peaks.back().value);
    }
    for (const SinePeak& peak : peaks) {
      EXPECT_NEAR(peak.frequency / peaks.back().frequency, 1, 2e-8) << measure.label;
      EXPECT_NEAR(peak.value / peaks.back().value, 1, 1e-12) << measure.label;
    }
  }
}

// Two heavily damped masses on a base of constant displacement, in bands that end anywhere: a flat hump may lie between
// two points that rise, a dip beyond it. Against 4000 points, which miss a top by 1e-7 of it.
TEST(Peak, IsNotMissedBetweenPointsThatRise) {
  std::mt19937 generator(3);
  std::uniform_real_distribution<double> part(0, 1);
  for (int trial = 0; trial < 120; ++trial) {
    const double mass = std::pow(10, part(generator) - 0.5), spring = 1e4 * std::pow(10, 2 * part(generator) - 1);
    const Solved solved(test::chain({1, mass}, {1e4, spring}), test::count(2),
                        test::ratio(0.1 + 0.6 * part(generator)));
    const Transfer transfer = solved.transfer(2);
    const double from = 2 + 10 * part(generator), to = from * (1.5 + 8 * part(generator));
    const LogLogTable constant({{from, from * from, {}}, {to, to * to, {}}}, 20);
    const Measure measure{"", solved.channels.motion(1 + trial % 2, NodeMotion::absolute_displacement).row(2)};
    const SineResponse response(
        transfer, constant,
        frequency_grid({from, to, 1, 5, {}}, constant.breakpoints(), resonances(solved.basis, solved.damping)));
    double largest = 0;
    for (int k = 0; k <= 4000; ++k)
      largest = std::max(largest, std::abs(response.at(measure, std::min(to, from * std::pow(to / from, k / 4e3)))[0]));
    EXPECT_GE(response.peak(measure).value, largest * (1 - 1e-9)) << trial;
    EXPECT_LE(response.peak(measure).value, largest * (1 + 1e-5)) << trial;
  }
}

// Two bases out of phase, dashpots and loss factors: forces that change with frequency and modes that are coupled.
TEST(Trace, IsItsRowsTimesTheStateAndHasItsSlope) {
  Assembly split = test::portal(0.05);
  const Base whole = split.bases[0];
  split.bases = {{"left", {whole.feet[0]}, whole.point}, {"right", {whole.feet[1]}, whole.point}};
  split.springs[1].dashpot.setConstant(20);
  std::mt19937 generator(6);
  std::normal_distribution<double> normal;
  Environment environment;
  environment.motions = {{0, 1.0}, {1, Complex(0.3, -0.6)}};
  for (const bool coupled : {true, false}) {
    DampingRule rule = test::ratio(0.02);
    rule.coupled = coupled;
    const Solved solved(split, test::count(6), rule);
    InputColumns inputs{MatrixXcd(12, 2)};
    inputs.base << test::inputs_along(environment, 1, solved.system).base,
        test::inputs_along(environment, 2, solved.system).base;
    const Transfer transfer(solved.basis, solved.damping, inputs);
    MatrixXcd rows(3, transfer.layout().size());
    for (Complex& entry : rows.reshaped()) entry = {normal(generator), normal(generator)};
    rows.middleCols(transfer.layout().modal(1), transfer.layout().modes).setZero();
    const Trace trace(transfer, rows);
    for (const double f : {12.0, 47.0, 210.0}) {
      // Both columns at once, the second growing and turning with frequency.
      const auto amplitudes = [&](double at) -> VectorXcd {
        return Eigen::Vector2cd(1.5, 0.01 * at * std::polar(1.0, 0.02 * (at - f)));
      };
      const VectorXcd slopes = Eigen::Vector2cd(0, Complex(0.01, 0.0002 * f));
      expect_near(trace.at(f, amplitudes(f)), rows * (transfer.state(f) * amplitudes(f)), 1e-12);
      const double h = 1e-5 * f;  // central differences, error h²/6 of the third derivative
      const VectorXcd difference = (trace.at(f + h, amplitudes(f + h)) - trace.at(f - h, amplitudes(f - h))) / (2 * h);
      EXPECT_LE((trace.with_slope(f, f, amplitudes(f), slopes).second - difference).norm(), 1e-6 * difference.norm());
    }
  }
}

TEST(StateTable, MultipliesLikeTheStatesOneByOne) {
  // Complex rows on every block, also of two bases out of phase, against rows · z(f) at each frequency.
  Assembly split = test::portal(0.05);
  const Base whole = split.bases[0];
  split.bases = {{"left", {whole.feet[0]}, whole.point}, {"right", {whole.feet[1]}, whole.point}};
  const Solved solved(split, test::count(6), {});
  Environment environment;
  environment.motions = {{0, 1.0}, {1, Complex(0.3, -0.6)}};
  const Transfer transfer(solved.basis, solved.damping, test::inputs_along(environment, 1, solved.system));
  std::mt19937 generator(5);
  std::normal_distribution<double> normal;
  MatrixXcd rows(7, transfer.layout().size());
  for (Complex& entry : rows.reshaped()) entry = {normal(generator), normal(generator)};
  rows.row(0) = rows.row(0).real().eval().cast<Complex>();
  rows.row(1).segment(transfer.layout().modal(1), transfer.layout().modes).setZero();
  const std::vector<double> frequencies{3, 20, 47, 300};
  const Eigen::RowVector4cd levels(1, 2, 0.5, Complex(0, 4));
  const StateTable table(transfer, frequencies, levels);
  const MatrixXcd product = table.times(rows);
  const MatrixXd largest = table.largest_in_stretches({});
  for (std::size_t k = 0; k < 4; ++k) {
    const auto column = static_cast<Eigen::Index>(k);
    const VectorXcd z = levels[column] * transfer.state(frequencies[k]).col(0);
    expect_near(product.col(column), rows * z, 1e-12);
    EXPECT_LE((z.cwiseAbs() - largest.rowwise().maxCoeff()).maxCoeff(), 1e-12 * z.norm());
  }
  EXPECT_LE((table.coordinates().col(2) - 0.5 * transfer.coordinates(47).col(0)).norm(), 1e-12);
}

// A line between two places turns with the base: what holds the model besides it, however softly, changes nothing, nor
// that the same base is two which move as one.
TEST(RelativeMotion, TurnsWithTheBaseHoweverTheModelIsHeld) {
  const Assembly plain = test::portal(0.05);
  Assembly grounded = plain, apart = plain;
  Spring soft;
  soft.joint = "soft";
  soft.nodes = {8, -1};
  soft.point = plain.nodes[8].position;
  soft.stiffness.setConstant(1e-7);
  grounded.springs.push_back(soft);
  const Base whole = plain.bases[0];
  apart.bases = {{"left", {whole.feet[0]}, whole.point}, {"right", {whole.feet[1]}, whole.point}};
  const Vector3 along = Vector3(0.3, -0.5, 0.8).normalized();
  const auto motions = [&](const Assembly& model) {
    const test::Solved solved(model, test::count(1000), {});
    const MatrixXcd rows = solved.channels.approach({5, 11}, along);
    std::vector<Complex> all;
    for (int axis = 0; axis < 6; ++axis)
      for (const double f : {0.5, 20.0, 70.0}) {
        const auto bases = static_cast<Eigen::Index>(model.bases.size());
        const MatrixXcd together = MatrixXcd::Identity(6, 6).col(axis).replicate(bases, 1);
        const Transfer transfer(solved.basis, solved.damping, InputColumns{together});
        all.push_back((rows * transfer.state(f))(0, 0));
      }
    return all;
  };
  const std::vector<Complex> expected = motions(plain);
  for (const Assembly& other : {grounded, apart}) {
    const std::vector<Complex> found = motions(other);
    for (std::size_t k = 0; k < expected.size(); ++k)
      EXPECT_NEAR(std::abs(found[k] - expected[k]), 0, 1e-7 * std::abs(expected[k])) << k;
  }
}

// Where the general damping meets dampers of elements' own, whatever the rule: what springs put on a body is its mass
// times its acceleration, and a spring at a foot passes on what the foot and the base feel.
TEST(Damping, LeavesForcesInBalanceAtEveryFrequency) {
  DampingRule near = test::ratio(0.03), table;
  near.near = {{45, 0.3, 0.08, 0}, {160, 0.2, 0, 0.1}};
  table.form = DampingRule::Form::table;
  table.table = {{10, 0.01}, {100, 0.06}};
  Assembly portal = test::portal(std::nullopt), chain = test::chain({2, 0.7, 1.1}, {3e5, 8e4, 4e4});
  portal.springs[0].loss_factor = 0.3;
  portal.springs[1].dashpot << 60, 40, 50, 0.1, 0.2, 0.1;
  portal.springs[1].loss_factor.reset();
  chain.springs[0].loss_factor = 0.35;
  chain.springs[2].dashpot.setConstant(30);
  const PointMass& box = portal.masses[1];
  for (const DampingRule& rule :
       {test::ratio(0.03), near, table, test::loss_factor(0.05), rayleigh_through(20, 0.02, 200, 0.03)}) {
    const Solved on_portal(portal, test::count(1000), rule), on_chain(chain, test::count(1000), rule);
    for (const double f : {4.0, 31.0, 55.0, 90.0, 170.0, 420.0})
      for (int axis = 0; axis < 3; ++axis) {
        const auto found = [&](const Solved& solved, const MatrixXcd& rows) { return through(solved, rows, axis, f); };
        VectorXcd force = VectorXcd::Zero(3);
        for (int k = 0; k < 2; ++k)
          force += portal.springs[static_cast<std::size_t>(k)].axes.transpose().cast<Complex>() *
                   found(on_portal, on_portal.channels.spring_force(k)).head<3>();
        const VectorXcd taken =
            box.mass *
            (found(on_portal, on_portal.channels.motion(box.node, NodeMotion::absolute_acceleration)) +
             rule.mass_rate * found(on_portal, on_portal.channels.motion(box.node, NodeMotion::relative_velocity)));
        expect_near(force, taken, 1e-8);
        if (rule.mass_rate > 0) continue;  // it acts between masses and base, beside the spring
        const VectorXcd spring = found(on_chain, on_chain.channels.spring_force(0)).head<3>();
        expect_near(-spring, found(on_chain, on_chain.channels.foot_reaction(0, Vector3::Zero())).head<3>(), 1e-9);
        expect_near(-spring, found(on_chain, on_chain.channels.base_reaction(0, Vector3::Zero())).head<3>(), 1e-9);
      }
  }
}

}  // namespace
}  // namespace avrenk
