// Springs whose stiffness and loss factor depend on frequency, and variants of them, against the same model assembled
// with what they are at each frequency by itself: nothing of the update in the modes is in that.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <random>

#include "core/error.h"
#include "core/model/spring_law.h"
#include "core/modes/modal_basis.h"
#include "core/modes/spring_variation.h"
#include "core/response/audit.h"
#include "core/response/power.h"
#include "core/system/system.h"
#include "support/checked.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;
using test::Solved;

SpringLaw stiffening() {
  SpringLaw law;
  law.stiffness[0] = {{5, 4e4}, {40, 6e4}, {300, 9e4}};
  law.stiffness[2] = {{10, 7e4}, {100, 3e4}};
  law.stiffness[4] = {{8, 200}, {90, 500}};
  law.loss = {{10, 0.05}, {60, 0.3}, {200, 0.15}};
  law.variants = {{"soft", 0.7, 1}, {"stiff", 1.6, 0.5}};
  return law;
}

enum class Standing { held, grounded, parted };

// The portal with isolators that follow the law; its box on the ground besides, or its feet on bases of their own.
Assembly with_law(const SpringLaw& law, Standing standing) {
  Assembly model = test::portal(0.02);
  if (standing == Standing::grounded) {
    Spring stay = model.springs[0];
    stay.joint = "stay";
    stay.nodes[1] = -1;
    model.springs.push_back(stay);
  }
  if (standing == Standing::parted) {
    const Base whole = model.bases[0];
    model.bases = {{"left", {whole.feet[0]}, whole.point}, {"right", {whole.feet[1]}, whole.point}};
  }
  for (Spring& spring : model.springs) {
    spring.loss_factor = law.loss.empty() ? 0.05 : law.loss.front().second;
    for (std::size_t axis = 0; axis < 6; ++axis)
      if (!law.stiffness[axis].empty()) spring.stiffness[static_cast<Index>(axis)] = law.stiffness[axis].front().second;
    spring.law = std::make_shared<const SpringLaw>(law);
  }
  add_columns_of_springs(model);
  return model;
}

// The same model with the springs as constant ones, as they are at one frequency.
Assembly frozen(Assembly model, double frequency, double stiffer = 1, double more_loss = 1) {
  model.loads.clear();
  for (Spring& spring : model.springs) {
    const SpringLaw& law = *spring.law;
    for (std::size_t axis = 0; axis < 6; ++axis) {
      double& k = spring.stiffness[static_cast<Index>(axis)];
      if (!law.stiffness[axis].empty()) k = log_interpolation(law.stiffness[axis], frequency);
      k *= stiffer;
    }
    if (!law.loss.empty()) spring.loss_factor = log_interpolation(law.loss, frequency);
    *spring.loss_factor *= more_loss;
    spring.law.reset();
  }
  return model;
}

void vary(Solved& solved, const std::string& variant = "") {
  auto springs = varying_springs(solved.assembly, variant);
  solved.damping = with_springs(solved.damping, solved.basis,
                                std::make_shared<const SpringVariation>(springs, solved.system, solved.basis));
}

// Motions, forces of springs, feet and bases: rows of every kind.
MatrixXcd rows_of(const Solved& solved) {
  std::vector<MatrixXcd> all{solved.channels.motion(9, NodeMotion::absolute_acceleration),
                             solved.channels.approach({3, 9}, Vector3(1, 2, 2) / 3),  // whatever the bases do
                             solved.channels.spring_force(0),
                             solved.channels.spring_travel(1),
                             solved.channels.beam_forces(4),
                             solved.channels.base_reaction(0, Vector3(0.1, 0, 0)),
                             solved.channels.foot_reaction(1, Vector3::Zero())};
  if (solved.assembly.springs.size() > 2) all.push_back(solved.channels.spring_force(2));
  MatrixXcd rows(0, all[0].cols());
  for (const MatrixXcd& each : all) {
    rows.conservativeResize(rows.rows() + each.rows(), Eigen::NoChange);
    rows.bottomRows(each.rows()) = each;
  }
  return rows;
}

