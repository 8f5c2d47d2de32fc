// Records in time: the recursion against closed forms, the record against transfer functions and spectral RMS values.
#include "core/response/history.h"

#include <gtest/gtest.h>

#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

// A ramp from rest, p = st: q = s/ω² (t − 2ζ/ω + free motion), with the free motion of under-, critical and overdamped
// oscillators as in any book; steps from a thousandth of a cycle to a hundred of them land on it, rounding aside.
TEST(ModalRecursion, IsExactForStraightForces) {
  const double omega = 50, slope = 3;
  for (const double zeta : {0.0, 0.01, 0.5, 1.0, 1 + 1e-9, 1.7, 40.0}) {
    const auto exact = [&](double t) {
      // q − slope/ω² (t − 2ζ/ω) is free, from 2ζ slope/ω³ with velocity −slope/ω².
      const double q0 = 2 * zeta * slope / std::pow(omega, 3), v0 = -slope / (omega * omega), decay = zeta * omega;
      const Complex root = omega * std::sqrt(Complex(zeta * zeta - 1));
      double free = 0;
      if (std::abs(root) < 1e-3 * omega) {
        free = std::exp(-decay * t) * (q0 + (v0 + decay * q0) * t);
      } else {
        const Complex a = 0.5 * (q0 + (v0 + decay * q0) / root), b = q0 - a;
        free = (a * std::exp((root - decay) * t) + b * std::exp((-root - decay) * t)).real();
      }
      return slope / (omega * omega) * (t - 2 * zeta / omega) + free;
    };
    for (const double step : {1e-4, 0.03, 2 * pi * 100 / omega}) {
      ModalRecursion mode(omega, zeta, step);
      for (int n = 0; n < 50; ++n) mode.advance(slope * n * step, slope * (n + 1) * step);
      const double t = 50 * step, size = slope / (omega * omega) * (t + 2 * zeta / omega);
      EXPECT_NEAR(mode.position(), exact(t), 1e-9 * size) << zeta << ' ' << step;
      EXPECT_NEAR(mode.acceleration(slope * t),
                  slope * t - 2 * zeta * omega * mode.velocity() - omega * omega * mode.position(), 1e-9);
    }
  }
}

// Discrete Fourier transform at line k.
Complex line_of(const std::vector<double>& values, std::size_t k) {
  Complex sum = 0;
  for (std::size_t n = 0; n < values.size(); ++n)
    sum += values[n] *
           std::polar(1.0, -2 * pi * static_cast<double>(k * n % values.size()) / static_cast<double>(values.size()));
  return sum;
}

struct Recorded {
  Assembly model;
  std::unique_ptr<Solved> solved;
  Environment environment;
  std::unique_ptr<CaseResponse> excited;
  std::vector<Output> watched;
  CaseResults outcome;
  Recorded() {
    model = test::portal(std::nullopt);
    model.loads.resize(1);
    model.loads[0].name = "push";
    model.loads[0].columns.resize(1);
    model.loads[0].columns[0].on_nodes[5] << 3, -1, 2, 0, 0, 0;
    model.loads[0].factors = {1};
    solved = std::make_unique<Solved>(model, test::count(1000), test::ratio(0.03));
    environment.name = "noise";
    environment.form = RandomInput{};
    environment.profile = "broad";
    environment.axes = {2};
    environment.input = LogLogTable({{10, 1, {}}, {60, 3, {}}, {150, 0.5, {}}}, 10);
    environment.grid = {10, 150, 24, 21, {}};
    environment.load_cases.resize(1);
    environment.load_cases[0].loads.resize(1);
    environment.load_cases[0].loads[0].spectrum = LogLogTable({{10, 4, {}}, {150, 4, {}}}, 10);
    excited = std::make_unique<CaseResponse>(excitations(environment, model, solved->system).front(), solved->system,
                                             solved->basis, solved->damping);
    std::vector<OutputRequest> requests;
    for (const OutputQuantity& each : output_quantities()) {
      if (each.subject == Subject::node && (each.keyword == "acceleration" || each.keyword == "absolute displacement"))
        requests.push_back({"tip", &each, {9}});
      if (each.subject == Subject::base && each.keyword == "force") requests.push_back({"root", &each, {0}});
      if (each.subject == Subject::spring && each.keyword == "force") requests.push_back({"isolator", &each, {0}});
    }
    watched = watch(model, solved->channels, requests);
    outcome = run_case(*excited, watched);
  }
};

