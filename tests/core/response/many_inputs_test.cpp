// Several random inputs at once, forces among them: against a dense integral of the spectral matrix, sums of single
// inputs, and what can be worked out by hand.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include "core/response/audit.h"
#include "core/response/run_case.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::MatrixXcd;
using test::Solved;

LogLogTable flat(double level, double from, double to) { return LogLogTable({{from, level, {}}, {to, level, {}}}, 10); }

Load force_on(int node, const std::string& name, const Vector6& force) {
  Load load;
  load.name = name;
  load.columns.resize(1);
  load.columns[0].on_nodes[node] = force;
  load.factors = {1};
  return load;
}

Environment noise(double from, double to) {
  Environment environment;
  environment.name = "noise";
  environment.form = RandomInput{};
  environment.profile = "broad";
  environment.grid = {from, to, 24, 21, {}};
  return environment;
}

DrivenLoad driven(int load, const LogLogTable& spectrum) {
  DrivenLoad own;
  own.load = load;
  own.spectrum = spectrum;
  return own;
}

const OutputQuantity* quantity(std::string_view keyword, Subject subject) {
  for (const OutputQuantity& each : output_quantities())
    if (each.keyword == keyword && each.subject == subject) return &each;
  return nullptr;
}

CaseResults run(const Environment& environment, const Solved& solved, const std::vector<Output>& watched) {
  CaseResponse excited(excitations(environment, solved.assembly, solved.system).front(), solved.system, solved.basis,
                       solved.damping);
  return run_case(excited, watched);
}

// Base motion along two axes, a force and a moment, with coherence tables, phases and a delay, on a model whose damping
// couples its modes: RMS of rows of every kind against ∫ c G S Gᴴ cᴴ df, Simpson's rule with 3000 steps a stretch
// (error below (Δ ln f/ζ)⁴/180 ≈ 1e-8), S written down entry by entry and not as a root. Parts of the inputs and of the
// modes add up; the audit finds the PSD again.
TEST(ManyInputs, AgreeWithADenseIntegralOfTheirSpectralMatrix) {
  Assembly model = test::portal(std::nullopt);
  model.springs[1].dashpot.setConstant(8);
  Vector6 push, twist;
  push << 3, -1, 2, 0, 0, 0;
  twist << 0, 0, 0, 0.2, 0.4, -0.1;
  model.loads = {force_on(5, "push", push), force_on(9, "twist", twist)};
  const Solved solved(model, test::count(1000), test::ratio(0.02));
  Environment both = noise(15, 700);
  both.axes = {0, 2};
  both.random().simultaneous = true;
  both.input = LogLogTable({{15, {}, 6}, {60, 2.0, {}}, {60, 0.7, {}}, {400, 0.7, {}}, {700, {}, -9}}, 10);
  both.load_cases = {{"", {driven(0, flat(4, 20, 300)), driven(1, flat(9, 15, 700))}}};
  const CoherenceRule every{{}, {{1, 0.2, 0}}}, axes{{"x", "z"}, {{30, 0.6, 0.4}, {200, 0.1, -2}}},
      turned{{"twist", "x"}, {{1, 0.3, 0.7}}};
  both.random().coherences = {every, axes, turned};
  const auto excitation = excitations(both, model, solved.system).front();
  EXPECT_EQ(excitation->names, (std::vector<std::string>{"x", "z", "push", "twist"}));
  EXPECT_EQ(excitation->name(), "noise");
  const std::vector<OutputRequest> requests{{"tip", quantity("acceleration", Subject::node), {9}},
                                            {"tip", quantity("relative displacement", Subject::node), {9}},
                                            {"root", quantity("force", Subject::base), {0}},
                                            {"feet", quantity("foot force", Subject::foot), {0}},
                                            {"isolator", quantity("force", Subject::spring), {1}}};
  const std::vector<Output> watched = watch(model, solved.channels, requests);
  const CaseResults outcome = run(both, solved, watched);
  const Transfer transfer(solved.basis, solved.damping, {excitation->base, excitation->loads});
  std::vector<double> integral(watched.size());
  const std::vector<double> edges = excitation->spectrum.edges();
  for (std::size_t e = 0; e + 1 < edges.size(); ++e) {
    constexpr int steps = 3000;
    const double step = std::log(edges[e + 1] / edges[e]) / steps;
    for (int i = 0; i <= steps; ++i) {
      const double f = edges[e] * std::exp(i * step);
      // Levels just inside the stretch, so that a step counts on its own side.
      const double g = std::clamp(f, edges[e] * (1 + 1e-12), edges[e + 1] * (1 - 1e-12));
      const double part = std::clamp((f - 30) / 170, 0.0, 1.0);
      Eigen::Matrix4cd gamma = Eigen::Matrix4cd::Constant(0.2);
      gamma.diagonal().setOnes();
      gamma(1, 0) = std::polar(0.6 - 0.5 * part, 0.4 - 2.4 * part);
      gamma(0, 1) = std::conj(gamma(1, 0));
      gamma(0, 3) = std::polar(0.3, 0.7);  // the second of the rule is x
      gamma(3, 0) = std::conj(gamma(0, 3));
      Eigen::Vector4d size;
      for (int k = 0; k < 4; ++k) size[k] = std::sqrt(excitation->spectrum.level(k, g));
      const Eigen::Matrix4cd s = size.asDiagonal() * gamma * size.asDiagonal();
      const MatrixXcd z = transfer.state(f);
      const double weight = (i == 0 || i == steps ? 1 : i % 2 == 1 ? 4 : 2) * step / 3 * f;
      for (std::size_t k = 0; k < watched.size(); ++k) {
        const MatrixXcd w = watched[k].measure(0).rows * z;
        integral[k] += weight * (w * s * w.adjoint()).trace().real();
      }
    }
  }
  for (std::size_t k = 0; k < watched.size(); ++k) {
    const RandomRow& row = outcome.random()->rows[k];
    EXPECT_NEAR(row.rms / std::sqrt(integral[k]), 1, 1e-7) << watched[k].name;
    ASSERT_EQ(row.inputs.size(), 4U);
    EXPECT_NEAR(row.inputs[0] + row.inputs[1] + row.inputs[2] + row.inputs[3], 1, 1e-9);
    EXPECT_NEAR(row.moments.m0 / (row.rms * row.rms), 1, 1e-9);
  }
  EXPECT_LE(outcome.random()->integration_error, 1e-7);
  const DampingRule rule = test::ratio(0.02);
  const AuditSource source{model, solved.system, solved.basis, solved.damping, rule, requests, {}, watched, {&outcome}};
  const auto answers = audit(source, frequencies_that_matter(source, 2));
  ASSERT_FALSE(answers.empty());
  for (const AuditedAnswer& answer : answers) EXPECT_NEAR(answer.error(), 0, 5e-3) << watched[answer.watched].name;
}

