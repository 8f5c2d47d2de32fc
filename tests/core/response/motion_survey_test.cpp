// Motion of every node under random inputs: RMS against watched quantities, envelopes of PSDs against a dense scan and
// a closed form.
#include "core/response/motion_survey.h"

#include <gtest/gtest.h>

#include "core/response/run_case.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

Environment stepped_noise(double from, double to) {
  Environment environment;
  environment.name = "noise";
  environment.form = RandomInput{};
  environment.profile = "broad";
  environment.input = LogLogTable({{from, 1, {}}, {60, 3, {}}, {60, 0.5, {}}, {to, 0.5, {}}}, 10);
  environment.grid = {from, to, 24, 21, {}};
  return environment;
}

CaseResponses excited_by(const Environment& environment, const Solved& solved) {
  CaseResponses loads;
  for (const auto& each : excitations(environment, solved.assembly, solved.system))
    loads.push_back(std::make_unique<CaseResponse>(each, solved.system, solved.basis, solved.damping));
  return loads;
}

// Two axes at once with dashpots that couple the modes, and a third by itself: every node's RMS is that of the watched
// quantity. The largest PSD against 40 points a half-bandwidth: what lies between them is below (1/40)² ≈ 6e-4; what
// falls between the nine points of the survey is a parabola, good to 1 %, and exact at the worst of each part.
TEST(MotionSurvey, AgreesWithWatchedNodesAndADenseScan) {
  Assembly model = test::portal(std::nullopt);
  model.springs[1].dashpot.setConstant(8);
  const Solved solved(model, test::count(1000), test::ratio(0.02));
  Environment both = stepped_noise(15, 700);
  both.axes = {0, 2};
  both.random().simultaneous = true;
  both.random().coherences = {{{}, {{1, 0.6, 0.5}}}};
  Environment single = stepped_noise(15, 700);
  single.axes = {1};
  for (const Environment* environment : {&both, &single}) {
    CaseResponses loads = excited_by(*environment, solved);
    const std::vector<MotionField> fields = survey_motion(solved.assembly, solved.channels, loads, 2);
    ASSERT_EQ(fields.size(), 1U);
    const MotionField& field = fields[0];
    std::vector<OutputRequest> requests;
    const int nodes = static_cast<int>(model.nodes.size());
    const OutputQuantity *acceleration = nullptr, *displacement = nullptr;
    for (const OutputQuantity& each : output_quantities()) {
      if (each.subject != Subject::node) continue;
      if (each.keyword == "acceleration") acceleration = &each;
      if (each.keyword == "relative displacement") displacement = &each;
    }
    for (int node = 0; node < nodes; ++node)
      for (const OutputQuantity* quantity : {acceleration, displacement})
        requests.push_back({"n" + std::to_string(node), quantity, {node}});
    const CaseResults outcome = run_case(*loads[0], watch(model, solved.channels, requests));
    const Transfer& transfer = *loads[0]->transfer;
    std::vector<double> dense;
    for (const auto& [f, ratio] : resonances(solved.basis, solved.damping))
      for (int k = -120; k <= 120; ++k)
        if (const double at = f * (1 + ratio * k / 40); at > 15 && at < 700) dense.push_back(at);
    for (const double edge : {15.0, 60.0, 700.0}) dense.push_back(edge);
    std::vector<double> largest(static_cast<std::size_t>(nodes), 0);
    for (const double f : dense) {
      const Eigen::MatrixXcd z = transfer.state(f) * loads[0]->covariance->input.root(f);
      for (int node = 0; node < nodes; ++node) {
        double& own = largest[static_cast<std::size_t>(node)];
        own = std::max(own, (solved.channels.motion(node, NodeMotion::absolute_acceleration) * z).squaredNorm());
      }
    }
    for (int node = 0; node < nodes; ++node) {
      for (int d = 0; d < 3; ++d) {
        const auto rms = [&](int quantity) {
          return outcome.random()->rows[static_cast<std::size_t>(4 * (2 * node + quantity) + d)].rms;
        };
        EXPECT_NEAR(field.acceleration(d, node), rms(0), 1e-7 * field.rms_acceleration(node)) << node;
        EXPECT_NEAR(field.displacement(d, node), rms(1), 1e-7 * field.rms_displacement(node) + 1e-15) << node;
      }
      EXPECT_NEAR(field.psd[node] / largest[static_cast<std::size_t>(node)], 1, 0.01) << node;
    }
    ASSERT_EQ(field.worst.size(), origins_of(model).names.size() + 1);
    for (const LargestPsd& worst : field.worst) {
      EXPECT_NEAR(worst.value / largest[static_cast<std::size_t>(worst.node)], 1, 1e-3);
      EXPECT_GE(worst.value, largest[static_cast<std::size_t>(worst.node)] * (1 - 1e-9));
    }
    EXPECT_LT(field.interpolation, 0.01);
  }
}

// A mass on a spring with loss factor η: |ü/ü_b|² = (1 + η²)/((1 − r²)² + η²), largest at r = 1 with (1 + η²)/η². What
// nothing joins to the model has no value.
TEST(MotionSurvey, FindsTheResonanceOfAMassOnASpring) {
  Assembly model = test::chain({2}, {8e4});
  model.springs[0].loss_factor = 0.05;
  const int loose = test::add_node(model, {1, 2, 3}, "mark");
  const Solved solved(model, test::count(6), {});
  Environment environment;
  environment.name = "noise";
  environment.form = RandomInput{};
  environment.axes = {2};
  environment.input = LogLogTable({{5, 4, {}}, {200, 4, {}}}, 10);
  environment.grid = {5, 200, 24, 21, {}};
  const CaseResponses loads = excited_by(environment, solved);
  const MotionField field = survey_motion(solved.assembly, solved.channels, loads, 1).front();
  const double resonance = std::sqrt(8e4 / 2) / (2 * pi);
  EXPECT_NEAR(field.psd[1] / (4 * (1 + 0.0025) / 0.0025), 1, 1e-9);
  EXPECT_NEAR(field.frequency[1] / resonance, 1, 1e-6);
  EXPECT_NEAR(field.psd[0], 4, 1e-9);  // the foot moves as the base does
  EXPECT_NEAR(field.rms_displacement(0), 0, 1e-15);
  EXPECT_TRUE(std::isnan(field.psd[loose]));
  ASSERT_EQ(field.worst.size(), 3U);  // of all, of the foot, of the mass
  EXPECT_EQ(field.worst[0].node, 1);
}

}  // namespace
}  // namespace avrenk