InputColumns all_bases(const Solved& solved) {
  const Index motions = solved.system.support_motion.cols();
  return {MatrixXcd::Identity(motions, motions), MatrixXcd::Zero(solved.system.loads.cols(), motions)};
}

// Forces and motions are of very different size: row by row, the largest part that one is off by.
double error_of(const MatrixXcd& found, const MatrixXcd& exact) {
  double largest = 0;
  for (Index i = 0; i < exact.rows(); ++i)
    largest = std::max(largest, (found.row(i) - exact.row(i)).norm() / (exact.row(i).norm() + 1e-9 * exact.norm()));
  return largest;
}

// Exact with all modes, whatever the damping is otherwise; with few modes as good as as many modes of that model.
TEST(VaryingSprings, AreTheModelAssembledWithWhatTheyAreAtEachFrequency) {
  for (const Standing standing : {Standing::held, Standing::grounded, Standing::parted})
    for (const int modes : {1000, 12}) {
      for (const DampingRule& rule : {DampingRule{}, test::loss_factor(0.01)}) {
        Solved solved(with_law(stiffening(), standing), test::count(modes), rule);
        vary(solved);
        const Transfer transfer(solved.basis, solved.damping, all_bases(solved));
        for (const double f : {3.0, 12.0, 40.0, 77.0, 250.0}) {
          if (modes < 1000 && f > 100) continue;
          const Solved exact(frozen(solved.assembly, f), test::count(1000), rule);
          const MatrixXcd reference = rows_of(exact) * Transfer(exact.basis, exact.damping, all_bases(exact)).state(f);
          const std::string what = fmt::format("{} modes, {} Hz, model {}", modes, f, static_cast<int>(standing));
          double allowed = 1e-8;
          if (modes < 1000) {
            const Solved few(frozen(solved.assembly, f), test::count(modes), rule);
            allowed = 3 * error_of(rows_of(few) * Transfer(few.basis, few.damping, all_bases(few)).state(f), reference);
          }
          EXPECT_LE(error_of(rows_of(solved) * transfer.state(f), reference), allowed) << what;
          EXPECT_LE(error_of(rows_of(solved) * transfer.with_coupling().state(f), reference), allowed) << what;
        }
      }
    }
}

// As coupled poles, in Schur form, mode by mode and as more springs than modes, the answer is that of the equations as
// they stand; a table of states and a trace say the same, and the trace has its slope.
TEST(VaryingSprings, AreTheSameByAllFormsOfTheEquations) {
  SpringLaw constant;
  constant.variants = stiffening().variants;
  for (const bool by_tables : {true, false})
    for (const auto& [coupled, modes] : {std::pair{true, 3}, {false, 3}, {true, 15}, {false, 15}}) {
      Assembly model = with_law(by_tables ? stiffening() : constant, Standing::parted);
      model.springs[1].dashpot.setConstant(15);
      // Twelve travels: more than three modes, fewer than fifteen with their vectors.
      DampingRule rule = test::ratio(0.02);
      rule.coupled = coupled;
      ModeRequest request = test::count(modes);
      request.residual_vectors = modes > 3;
      Solved solved(model, request, rule);
      vary(solved, by_tables ? "" : "soft");
      EXPECT_EQ(solved.damping.has_springs_in_modes(), !by_tables);
      const Transfer transfer(solved.basis, solved.damping, all_bases(solved));
      const MatrixXcd rows = rows_of(solved);
      const Trace trace(transfer, rows);
      const VectorXcd a = VectorXcd::LinSpaced(12, Complex(1, 0.2), Complex(-0.4, 1));
      std::vector<double> frequencies{7, 33, 33, 120};
      const StateTable table(transfer, frequencies, a.replicate(1, 4));
      const MatrixXcd w = table.times(rows);
      for (std::size_t k = 0; k < frequencies.size(); ++k) {
        const double f = frequencies[k];
        const VectorXcd state = rows * (transfer.state(f) * a);
        EXPECT_LE((w.col(static_cast<Index>(k)) - state).norm(), 1e-10 * state.norm());
        EXPECT_LE((trace.at(f, a) - state).norm(), 1e-10 * state.norm());
        if (coupled) {
          // The modal equations written out: (Λ + iD + iωV − ω²J + W X G) q = p − W X G_b u_b.
          const double omega = 2 * pi * f;
          const SpringVariation& own = *solved.damping.springs;
          const VectorXcd x = own.stiffness_change(f);
          MatrixXcd z = imaginary * (omega * solved.damping.viscous + solved.damping.hysteretic);
          z.diagonal() += solved.basis.stiffness();
          z.diagonal().head(solved.basis.with_mass()).array() -= omega * omega;
          z += own.forces() * x.asDiagonal() * own.travel();
          VectorXcd p = transfer.modal_force(f) * a;  // of springs in the modes with what the bases do to them
          if (by_tables) p += own.forces() * (x.asDiagonal() * (own.base_travel() * a)) / (omega * omega);
          const VectorXcd q = z.partialPivLu().solve(p), found = transfer.coordinates(f) * a;
          EXPECT_LE((q - found).norm(), 1e-9 * q.norm()) << f << " Hz, " << modes;
        }
        const double h = 1e-5 * f;
        const VectorXcd slopes = VectorXcd::Constant(12, Complex(0.01, -0.02));
        const VectorXcd difference = (trace.at(f + h, a + h * slopes) - trace.at(f - h, a - h * slopes)) / (2 * h);
        EXPECT_LE((trace.with_slope(f, f, a, slopes).second - difference).norm(), 1e-6 * difference.norm());
      }
    }
}

