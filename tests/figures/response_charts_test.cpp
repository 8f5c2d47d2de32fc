#include "figures/response_charts.h"

#include <gmock/gmock.h>

#include "support/models.h"

namespace avrenk {
namespace {

TEST(ResponseCharts, ShowTheExcitedAxisWithInputLimitAndPeak) {
  const test::Solved solved(test::portal(0.05), test::count(40), {});
  const auto watched = watch(solved.assembly, solved.channels,
                             {{"box", &watched_quantities()[0], {9}, Vector3::Zero()},
                              {"tip", &watched_quantities()[0], {12}, Vector3::Zero()},
                              {"tip", &watched_quantities()[5], {12}, Vector3::Zero()}});
  Environment sine;
  sine.name = "sine";
  sine.profile = "sweep";
  sine.axes = {2};
  sine.input = LogLogTable({{10, 2 * standard_gravity, {}}, {200, 2 * standard_gravity, {}}}, 20);
  sine.grid = {10, 200, 24, 21, {}};
  const Outcome outcome = run_environment(sine, 2, solved.system, solved.basis, solved.damping, watched);
  Limit limit;
  limit.name = "level";
  limit.of = "box.acceleration";
  limit.environments = {"sine"};
  limit.allowable = 22 * standard_gravity;
  limit.factor = 1.1;
  const auto charts = response_charts(outcome, watched, {limit}, "Q 20", Show());
  ASSERT_EQ(charts.size(), 2U);
  EXPECT_EQ(charts[0].name, "sine.z.acceleration");
  EXPECT_EQ(charts[1].name, "sine.z.relative-displacement");
  const Panel& magnitude = charts[0].chart.panels[0];
  ASSERT_EQ(magnitude.series.size(), 4U);  // box and tip along z, the input, the limit
  EXPECT_EQ(magnitude.series[0].label, "box, z");
  EXPECT_EQ(magnitude.series[2].style, Series::Style::input);
  EXPECT_NEAR(magnitude.series[2].y.front(), 2, 1e-12);
  EXPECT_EQ(magnitude.series[3].style, Series::Style::limit);
  EXPECT_NEAR(magnitude.series[3].y.front(), 20, 1e-12);  // 22 g over the factor
  // The label stands at the located peak, at least as high as any drawn point.
  EXPECT_GE(magnitude.peaks[0].y,
            *std::max_element(magnitude.series[0].y.begin(), magnitude.series[0].y.end()) * (1 - 1e-12));
  EXPECT_THAT(charts[0].chart.title, testing::HasSubstr("Absolute acceleration: sine, base excited along z"));
  EXPECT_EQ(charts[1].chart.panels[0].series.size(), 1U);  // no input among displacements
}

}  // namespace
}  // namespace avrenk
