// Stress of the ends of beams: a closed form, and point by point at every frequency.
#include "core/response/beam_survey.h"

#include <gtest/gtest.h>

#include "core/load/applied.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

CaseResponses beam_loads(const Environment& environment, const Solved& solved) {
  CaseResponses loads;
  for (const auto& each : excitations(environment, solved.assembly, solved.system))
    loads.push_back(std::make_unique<CaseResponse>(each, solved.system, solved.basis, solved.damping));
  return loads;
}

// A clamped bar hanging from its wall under 1 g across: M = ρ A g L²/2 at the wall, σ = M h/(2 I) at the farthest fibre
// and no shear there; at the free end nothing. The consistent forces of one's own weight leave each element's m l/12 of
// moment out, which the elements' inertia takes in section forces alone: (1/N)² of the largest.
TEST(BeamSurvey, CantileverUnderItsWeight) {
  test::Cantilever c;
  c.section = rectangle_section(0.01, 0.02, 0.3);
  c.elements = 64;
  const Solved solved(test::cantilever(c), test::count(1000), {});
  Environment gravity;
  gravity.name = "gravity";
  gravity.form = StaticInput{};
  gravity.at_rest().acceleration = {0, 0, -standard_gravity};
  const BeamStressField field =
      survey_beams(solved.assembly, solved.channels, solved.basis, beam_loads(gravity, solved), 2).front();
  const double moment = 2700 * c.section.area * standard_gravity / 2;
  const double exact = moment * 0.01 / c.section.second_moment_y;
  EXPECT_NEAR(field.value(0, 0) / exact, 1, 1.0 / (64 * 64));
  EXPECT_NEAR(field.value(1, 63) / exact, 0, 1.0 / (64 * 64));
  ASSERT_EQ(field.worst.size(), 10U);
  const WorstBeamStress& worst = field.worst.front();
  EXPECT_EQ(worst.beam, 0);
  EXPECT_EQ(worst.end, 0);
  EXPECT_EQ(worst.value, field.value(0, 0));
  EXPECT_NEAR(std::abs(c.section.points[static_cast<std::size_t>(worst.point)].z), 0.01, 1e-12);
  EXPECT_EQ(field.worst_of(solved.assembly, 0), &worst);
  EXPECT_EQ(field.worst_of(solved.assembly, 1), nullptr);
}

// Every end of a frame with joints, dashpots that couple the modes and a force along one beam: a sweep against every
// fibre at every frequency of the grid, noise of two axes and a force against its covariance fibre by fibre, the worst
// against watched stress.
TEST(BeamSurvey, IsTheLargestOfAllFibres) {
  for (const std::optional<double> eta : {std::optional<double>(), std::optional(0.05)}) {
    Assembly model = test::portal(eta);
    model.springs[1].dashpot.setConstant(8);
    Load wind;
    wind.name = "wind";
    wind.columns.resize(1);
    for (int beam = 0; beam < 3; ++beam) wind.columns[0].on_beams[beam] = Vector3(30, 200, 10);
    wind.factors = {1};
    model.loads = {wind};
    const Solved solved(model, test::count(1000), test::ratio(0.02));
    Environment environment;
    environment.name = "shake";
    environment.input = LogLogTable({{15, 10, {}}, {700, 10, {}}}, 20);
    environment.axes = {0};
    environment.grid = {15, 700, 24, 21, {}};
    DrivenLoad gust;
    gust.amplitude = Amplitude(LogLogTable({{15, 3, {}}, {700, 3, {}}}, 20));
    gust.spectrum = LogLogTable({{15, 3, {}}, {700, 3, {}}}, 10);
    environment.load_cases = {{"", {gust}}};
    const StressSource none;
    std::vector<OutputRequest> requests;
    for (const OutputQuantity& each : output_quantities())
      if (each.keyword == "von Mises" && each.subject == Subject::part) {
        OutputRequest request{"all", &each, {}};
        for (int b = 0; b < static_cast<int>(model.beams.size()); ++b) request.items.push_back(b);
        requests.push_back(request);
      }
    for (const auto type : {Environment::Type::sine, Environment::Type::random}) {
      test::set_type(environment, type);
      if (environment.is_random()) environment.random().simultaneous = true;
      const CaseResponses loads = beam_loads(environment, solved);
      ASSERT_EQ(loads.size(), 1U);
      const std::vector<BeamStressField> fields =
          survey_beams(solved.assembly, solved.channels, solved.basis, loads, 2);
      const BeamStressField& field = fields.front();
      double largest_of_all = 0;
      for (int b = 0; b < static_cast<int>(model.beams.size()); ++b) {
        const BeamProperties properties = model.properties(model.beams[static_cast<std::size_t>(b)]);
        const Eigen::MatrixXcd forces = solved.channels.beam_forces(b);
        for (int end = 0; end < 2; ++end) {
          const BeamSection& section = properties.at_end(static_cast<std::size_t>(end));
          double largest = 0, at = 0;
          for (const StressPoint& point : section.points) {
            const Eigen::Matrix<double, 3, 6> rows = stress_rows(section, point);
            Eigen::MatrixXcd both(2, forces.cols());
            both << (rows.row(0) + rows.row(1)) * forces.middleRows(6 * end, 6),
                std::sqrt(3.0) * rows.row(2) * forces.middleRows(6 * end, 6);
            if (type == Environment::Type::random) {
              largest = std::max(largest, test::root_mean_square({"", both}, *loads[0]->covariance));
              continue;
            }
            const Eigen::MatrixXcd curve = loads[0]->sine->curves(both);
            for (Eigen::Index k = 0; k < curve.cols(); ++k)
              if (const double value = largest_over_phase(curve.col(k)); value > largest) {
                largest = value;
                at = loads[0]->grid[static_cast<std::size_t>(k)];
              }
          }
          const double shortfall = type == Environment::Type::sine ? 1 - grid_shortfall(21) : 0;
          EXPECT_GE(field.value(end, b), largest * (1 - 1e-7)) << b << ' ' << end;
          EXPECT_LE(field.value(end, b), largest * (1 + shortfall + 1e-7)) << b << ' ' << end;
          if (type == Environment::Type::sine) {
            EXPECT_NEAR(field.frequency(end, b) / at, 1, 0.02);
          }
          largest_of_all = std::max(largest_of_all, largest);
        }
      }
      const CaseResults outcome = run_case(*loads[0], watch(model, solved.channels, requests));
      const double watched = outcome.sine() ? outcome.sine()->rows[0].peak.value : outcome.random()->rows[0].rms;
      EXPECT_NEAR(field.worst.front().value / watched, 1, 1e-7);
      EXPECT_EQ(field.value(field.worst.front().end, field.worst.front().beam), field.worst.front().value);
    }
  }
}

}  // namespace
}  // namespace avrenk