// At a point of its tables a law has two slopes: each on its side.
TEST(VaryingSprings, HaveASlopeOnEachSideOfATablePoint) {
  Solved solved(with_law(stiffening(), Standing::held), test::count(20), {});
  vary(solved);
  const Transfer transfer = solved.transfer(2);
  // The law's columns are no inputs here.
  const Trace trace(transfer, solved.channels.spring_force(0));
  const VectorXcd one = VectorXcd::Ones(1), none = VectorXcd::Zero(1);
  for (const double side : {-1.0, 1.0}) {
    const double f = 40, h = side * 1e-5;
    const VectorXcd difference =
        (-1.5 * trace.at(f, one) + 2 * trace.at(f + h, one) - 0.5 * trace.at(f + 2 * h, one)) / h;
    EXPECT_LE((trace.with_slope(f, f + side, one, none).second - difference).norm(), 1e-5 * difference.norm());
  }
}

// Natural frequencies where the springs are what they are there: each is one of the model assembled so.
TEST(VaryingSprings, HaveModesAtTheirOwnFrequency) {
  Solved solved(with_law(stiffening(), Standing::held), test::count(1000), {});
  vary(solved);
  const std::vector<SpringMode>& modes = solved.damping.with_springs;
  ASSERT_EQ(static_cast<int>(modes.size()), solved.basis.with_mass());
  double most = 0;
  for (std::size_t r = 0; r < 8; ++r) {
    const Solved own(frozen(solved.assembly, modes[r].frequency), test::count(1000), {});
    EXPECT_NEAR(own.basis.frequency(static_cast<int>(r)) / modes[r].frequency, 1, 2e-7) << r;
    EXPECT_NEAR(own.damping.effective_ratio(static_cast<int>(r)) / modes[r].ratio, 1, 1e-5) << r;
    most = std::max(most, std::abs(modes[r].frequency / solved.basis.frequency(static_cast<int>(r)) - 1));
  }
  EXPECT_GT(most, 0.05);
}