// The record is periodic, with no start left in it: at every line response over input is the transfer function, of one
// input alone where the other does nothing. Straight lines between samples leave aliases of (f/(rate − f))², 1e-3 at
// forty samples a cycle, at lines far from every resonance.
TEST(History, IsTheTransferFunctionAtEveryLine) {
  Recorded all;
  all.environment.load_cases.clear();
  all.excited = std::make_unique<CaseResponse>(excitations(all.environment, all.model, all.solved->system).front(),
                                               all.solved->system, all.solved->basis, all.solved->damping);
  all.outcome = run_case(*all.excited, all.watched);
  const HistoryRequest request{
      "record", "noise.z", {"tip.acceleration.x", "tip.absolute displacement.z", "root.force.z", "isolator.force.z"},
      4,        6000,      11};
  const History history = make_history(request, *all.excited, all.watched, all.outcome, 2);
  ASSERT_EQ(history.columns.size(), 5U);
  ASSERT_EQ(history.columns[0].values.size(), 24000U);
  const Transfer& transfer = *all.excited->transfer;
  for (const std::size_t line : {44U, 131U, 240U, 377U, 590U}) {
    const double f = static_cast<double>(line) / 4;
    const Complex input = line_of(history.columns[0].values, line);
    const Eigen::MatrixXcd z = transfer.state(f);
    for (std::size_t k = 1; k < history.columns.size(); ++k) {
      const Output* const what = find_output(all.watched, history.columns[k].name);
      const Complex expected = (what->measure(0).rows * z)(0, 0);
      EXPECT_NEAR(std::abs(line_of(history.columns[k].values, line) / input / expected - 1.0), 0, 5e-3)
          << f << ' ' << what->name;
    }
  }
}

// RMS values of a long record lie within three of their standard deviations of the spectral ones; the largest within
// what it is expected to be in all but a thousandth of records. The same seed makes the same record, another seed
// another.
TEST(History, HasTheSpectralMeanSquares) {
  const Recorded all;
  std::vector<std::string> names;
  for (const Output& each : all.watched) names.push_back(each.name);
  HistoryRequest request{"record", "noise.z", names, 60, 0, 3};
  const History history = make_history(request, *all.excited, all.watched, all.outcome, 2);
  ASSERT_EQ(history.columns.size(), 2 + names.size());
  for (const HistoryColumn& column : history.columns) {
    EXPECT_LE(std::abs(column.difference()), 1.6 * column.interval) << column.name;
    EXPECT_GT(column.interval, 0);
    EXPECT_LT(column.interval, 0.2);
    if (std::isnan(column.expected)) continue;
    EXPECT_LT(column.expected_low, column.expected);
    EXPECT_GT(column.largest, 0.85 * column.expected_low) << column.name;
    EXPECT_LT(column.largest, 1.25 * column.expected_high) << column.name;
  }
  const History again = make_history(request, *all.excited, all.watched, all.outcome, 1);
  for (std::size_t k = 0; k < again.columns.size(); ++k)  // to the last digit, on one thread as on two
    EXPECT_EQ(again.columns[k].values, history.columns[k].values) << again.columns[k].name;
  request.seed = 4;
  EXPECT_NE(make_history(request, *all.excited, all.watched, all.outcome, 2).columns[0].values,
            history.columns[0].values);
  request.rate = 100;
  EXPECT_ANY_THROW((void)make_history(request, *all.excited, all.watched, all.outcome, 2));
  request.rate = 0;
  request.duration = 1e9;
  EXPECT_ANY_THROW((void)make_history(request, *all.excited, all.watched, all.outcome, 2));
}

}  // namespace
}  // namespace avrenk