// With all modes the audit is exact: many inputs, motions, reactions and forces alike.
TEST(ManyInputs, AreAuditedExactlyWithAllModes) {
  Assembly model = test::portal(0.05);
  Vector6 push;
  push << 3, -1, 2, 0, 0, 0;
  model.loads = {force_on(5, "push", push)};
  const Solved solved(model, test::count(1000), {});
  Environment both = noise(15, 200);
  both.axes = {0, 1, 2};
  both.random().simultaneous = true;
  both.input = flat(1, 15, 200);
  both.load_cases = {{"", {driven(0, flat(4, 15, 200))}}};
  both.random().coherences = {{{}, {{1, 0.6, 0.5}}}};
  const std::vector<OutputRequest> requests{{"tip", quantity("acceleration", Subject::node), {9}},
                                            {"root", quantity("force", Subject::base), {0}},
                                            {"feet", quantity("foot force", Subject::foot), {0, 1}},
                                            {"isolator", quantity("force", Subject::spring), {0}}};
  const std::vector<Output> watched = watch(model, solved.channels, requests);
  const CaseResults outcome = run(both, solved, watched);
  const DampingRule rule;
  const AuditSource source{model, solved.system, solved.basis, solved.damping, rule, requests, {}, watched, {&outcome}};
  const auto answers = audit(source, frequencies_that_matter(source, 3));
  ASSERT_GE(answers.size(), 4U);
  for (const AuditedAnswer& answer : answers) EXPECT_NEAR(answer.error(), 0, 1e-7) << watched[answer.watched].name;
}

