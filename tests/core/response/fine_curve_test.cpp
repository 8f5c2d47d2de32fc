#include "core/response/fine_curve.h"

#include <gtest/gtest.h>

#include <cmath>

#include "support/models.h"

namespace avrenk {
namespace {

// Straight lines between the points, beside what the states themselves give at eleven frequencies in each stretch:
// sine with a step and random, components along and across the base's motion and magnitudes, of all quantities of a
// node, from hardly any damping to much. Antiresonances are as good as the rest. Between two thirds a curve may lie
// further off than there: of a parabola by an eighth, and the test allows no more than twice what is meant, the half
// per cent that is told.
TEST(FineCurve, IsStraightBetweenItsPoints) {
  for (const double ratio : {1e-4, 0.02, 0.6}) {
    const test::Solved solved(test::portal(0.05), test::count(40), test::ratio(ratio));
    const auto watched = watch(solved.assembly, solved.channels,
                               {{"box", &output_quantities()[0], {9}, Vector3::Zero()},
                                {"tip", &output_quantities()[5], {12}, Vector3::Zero()}});
    Environment environment;
    environment.name = "shaken";
    environment.profile = "sweep";
    environment.axes = {2};
    environment.grid = {10, 200, 24, 21, {}};
    for (const auto type : {Environment::Type::sine, Environment::Type::random}) {
      const bool is_sine = type == Environment::Type::sine;
      test::set_type(environment, type);
      environment.input = LogLogTable({{10, 20, {}}, {60, 20, {}}, {60, 5, {}}, {200, 8, {}}}, is_sine ? 20 : 10);
      CaseResponse excited(excitation_along(environment, 2, solved.system), solved.system, solved.basis,
                           solved.damping);
      for (const Output& each : watched) {
        if (each.quantity->per_input()) continue;
        const std::size_t only[] = {0};
        const FineCurve curve = fine_curve(*excited.excitation, *excited.transfer, each, only, excited.grid);
        const Eigen::MatrixXcd rows = each.measure(0).rows;
        const auto exact = [&](double f) {
          const Eigen::VectorXcd w = rows * solved.transfer(2).state(f).col(0);
          return is_sine ? largest_over_phase(w * environment.input.at(f)) : w.squaredNorm() * environment.input.at(f);
        };
        ASSERT_TRUE(
            std::includes(curve.frequency.begin(), curve.frequency.end(), excited.grid.begin(), excited.grid.end()));
        EXPECT_EQ(curve.phase.empty(), !is_sine || rows.rows() > 1);
        const double floor = depth_drawn * *std::max_element(curve.value.begin(), curve.value.end());
        double worst = 0, worst_phase = 0;
        for (std::size_t k = 0; k + 1 < curve.frequency.size(); ++k) {
          const double a = curve.frequency[k], b = curve.frequency[k + 1];
          if (b < a * (1 + 1e-5)) continue;  // the step, or an antiresonance to its bottom
          for (int i = 1; i < 12; ++i) {
            const double part = i / 12.0, f = a * std::pow(b / a, part), value = exact(f);
            const double line = (1 - part) * std::log(std::max(curve.value[k], floor)) +
                                part * std::log(std::max(curve.value[k + 1], floor));
            worst = std::max(worst, std::abs(std::expm1(line - std::log(std::max(value, floor)))));
            if (curve.phase.empty() || std::min({value, curve.value[k], curve.value[k + 1]}) <= 2 * floor) continue;
            const double turned = part * std::remainder(curve.phase[k + 1] - curve.phase[k], 2 * pi);
            const double own = std::arg((rows * solved.transfer(2).state(f))(0));
            worst_phase = std::max(worst_phase, std::abs(std::remainder(curve.phase[k] + turned - own, 2 * pi)));
          }
        }
        EXPECT_LT(worst, 2 * straight_enough) << each.name << ratio << is_sine;
        EXPECT_LT(worst_phase, 2 * phase_drawn) << each.name << ratio;
        EXPECT_LT(curve.frequency.size(), 20 * excited.grid.size()) << each.name << ratio;
      }
    }
  }
}

}  // namespace
}  // namespace avrenk
