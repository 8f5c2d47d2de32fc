#include "core/modes/modal_basis.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include "core/error.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

TEST(Modes, AreCompleteByThePivotCountEvenWhenFrequenciesRepeat) {
  // A round mast has every bending mode twice; a count that would cut a pair apart takes it whole.
  test::Cantilever c;
  c.elements = 12;
  const Solved odd(test::cantilever(c), test::count(3), test::ratio(0.01));
  EXPECT_EQ(odd.basis.modes, 4);
  EXPECT_NEAR(odd.basis.frequency(2) / odd.basis.frequency(3), 1, 1e-9);
  const double up_to = 0.5 * (odd.basis.frequency(3) + 3 * odd.basis.frequency(3));
  const Solved band(test::cantilever(c), {up_to, std::nullopt, true, false}, test::ratio(0.01));
  EXPECT_EQ(band.basis.modes, count_modes_below(band.system, up_to));
  EXPECT_LE(band.basis.frequency(band.basis.modes - 1), up_to);
  // Nothing below the limit: the first mode is shown all the same.
  const Solved none(test::cantilever(c), {0.1 * odd.basis.frequency(0), std::nullopt, true, false}, test::ratio(0.01));
  EXPECT_EQ(none.basis.modes, 2);
}

// A slender beam of beams on springs so soft that it is nearly free: its six motions as a body have the frequencies of
// a rigid body on those springs, √(k/m)/2π and √(k_r/I)/2π, and none is lost though the elastic modes of the free beam
// (1 − cos b cosh b = 0) lie up to eight decades of ω² above.
TEST(Modes, OfANearlyFreeModelAreAllFound) {
  test::Cantilever c;
  c.elements = 32;
  for (const double hertz : {1.0, 0.03}) {
    Assembly model = test::cantilever(c);
    model.bases = {{"fixture", {}, Vector3(0.5, 0, 0)}};
    const MassProperties total = total_mass(model);
    Spring soft;
    soft.joint = "suspension";
    soft.nodes = {16, test::add_node(model, Vector3(0.5, 0, 0), "anchor")};
    soft.point = Vector3(0.5, 0, 0);
    const double k = total.mass * std::pow(2 * pi * hertz, 2);
    soft.stiffness << k, k, k, k / total.mass * total.inertia(0, 0), k / total.mass * total.inertia(1, 1),
        k / total.mass * total.inertia(2, 2);
    model.springs = {soft};
    model.bases[0].feet = {{soft.nodes[1]}};
    const System system = make_system(model);
    const ModalBasis basis = solve_modes(model, system, test::count(12));
    const double bending =
        std::pow(4.730040745, 2) / (2 * pi) *
        std::sqrt(c.material.youngs_modulus * c.section.second_moment_y / (c.material.density * c.section.area));
    // The beam gives way a little, by about (soft/elastic)²; the stiffness of an element, 2e8 N/m, rounds to 3e-8 N/m,
    // which is 5e-6 of the softer springs.
    for (int r = 0; r < 6; ++r)
      EXPECT_NEAR(basis.frequency(r) / hertz, 1, 2e-5 + 2 * std::pow(hertz / bending, 2)) << r;
    for (const int r : {6, 7}) EXPECT_NEAR(basis.frequency(r) / bending, 1, 2e-3);
    EXPECT_EQ(basis.counted_below, basis.modes);
    EXPECT_EQ(count_modes_below(system, 10 * hertz), 6);
    EXPECT_LE(basis.largest_nonorthogonality(), 1e-10);
    double mass = 0;
    for (int r = 0; r < basis.modes; ++r) mass += basis.effective_mass(r, 2);
    EXPECT_NEAR(mass / total.mass, 1, 1e-6);
  }
}

TEST(Modes, CarryTheWholeMassWhenAllAreKept) {
  const Solved all(test::portal(std::nullopt), test::count(1000), test::ratio(0.01));
  EXPECT_TRUE(all.basis.exhausted);
  EXPECT_EQ(all.basis.size(), all.basis.modes);  // no residual vector is left to add
  // Σ L² = PᵀM⁻¹P in every direction: the mass that moves, all but what sits on the feet (closed form by linear
  // algebra).
  const Eigen::MatrixXd dense = all.system.mass.ff;
  const Eigen::MatrixXd& p = all.basis.statics.inertia_load;
  const Eigen::MatrixXd moving = p.transpose() * dense.completeOrthogonalDecomposition().solve(p);
  for (int d = 0; d < 6; ++d) EXPECT_NEAR(all.basis.participation.col(d).squaredNorm() / moving(d, d), 1, 1e-9) << d;
}