// One mass on one isolator: |H|² with k(f)(1 + iη(f)) integrated adaptively between the points of its tables.
TEST(VaryingSprings, LetNoisePassAsTheIntegralSays) {
  SpringLaw law;
  law.stiffness[2] = {{10, 6e4}, {80, 1.4e5}, {200, 2.5e5}};
  law.loss = {{20, 0.08}, {100, 0.25}};
  Assembly model = test::chain({2.5}, {6e4});
  model.springs[0].loss_factor = 0.08;
  model.springs[0].law = std::make_shared<const SpringLaw>(law);
  add_columns_of_springs(model);
  Solved solved(model, test::count(1000), {});
  vary(solved);
  const double level = 0.4;  // (m/s²)²/Hz
  const SpectralMatrix input(LogLogTable({{5, level, {}}, {400, level, {}}}, 10));
  const Transfer transfer = solved.transfer(2);
  const ModalCovariance covariance = integrate_covariance(transfer, input);
  const auto square = [&](double f) {
    const double omega = 2 * pi * f;
    const Complex k = log_interpolation(law.stiffness[2], f) * Complex(1, log_interpolation(law.loss, f));
    return std::norm(k / (k - 2.5 * omega * omega));
  };
  double acceleration = 0, force = 0;
  const double ends[] = {5, 10, 20, 80, 100, 200, 400};
  for (std::size_t k = 0; k + 1 < std::size(ends); ++k)
    for (const bool of_force : {false, true})
      (of_force ? force : acceleration) += level * boost::math::quadrature::gauss_kronrod<double, 31>::integrate(
                                                       [&](double f) { return square(f) * (of_force ? 2.5 * 2.5 : 1); },
                                                       ends[k], ends[k + 1], 12, 1e-12);
  const MatrixXcd motion = solved.channels.motion(1, NodeMotion::absolute_acceleration).row(2),
                  spring = solved.channels.spring_force(0).row(2);
  const test::KnownProblem known(
      "one mass in noise on a spring whose stiffness and loss factor are tables over frequency",
      "adaptive quadrature of the closed form");
  known.value("RMS acceleration, m/s²", test::root_mean_square({"", motion}, covariance), std::sqrt(acceleration),
              1e-8);
  known.value("RMS force of the spring, N", test::root_mean_square({"", spring}, covariance), std::sqrt(force), 1e-8);
}

// Variants from the modes of the stated springs: the model assembled with others, also at rest.
TEST(VaryingSprings, AreVariantsOfThemselves) {
  SpringLaw constant;
  constant.variants = stiffening().variants;
  Environment weight;
  weight.form = StaticInput{};
  weight.at_rest().acceleration = Vector3(2, -3, -9.8);
  for (const Standing standing : {Standing::held, Standing::grounded})
    for (const SpringLaw& law : {stiffening(), constant})
      for (const SpringLaw::Variant& variant : law.variants)
        for (const int modes : {1000, 12}) {
          Solved solved(with_law(law, standing), test::count(modes), {});
          vary(solved, variant.name);
          const Transfer transfer(solved.basis, solved.damping, all_bases(solved));
          const MatrixXcd rows = rows_of(solved);
          for (const double f : {12.0, 77.0}) {
            if (modes < 1000) continue;
            const Solved exact(frozen(solved.assembly, f, variant.stiffness, variant.loss), test::count(1000), {});
            const MatrixXcd reference =
                rows_of(exact) * Transfer(exact.basis, exact.damping, all_bases(exact)).state(f);
            EXPECT_LE(error_of(rows * transfer.state(f), reference), 1e-8) << variant.name;
          }
          // K u = M R a written out, and what is held then: forces of springs, and of the base.
          const Solved exact(frozen(solved.assembly, 1, variant.stiffness, variant.loss), test::count(1000), {});
          const System& s = exact.system;
          const FieldForces field = forces_of_field(s, weight.at_rest().acceleration);
          const VectorXd u = MatrixXd(s.stiffness.ff).ldlt().solve(field.free);
          const VectorXd held = MatrixXd(s.stiffness.fs).transpose() * u - field.supports;
          const Eigen::VectorXd reaction = s.support_motion.transpose() * held;
          const auto excitation = excitation_along(weight, std::nullopt, solved.system);
          const VectorXcd z = static_state(*excitation, solved.system, solved.basis, solved.damping.springs.get());
          const VectorXcd q = z.head(solved.basis.size());
          // Residual vectors make what single bodies do to the base exact with few modes too, but where the ground
          // holds.
          const double tolerance = modes == 1000 || standing == Standing::held ? 1e-8 : 1e-3;
          EXPECT_LE((solved.basis.shapes * q - u).norm(), tolerance * u.norm()) << variant.name << modes;
          if (standing != Standing::held) continue;  // where the ground holds, an acceleration is to be a load
          const VectorXcd found = solved.channels.base_reaction(0, solved.assembly.bases[0].point).real() * z;
          EXPECT_LE((found.head(3) - reaction.head(3)).norm(), tolerance * reaction.head(3).norm())
              << found.transpose() << " exact " << reaction.transpose() << static_cast<int>(standing) << modes;
        }
}