// Inputs that are not correlated add up as squares; the parts of the inputs are those squares. A force −m a is the base
// acceleration a. In phase they are one input.
TEST(ManyInputs, AddUpAsTheyAreCorrelated) {
  Assembly model = test::portal(0.05);
  const Solved solved(model, test::count(12), {});
  const std::vector<OutputRequest> requests{{"tip", quantity("acceleration", Subject::node), {9}},
                                            {"root", quantity("moment", Subject::base), {0}}};
  const std::vector<Output> watched = watch(model, solved.channels, requests);
  Environment three = noise(10, 160);
  three.axes = {0, 1, 2};
  three.random().simultaneous = true;
  three.input = LogLogTable({{10, 1, {}}, {100, 3, {}}, {160, 0.5, {}}}, 10);
  const CaseResults together = run(three, solved, watched);
  for (std::size_t i = 0; i < watched.size(); ++i) {
    double sum = 0;
    std::vector<double> single;
    for (int axis = 0; axis < 3; ++axis) {
      Environment one = three;
      one.random().simultaneous = false;
      one.axes = {axis};
      const double rms = run(one, solved, watched).random()->rows[i].rms;
      single.push_back(rms * rms);
      sum += rms * rms;
    }
    const RandomRow& row = together.random()->rows[i];
    EXPECT_NEAR(row.rms / std::sqrt(sum), 1, 1e-9) << watched[i].name;
    for (std::size_t k = 0; k < 3; ++k) EXPECT_NEAR(row.inputs[k], single[k] / sum, 1e-8);
  }
  // Fully correlated with a phase of nothing along x and y: one motion along their diagonal, √2 as large.
  Environment two = three;
  two.axes = {0, 1};
  two.random().coherences = {{{}, {{1, 1, 0}}}};
  const auto excitation = excitations(two, model, solved.system).front();
  const Transfer diagonal(solved.basis, solved.damping, {MatrixXcd(excitation->base.rowwise().sum())});
  const ModalCovariance exact = integrate_covariance(diagonal, two.input);
  const CaseResults in_phase = run(two, solved, watched);
  for (std::size_t i = 0; i < watched.size(); ++i)
    EXPECT_NEAR(in_phase.random()->rows[i].rms / test::root_mean_square(watched[i].measure(0), exact), 1, 1e-8);
}

// A mass between two feet on like springs, each a base of its own: alone each makes the same PSD P of it, together 4P
// in phase, 2P uncorrelated, nothing in opposition. A wave that reaches the other foot half a cycle later cancels
// there: 2P(1 + cos 2πfτ).
TEST(ManyInputs, OfTwoFeetAreAsByHand) {
  Assembly model = test::chain({2}, {4e4});
  const int other = test::add_node(model, {3, 0, 0}, "foot");
  model.springs.push_back(test::stiff_spring(other, 1, 4e4));
  model.springs[0].loss_factor = model.springs[1].loss_factor = 0.04;
  model.bases = {{"left", {SupportNode{0}}, {0, 0, 0}}, {"right", {SupportNode{other}}, {3, 0, 0}}};
  const Solved solved(model, test::count(6), {});
  const std::vector<Output> watched =
      watch(model, solved.channels, {{"mass", quantity("acceleration", Subject::node), {1}}});
  Environment environment = noise(5, 80);
  environment.axes = {2};
  environment.random().bases_apart = true;
  environment.input = flat(1, 5, 80);
  const auto psd = [&](const std::vector<CoherenceRule>& rules) {
    environment.random().coherences = rules;
    CaseResults outcome = run(environment, solved, watched);
    return std::pair(outcome.grid(), outcome.random()->rows[2].psd);  // along z
  };
  const double m = 2, k = 4e4;
  const auto one = [&](double f) {
    const Complex spring = k * Complex(1, 0.04);
    return std::norm(spring / (2.0 * spring - m * std::pow(2 * pi * f, 2)));
  };
  const double v = 90, tau = 3 / v;
  CoherenceRule wave{{}, {{1, 1, 0}}};
  wave.slowness = Vector3(1 / v, 0, 0);
  CoherenceRule far{{}, {{1, 1, 0}}};
  far.length = 2;
  far.decay = 0.01;
  const std::vector<std::pair<std::vector<CoherenceRule>, std::function<double(double)>>> cases{
      {{}, [](double) { return 2.0; }},
      {{{{}, {{1, 1, 0}}}}, [](double) { return 4.0; }},
      {{{{}, {{1, 1, pi}}}}, [](double) { return 0.0; }},
      {{{{"left.z", "right.z"}, {{1, 0.5, pi / 2}}}}, [](double) { return 2.0; }},
      {{wave}, [&](double f) { return 2 * (1 + std::cos(2 * pi * f * tau)); }},
      {{far}, [&](double f) { return 2 * (1 + std::exp(-1.5 - 0.03 * f)); }}};
  for (const auto& [rules, times] : cases) {
    const auto [grid, curve] = psd(rules);
    for (std::size_t i = 0; i < grid.size(); i += 5)
      EXPECT_NEAR(curve[i], times(grid[i]) * one(grid[i]), 1e-9 * one(grid[i])) << grid[i];
  }
  // Where loads act is not known: a distance needs bases.
  Environment without = environment;
  without.random().bases_apart = false;
  without.axes = {0, 2};
  without.random().simultaneous = true;
  without.random().coherences = {wave};
  EXPECT_ANY_THROW((void)excitations(without, model, solved.system));
}