TEST(ResidualVectors, MakeTheStaticResponseExactAndAreFlagged) {
  const Solved few(test::portal(std::nullopt), test::count(3), test::ratio(0.01));
  const Solved bare(test::portal(std::nullopt), {std::nullopt, 3, false, false}, test::ratio(0.01));
  EXPECT_EQ(few.basis.modes, 3);
  EXPECT_EQ(few.basis.size(), 9);
  EXPECT_EQ(bare.basis.size(), 3);
  for (int r = 3; r < 9; ++r) EXPECT_GT(few.basis.omega[r], few.basis.omega[2]);
  const auto static_error = [](const Solved& model) {
    const auto& basis = model.basis;
    const Eigen::MatrixXd modal =
        basis.shapes * basis.omega.array().square().inverse().matrix().asDiagonal() * basis.participation;
    return (modal - basis.statics.unit_acceleration).norm() / basis.statics.unit_acceleration.norm();
  };
  EXPECT_LE(static_error(few), 1e-10);
  EXPECT_GT(static_error(bare), 1e-3);
  const Eigen::MatrixXd k = few.basis.shapes.transpose() * few.system.stiffness.ff * few.basis.shapes;
  EXPECT_LE((k - Eigen::MatrixXd(k.diagonal().asDiagonal())).norm(), 1e-8 * k.norm());
}

// What a model of few modes makes of dampers: a mast on a stiff spring, a dashpot or a spring with loss from its tip to
// a node without mass that a spring holds. The force in the damper against the full equations.
TEST(ResidualVectors, CarryWhatDampersBend) {
  for (const bool loss : {false, true}) {
    test::Cantilever c;
    c.elements = 20;
    Assembly model = test::cantilever(c);
    const int tip = c.elements;
    const int middle = test::add_node(model, model.position(tip), "middle"),
              post = test::add_node(model, model.position(tip), "post");
    model.bases[0].feet.push_back({post});
    Spring damper, holder;
    damper.joint = "damper";
    damper.nodes = {tip, middle};
    damper.point = model.position(tip);
    holder = damper;
    holder.joint = "holder";
    holder.nodes = {middle, post};
    holder.stiffness.setConstant(2e4);
    if (loss) {
      damper.stiffness.setConstant(3e4);
      damper.loss_factor = 0.8;
    } else {
      damper.dashpot.setConstant(400);
    }
    model.springs = {damper, holder};
    const DampingRule rule{DampingRule::Form::loss_factor, 0.01};
    const Solved few(model, test::count(4), rule), bare(model, {std::nullopt, 4, false, false}, rule),
        all(model, test::count(1000), rule);
    EXPECT_GT(few.basis.massless, 0);
    EXPECT_EQ(bare.basis.massless, few.basis.massless);  // not a matter of accuracy
    EXPECT_EQ(bare.basis.residual_vectors(), 0);
    const auto worst = [&](const Solved& own) {
      const Transfer transfer = own.transfer(2), exact = all.transfer(2);
      double most = 0;
      for (const double f : {3.0, 8.0, 11.5, 20.0, 45.0}) {
        const Complex found = (own.channels.spring_force(0).row(2) * transfer.state(f))(0),
                      right = (all.channels.spring_force(0).row(2) * exact.state(f))(0);
        most = std::max(most, std::abs(found / right - 1.0));
      }
      return most;
    };
    EXPECT_LE(worst(few), 5e-3) << loss;
    EXPECT_GT(worst(bare), 20 * worst(few)) << loss;  // residual vectors do it
    // All modes, against K + iK_η + iωC − ω²M.
    const System& s = all.system;
    for (const double f : {0.5, 8.0, 60.0, 700.0}) {
      const double w = 2 * pi * f;
      Eigen::MatrixXcd dynamic = Eigen::MatrixXd(s.stiffness.ff - w * w * s.mass.ff).cast<Complex>();
      dynamic +=
          Complex(0, 1) * Eigen::MatrixXd(s.loss.ff + 0.01 * (s.stiffness.ff - s.own_stiffness.ff) + w * s.dashpot.ff);
      const Eigen::VectorXcd u = dynamic.partialPivLu().solve(-all.basis.statics.inertia_load.col(2).cast<Complex>());
      const Eigen::VectorXcd modal = all.basis.shapes.cast<Complex>() * all.transfer(2).coordinates(f).col(0);
      EXPECT_LE((modal - u).norm(), 1e-8 * u.norm()) << f;
    }
  }
}