// Power that the base puts in is what the springs dissipate, with what they are at that frequency.
TEST(VaryingSprings, DissipateWhatIsPutIn) {
  Solved solved(with_law(stiffening(), Standing::held), test::count(1000), {});
  vary(solved);
  const auto springs = static_cast<Index>(solved.damping.springs->size());
  ASSERT_EQ(springs, 12);
  Environment alone;
  Excitation shake;
  shake.environment = &alone;
  shake.base = MatrixXcd::Identity(6, 6).col(1);
  shake.loads = MatrixXcd::Zero(solved.system.loads.cols(), 1);
  shake.drive = std::vector<Amplitude>{Amplitude::constant(1, 1, 1000)};
  const Transfer transfer(solved.basis, solved.damping, {shake.base, shake.loads});
  for (const double f : {9.0, 31.0, 140.0}) {
    const PowerBalance balance = power_balance(shake, solved.assembly, solved.system, transfer, solved.channels, f);
    EXPECT_GT(balance.put_in, 0);
    EXPECT_NEAR(balance.dissipated / balance.put_in, 1, 1e-8) << f;
  }
}

// The audit solves the full equations with the springs as they are.
TEST(VaryingSprings, AreAudited) {
  Solved solved(with_law(stiffening(), Standing::parted), test::count(1000), {});
  vary(solved);
  Environment shake;
  shake.name = "shake";
  shake.axes = {2};
  shake.input = LogLogTable({{10, 3, {}}, {150, 3, {}}}, 20);
  shake.grid = {10, 150, 24, 21, {}};
  const auto quantity = [](std::string_view keyword, Subject subject) {
    for (const OutputQuantity& each : output_quantities())
      if (each.keyword == keyword && each.subject == subject) return &each;
    return static_cast<const OutputQuantity*>(nullptr);
  };
  const std::vector<OutputRequest> requests{{"tip", quantity("acceleration", Subject::node), {12}},
                                            {"root", quantity("force", Subject::base), {0}},
                                            {"isolator", quantity("force", Subject::spring), {0}}};
  const std::vector<Output> watched = watch(solved.assembly, solved.channels, requests);
  CaseResponse excited(excitation_along(shake, 2, solved.system), solved.system, solved.basis, solved.damping);
  const std::vector<CaseResults> outcomes{run_case(excited, watched)};
  const DampingRule none;
  const AuditSource source{solved.assembly, solved.system, solved.basis, solved.damping, none, requests, {},
                           watched,         {&outcomes[0]}};
  const auto answers = audit(source, frequencies_that_matter(source, 3));
  ASSERT_GE(answers.size(), 3U);
  for (const AuditedAnswer& answer : answers) EXPECT_NEAR(answer.error(), 0, 1e-7) << watched[answer.watched].name;
}

// No damping at rest, but where the springs move: it is what counts; and where there is none it is refused.
TEST(VaryingSprings, AreRefusedWithoutDampingAtTheirOwnFrequency) {
  for (const double eta : {0.1, 0.0}) {
    SpringLaw law;
    law.stiffness[2] = {{10, 6e4}, {80, 1.4e5}};
    law.loss = {{2, 0}, {20, eta}};
    Assembly model = test::chain({2.5}, {6e4});
    model.springs[0].loss_factor = 0;
    model.springs[0].law = std::make_shared<const SpringLaw>(law);
    add_columns_of_springs(model);
    Solved solved(model, test::count(1000), {});
    vary(solved);
    if (eta > 0)
      EXPECT_NO_THROW(require_damping(solved.basis, solved.damping, 5, 200));
    else
      EXPECT_THROW(require_damping(solved.basis, solved.damping, 5, 200), InputError);
  }
}

}  // namespace
}  // namespace avrenk
