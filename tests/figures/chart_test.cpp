#include "figures/chart.h"

#include <gmock/gmock.h>

#include <cmath>

#include "support/temporary.h"

namespace avrenk {
namespace {

Chart resonance(const std::string& label) {
  Chart chart{"Acceleration", "Q 25", "Frequency (Hz)", 5, 2000, {}};
  Panel panel{"Amplitude (g)", true, 0, 0, {}, 2, true, {}, {}};
  Series series{label, {}, {}, Series::Style::line};
  for (double f = 5; f <= 2000; f *= 1.001) {
    series.x.push_back(f);
    series.y.push_back(1 / std::hypot(1 - f * f / 1e4, 0.04 * f / 100));
  }
  panel.series = {series, {"limit", {5, 2000}, {15, 15}, Series::Style::limit}};
  panel.peaks = {{0, 100, 25, "25 g @ 100 Hz"}, {0, 101, 24, "24 g @ 101 Hz"}};
  chart.panels = {panel,
                  {"Phase (°)",
                   false,
                   -180,
                   180,
                   {-180, 0, 180},
                   1,
                   false,
                   {{"", {5, 100, 100, 2000}, {0, -170, std::nan(""), 170}, Series::Style::line}},
                   {}}};
  return chart;
}

TEST(Chart, IsTheSameByteForByteAndWhole) {
  const test::TemporaryFolder folder;
  draw_charts({{folder / "one", resonance("tip, x")}, {folder / "two", resonance("tip, x")}});
  const std::string svg = test::read_all(folder / "one.svg"), png = test::read_all(folder / "one.png");
  EXPECT_EQ(svg, test::read_all(folder / "two.svg"));
  EXPECT_THAT(svg, testing::HasSubstr("25 g @ 100 Hz"));
  EXPECT_THAT(svg, testing::HasSubstr("Phase (°)"));
  EXPECT_THAT(svg, testing::HasSubstr("</svg>"));
  EXPECT_LT(svg.size(), 150000U);
  EXPECT_EQ(png.substr(1, 3), "PNG");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 4);  // nothing half-written is left
}

TEST(Chart, TakesAnyTextOfTheUserLiterally) {
  const test::TemporaryFolder folder;
  const std::string nasty = "`touch " + (folder / "owned").string() + "` it's {a}_b^2 \"$(id)\" \\n <&> %d";
  draw_chart(resonance(nasty), folder / "chart");
  EXPECT_FALSE(std::filesystem::exists(folder / "owned"));
  EXPECT_THAT(test::read_all(folder / "chart.svg"), testing::HasSubstr("it's {a}_b^2 "));
}

TEST(Chart, DropsOnlyPointsThatCannotBeSeen) {
  // 6000 points thin to far fewer; the peak itself, a local extreme, stays.
  const std::string program = chart_program(resonance("x"));
  const std::size_t block = program.find("$d0 << EOD\n"), end = program.find("EOD\n", block + 12);
  const auto lines = std::count(program.begin() + static_cast<std::ptrdiff_t>(block),
                                program.begin() + static_cast<std::ptrdiff_t>(end), '\n');
  EXPECT_LT(lines, 900);
  EXPECT_GT(lines, 40);
  double highest = 0;
  for (std::size_t at = program.find('\n', block) + 1; at < end; at = program.find('\n', at) + 1)
    highest = std::max(highest, std::stod(program.substr(program.find(' ', at) + 1, 20)));
  EXPECT_NEAR(highest, 25, 0.05);  // 0.12 px of a panel of four decades and 430 px are 0.26 %
}

}  // namespace
}  // namespace avrenk
