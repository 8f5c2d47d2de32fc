#include "figures/response_charts.h"
#include "figures/input_charts.h"

#include <gmock/gmock.h>

#include "figures/assessment_charts.h"
#include "support/models.h"

namespace avrenk {
namespace {

using testing::HasSubstr;

class ResponseCharts : public testing::Test {
 protected:
  ResponseCharts()
      : solved(test::portal(0.05), test::count(40), {}),
        watched(watch(solved.assembly, solved.channels,
                      {{"box", &output_quantities()[0], {9}, Vector3::Zero()},
                       {"tip", &output_quantities()[0], {12}, Vector3::Zero()},
                       {"tip", &output_quantities()[5], {12}, Vector3::Zero()}})) {
    sine.name = "sine";
    sine.profile = "sweep";
    sine.axes = {2};
    sine.input = LogLogTable({{10, 2 * standard_gravity, {}}, {200, 2 * standard_gravity, {}}}, 20);
    sine.grid = {10, 200, 24, 21, {}};
    limit.name = "level";
    limit.response()->of = "box.acceleration";
    limit.response()->environments = {"sine"};
    limit.allowable = 22 * standard_gravity;
    limit.factor = 1.1;
  }
  [[nodiscard]] CaseResults run(const Environment& environment) const {
    return test::run_along(environment, 2, solved.system, solved.basis, solved.damping, watched);
  }
  // States under 1 g along z.
  [[nodiscard]] Eigen::VectorXcd source_states(double frequency) const {
    return solved.transfer(2).state(frequency).col(0);
  }
  [[nodiscard]] ChartSource source() const {
    return {watched, limits, solved.basis, "Q 20", show, [&](const CaseResults& outcome, std::size_t index) {
              const Excitation& excitation = *outcome.excitation;
              return fine_curve(excitation, Transfer(solved.basis, solved.damping, {excitation.base, excitation.loads}),
                                watched[index], outcome.leaders(index), outcome.grid());
            }};
  }