// Forces at two places 0.3 m apart along x: what reaches the second later lags, and their coherence falls with
// distance.
TEST(ManyInputs, OfLoadsKnowHowFarTheyAreApart) {
  Assembly model = test::chain({2}, {8e4});
  const int other = test::add_node(model, {0.3, 0, 0}, "arm");
  model.links = {{"arm", 1, {other}}};
  model.loads = {force_on(1, "near", Vector6::Unit(2)), force_on(other, "far", Vector6::Unit(2))};
  const Solved solved(model, test::count(6), test::ratio(0.02));
  Environment environment = noise(5, 80);
  environment.load_cases = {{"", {driven(0, flat(4, 5, 80)), driven(1, flat(9, 5, 80))}}};
  CoherenceRule rule{{}, {{1, 1, 0}}};
  rule.slowness = Vector3(1 / 60.0, 0, 0);
  rule.length = 0.5;
  environment.random().coherences = {rule};
  const auto excitation = excitations(environment, model, solved.system).front();
  for (const double f : {10.0, 70.0}) {
    const MatrixXcd root = excitation->spectrum.root(f), s = root * root.adjoint();
    EXPECT_NEAR(std::abs(s(1, 0) - 6.0 * std::polar(std::exp(-0.6), -2 * pi * f * 0.3 / 60)), 0, 1e-9);
  }
}

// Two inputs whose tables do not meet, correlated all the same: where neither has a level nothing happens, and what
// each makes in its own band adds up. With damping so strong that some modes no longer oscillate.
TEST(ManyInputs, MayLeaveAGapBetweenTheirTables) {
  Assembly model = test::portal(std::nullopt);
  for (Spring& spring : model.springs) spring.dashpot << 900, 900, 900, 9, 9, 9;
  Vector6 push;
  push << 3, -1, 2, 0, 0, 0;
  model.loads = {force_on(5, "low", push), force_on(9, "high", push)};
  const Solved solved(model, test::count(1000), {});
  const std::vector<Output> watched =
      watch(model, solved.channels, {{"tip", quantity("acceleration", Subject::node), {9}}});
  const DrivenLoad low = driven(0, flat(4, 15, 40)), high = driven(1, flat(9, 80, 200));
  const auto rms = [&](const std::vector<DrivenLoad>& loads, bool correlated) {
    Environment environment = noise(15, 200);
    environment.load_cases = {{"", loads}};
    if (correlated) environment.random().coherences = {{{}, {{1, 0.7, 0.2}}}};
    return run(environment, solved, watched).random()->rows[3].rms;
  };
  EXPECT_NEAR(rms({low, high}, true) / std::hypot(rms({low}, false), rms({high}, false)), 1, 1e-8);
}

// A random force on a mass is random base motion of S_F/m² for what the spring feels.
TEST(ManyInputs, ForcesOnOneBodyAreItsBaseMotion) {
  Assembly model = test::chain({2}, {8e4});
  model.springs[0].dashpot.setConstant(25);
  model.loads = {force_on(1, "push", Vector6::Unit(2))};
  const Solved solved(model, test::count(6), {});
  const std::vector<Output> watched = watch(model, solved.channels,
                                            {{"mass", quantity("relative displacement", Subject::node), {1}},
                                             {"spring", quantity("force", Subject::spring), {0}}});
  Environment push = noise(2, 300), base = push;
  push.load_cases = {{"", {driven(0, LogLogTable({{2, 8, {}}, {300, 3, {}}}, 10))}}};
  base.axes = {2};
  base.input = LogLogTable({{2, 2, {}}, {300, 0.75, {}}}, 10);
  const CaseResults by_force = run(push, solved, watched), by_base = run(base, solved, watched);
  for (const char* name : {"mass.relative displacement.z", "spring.force.z"}) {
    const auto i = static_cast<std::size_t>(find_output(watched, name) - watched.data());
    EXPECT_NEAR(by_force.random()->rows[i].rms / by_base.random()->rows[i].rms, 1, 1e-9) << name;
  }
}

}  // namespace
}  // namespace avrenk