TEST(Damping, AddsLossFactorsByStrainEnergyAndDashpotsByTheirWork) {
  // Two equal masses on three springs in a row (fixed-free chain of two): closed form of the 2 x 2 problem
  // k [2 −1; −1 1], m I: λ = (3 ∓ √5)/2 k/m; the first spring's share of the strain energy is x₁²/λ' with x normalised.
  Assembly model = test::chain({1, 1}, {1e4, 1e4});
  model.springs[0].loss_factor = 0.2;
  model.springs[1].dashpot[2] = 3;
  const Solved solved(model, test::count(2), test::ratio(0.05));
  const double root = std::sqrt(5.0);
  for (const int r : {0, 1}) {
    const double lambda = (3 + (r == 0 ? -root : root)) / 2, ratio = 2 - lambda;  // x₂/x₁
    const double x1 = 1 / std::sqrt(1 + ratio * ratio), travel = x1 * (ratio - 1);
    const double omega = std::sqrt(lambda * 1e4);
    EXPECT_NEAR(solved.basis.omega[r], omega, 1e-9 * omega);
    EXPECT_NEAR(solved.damping.eta[r], 0.2 * x1 * x1 / lambda, 1e-10);
    EXPECT_NEAR(solved.damping.zeta[r], 3 * travel * travel / (2 * omega),
                1e-10);  // no element is left to the general ratio
    EXPECT_NEAR(solved.damping.amplification(r), 1 / (2 * solved.damping.zeta[r] + solved.damping.eta[r]), 1e-12);
  }
  const DampingRule table{DampingRule::Form::table, 0, {{10, 0.01}, {1000, 0.03}}};
  EXPECT_DOUBLE_EQ(table.ratio(1), 0.01);
  EXPECT_DOUBLE_EQ(table.ratio(100), 0.02);  // half way on a logarithmic axis
  EXPECT_DOUBLE_EQ(table.ratio(5000), 0.03);
}

TEST(Damping, GoesThroughItsTwoPairsAndTakesWhatIsGivenNearAFrequency) {
  DampingRule rule = rayleigh_through(30, 0.01, 300, 0.02);
  EXPECT_NEAR(rule.ratio(30), 0.01, 1e-15);
  EXPECT_NEAR(rule.ratio(300), 0.02, 1e-15);
  EXPECT_LT(rule.ratio(95), 0.01);  // between them it dips: √(f₁f₂) has the least
  rule.near = {{40, 0.05, 0.03, 0}, {41, 0.1, 0, 0.05}};
  const auto solve = [&](double frequency) {
    return Solved(test::chain({1}, {std::pow(2 * pi * frequency, 2)}), test::count(1), rule).damping;
  };
  EXPECT_NEAR(solve(70).zeta[0], rule.ratio(70), 1e-12);
  EXPECT_EQ(solve(39).zeta[0], 0.03);  // the nearest of several
  EXPECT_EQ(solve(44).eta[0], 0.05);
  EXPECT_EQ(solve(44).zeta[0], 0);
  EXPECT_EQ(solve(39).source[0], "given near 40 Hz");
  EXPECT_NEAR(solve(46).zeta[0], rule.ratio(46), 1e-12);  // outside both
  rule = rayleigh_through(30, 0.01, 60, 0.3);             // α is negative
  EXPECT_THROW((void)solve(8), InputError);
}

TEST(Damping, IsRequiredInsideTheBandOnly) {
  const Solved solved(test::chain({1}, {std::pow(2 * pi * 40, 2)}), test::count(1), {});
  EXPECT_NO_THROW(require_damping(solved.basis, solved.damping, 41, 100));
  try {
    require_damping(solved.basis, solved.damping, 5, 100);
    FAIL();
  } catch (const InputError& error) {
    EXPECT_STREQ(error.what(),
                 "damping: mode 1 at 40 Hz lies between 5 and 100 Hz and has no damping, so its response is infinite; "
                 "give the model a damping ratio, or its materials or joints a loss factor");
  }
}

}  // namespace
}  // namespace avrenk