  test::Solved solved;
  std::vector<Output> watched;
  Environment sine;
  Limit limit;
  std::vector<Limit> limits;
  Show show;
};

// A limit is drawn in every case that it judges, whatever it calls it: the environment, an axis of it, and the same
// where its input is notched; and in no other.
TEST_F(ResponseCharts, DrawALimitWhereItJudges) {
  const CaseResults specified = run(sine);
  auto applied = std::make_shared<Excitation>(*specified.excitation);
  applied->specified = specified.excitation;
  applied->along += ".notched";
  CaseResults notched = specified;
  notched.excitation = applied;
  ASSERT_EQ(notched.name(), "sine.z.notched");
  for (const auto& [name, is_judged] :
       {std::pair("sine", true), std::pair("sine.z", true), std::pair("sine.x", false)}) {
    limits = {limit};
    limits[0].response()->environments = {name};
    for (const CaseResults* outcome : std::initializer_list<const CaseResults*>{&specified, &notched}) {
      const Panel magnitude = response_charts(*outcome, source())[0].chart.panels[0];
      EXPECT_EQ(std::any_of(magnitude.series.begin(), magnitude.series.end(),
                            [](const Series& each) { return each.style == Series::Style::limit; }),
                is_judged)
          << name << " in " << outcome->name();
    }
  }
}

TEST_F(ResponseCharts, ShowTheExcitedAxisWithInputLimitPeakAndModes) {
  limits = {limit};
  const CaseResults outcome = run(sine);
  const auto charts = response_charts(outcome, source());
  ASSERT_EQ(charts.size(), 2U);
  EXPECT_EQ(charts[0].name, "sine.z.acceleration");
  EXPECT_EQ(charts[1].name, "sine.z.relative-displacement");
  const Panel& magnitude = charts[0].chart.panels[0];
  // Box and tip along z, the input, the limit; a limit on the magnitude shows it besides.
  const auto with = [&](Series::Style style) {
    return std::count_if(magnitude.series.begin(), magnitude.series.end(),
                         [&](const Series& each) { return each.style == style; });
  };
  EXPECT_EQ(magnitude.series[0].label, "box, z");
  EXPECT_EQ(with(Series::Style::input), 1);
  ASSERT_EQ(with(Series::Style::limit), 1);
  EXPECT_NEAR(magnitude.series.back().y.front(), 20, 1e-12);  // 22 g over the factor
  // The label stands at the located peak, at least as high as any drawn point.
  EXPECT_GE(magnitude.peaks[0].y,
            *std::max_element(magnitude.series[0].y.begin(), magnitude.series[0].y.end()) * (1 - 1e-12));
  // Further peaks, from the drawn curve, are those of the located maximum between the points around them.
  EXPECT_GT(magnitude.peaks.size(), 2U);
  for (const PeakLabel& peak : magnitude.peaks) {
    const Series& own = magnitude.series[peak.series];
    const auto k = static_cast<std::size_t>(std::lower_bound(own.x.begin(), own.x.end(), peak.x) - own.x.begin());
    EXPECT_GE(peak.y, std::max(own.y[k - 1], own.y[k]) * (1 - 1e-12));
    EXPECT_LE(peak.y, std::max(own.y[k - 1], own.y[k]) * 1.02);
    const Output& channel = *find_output(watched, peak.series == 0 ? "box.acceleration.z" : "tip.acceleration.z");
    EXPECT_NEAR(2 * std::abs((channel.measure(0).rows * source_states(peak.x))(0)), peak.y, 3e-3 * peak.y);
  }
  EXPECT_THAT(charts[0].chart.title, HasSubstr("Absolute acceleration: sine, base excited along z"));
  EXPECT_THAT(charts[0].in_words, HasSubstr("box, z peaks at " + magnitude.peaks[0].text));
  ASSERT_FALSE(charts[0].chart.uprights.empty());
  for (const Upright& upright : charts[0].chart.uprights)
    EXPECT_NEAR(upright.x, solved.basis.frequency(std::stoi(upright.name) - 1), 1e-9);
  // Real and imaginary parts make the magnitude again.
  const auto parts = complex_charts(outcome, source());
  ASSERT_EQ(parts.size(), 2U);
  EXPECT_EQ(parts[0].name, "sine.z.acceleration.parts");
  const Series &real = parts[0].chart.panels[0].series[0], &imaginary = parts[0].chart.panels[1].series[0];
  const Series& whole = magnitude.series[0];
  std::size_t shared = 0;  // the curve keeps the points of the grid
  for (std::size_t k = 0; k < real.x.size(); ++k) {
    while (shared + 1 < whole.x.size() && whole.x[shared] < real.x[k]) ++shared;
    ASSERT_EQ(whole.x[shared], real.x[k]);
    EXPECT_NEAR(std::hypot(real.y[k], imaginary.y[k]), whole.y[shared], 1e-12 * whole.y[shared]);
  }
}

TEST_F(ResponseCharts, ShowRandomWithItsRunningRms) {
  Environment random = sine;
  random.name = "random";
  random.form = RandomInput{};
  const CaseResults outcome = run(random);
  const auto charts = response_charts(outcome, source());
  ASSERT_EQ(charts.size(), 2U);
  ASSERT_EQ(charts[0].chart.panels.size(), 3U);
  const Panel &density = charts[0].chart.panels[0], &ratio = charts[0].chart.panels[1],
              &running = charts[0].chart.panels[2];
  ASSERT_EQ(ratio.series[0].x, density.series[0].x);
  for (std::size_t k = 0; k < ratio.series[0].x.size(); ++k)
    EXPECT_NEAR(
        ratio.series[0].y[k] *
            show.unit(kind::acceleration)
                .from_si(show.unit(kind::acceleration).from_si(outcome.excitation->reference(ratio.series[0].x[k]))) /
            density.series[0].y[k],
        1, 1e-9)
        << k;
  const DisplayUnit unit = show.unit(kind::acceleration);
  for (std::size_t s = 0; s < running.series.size(); ++s) {
    EXPECT_TRUE(std::is_sorted(running.series[s].y.begin(), running.series[s].y.end()));
    const auto own = std::find_if(watched.begin(), watched.end(), [&](const Output& each) {
      return each.entry + ", " + each.component == running.series[s].label && each.quantity == watched[0].quantity;
    });
    ASSERT_NE(own, watched.end());
    // The end of the running RMS is the RMS, as well as the curve is resolved.
    EXPECT_NEAR(running.series[s].y.back(),
                unit.from_si(outcome.random()->rows[static_cast<std::size_t>(own - watched.begin())].rms),
                0.01 * running.series[s].y.back());
  }
  ASSERT_FALSE(density.peaks.empty());
  EXPECT_THAT(density.peaks[0].text, HasSubstr("% of the variance @"));
}

// Orders meet natural frequencies at 60 f/k rpm; the speed is the axis of their curves.
TEST_F(ResponseCharts, ShowOrdersOverTheSpeedOfTheShaft) {
  Environment shaft;
  shaft.name = "shaft";
  shaft.load_cases = {{"1x", {}, 1}, {"3x", {}, 3}};
  shaft.grid = {5, 20, 24, 21, {}};
  Excitation one, three;
  one.environment = three.environment = &shaft;
  one.order = 1;
  three.order = 3;
  const std::vector<DrivenMode> driven{{0, 1, 2e-3, 4}, {1, 1, 1e-3, 4}, {2, 1, 1e-6, 4}};
  const std::vector<DrivenMode> none;
  const NamedChart named = order_chart({{one, none}, {three, driven}}, solved.basis, show);
  EXPECT_EQ(named.name, "shaft.orders");
  const Panel& panel = named.chart.panels[0];
  ASSERT_EQ(panel.peaks.size(), 2U);  // the third is not worth a mark
  EXPECT_NEAR(panel.peaks[1].x, 60 * solved.basis.frequency(1) / 3, 1e-9);
  EXPECT_NEAR(panel.peaks[1].y, solved.basis.frequency(1), 1e-9);
  EXPECT_THAT(named.in_words, HasSubstr("order 3 meets mode 1 at"));
  EXPECT_NEAR(panel.series[1].y.back(), 60, 1e-12);
  EXPECT_NEAR(named.chart.x.to, 1200, 1e-12);
  const NamedChart load =
      load_profile_chart({"pump", "level 0 dB", Amplitude({{10, 0, 0}, {50, 24, 1}}, BetweenPoints::straight),
                          kind::force, 1.2, 0.8, "±20 %"},
                         show);
  ASSERT_EQ(load.chart.panels.size(), 2U);  // and its phase
  EXPECT_EQ(load.chart.panels[0].y.scale, Axis::Scale::linear);
  EXPECT_THAT(load.chart.panels[0].y.label, HasSubstr("Force, 0 to peak (N)"));
  EXPECT_NEAR(load.chart.panels[0].series[0].y.back(), 24, 1e-12);
}

TEST_F(ResponseCharts, StateAProfileWithSlopesAreasAndBand) {
  // Areas by hand: +6 dB/oct from 20 to 80 Hz is S ∝ f² (3.01 n = 6: n = 1.993), flat at 0.02 g²/Hz to 500 Hz.
  const LogLogTable input({{20, {}, 6.0}, {80, 0.02 * 96.17038422249999, {}}, {500, 0.02 * 96.17038422249999, {}}}, 10);
  const NamedChart named = profile_chart(
      {"launch", "level 0 dB", input, true, &kind::acceleration, std::pow(10, 0.3), std::pow(10, -0.3), "±3 dB"}, show);
  const Panel& panel = named.chart.panels[0];
  ASSERT_EQ(panel.peaks.size(), 2U);
  EXPECT_THAT(panel.peaks[0].text, HasSubstr("+6 dB/oct, 0.526 g² (6 %)"));
  EXPECT_THAT(panel.peaks[1].text, HasSubstr("flat, 8.40 g² (94 %)"));
  ASSERT_EQ(panel.series[1].style, Series::Style::band);
  for (std::size_t k = 0; k < panel.series[0].x.size(); ++k) {
    EXPECT_NEAR(panel.series[1].y2[k] / panel.series[0].y[k], std::pow(10, 0.3), 1e-12);
    EXPECT_NEAR(panel.series[1].y[k] * panel.series[1].y2[k], std::pow(panel.series[0].y[k], 2), 1e-12);
  }
}

TEST_F(ResponseCharts, ShowMarginsMassesAndShares) {
  limits = {limit, limit};
  limits[1].name = "roomy";
  limits[1].allowable *= 9;
  const std::vector<CaseResults> outcomes{run(sine)};
  const std::vector<LimitResult> results = check_limits(limits, outcomes, watched, solved.basis, solved.assembly);
  ASSERT_EQ(results.size(), 2U);
  const NamedChart margins = margin_chart(results, show);
  const Panel& bars = margins.chart.panels[0];
  ASSERT_EQ(bars.y.names.size(), 2U);
  EXPECT_TRUE(bars.y.names[1].starts_with("level")) << "the worst is on top";
  double end = 0;
  for (const Series& series : bars.series)
    for (const auto& bar : series.bars)
      if (bar[2] > 1.5) end = std::abs(bar[0]) > std::abs(bar[1]) ? bar[0] : bar[1];
  EXPECT_NEAR(end, std::clamp(100 * results[0].margin, -100.0, 200.0), 1e-9);

  const NamedChart masses = mass_chart(solved.basis, show);
  for (int d = 0; d < 3; ++d) {
    const Panel& panel = masses.chart.panels[static_cast<std::size_t>(d)];
    double sum = 0;
    for (int r = 0; r < solved.basis.modes; ++r)
      sum += solved.basis.effective_mass(r, d) / solved.basis.rigid_mass(d, d);
    EXPECT_NEAR(panel.series[1].y.back(), 100 * sum, 1e-9);
  }

  const auto shares = share_chart(outcomes[0], source());
  ASSERT_TRUE(shares);
  const Panel& stacked = shares->chart.panels[0];
  std::vector<double> sums(stacked.y.names.size(), 0);
  for (const Series& series : stacked.series)
    for (const auto& bar : series.bars)
      sums[static_cast<std::size_t>(std::lround(0.5 * (bar[2] + bar[3])) - 1)] +=
          bar[0] >= 0 ? bar[1] - bar[0] : bar[0] - bar[1];
  for (const double sum : sums) EXPECT_NEAR(sum, 100, 4);  // shares below 0.5 % are left out
}

}  // namespace
}  // namespace avrenk
