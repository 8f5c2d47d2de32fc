#include "figures/chart.h"

#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>

#include "core/error.h"
#include "figures/chart_layout.h"
#include "support/svg.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using testing::HasSubstr;

Chart resonance(const std::string& label) {
  Chart chart{"Acceleration", "Q 25", {"Frequency (Hz)", Axis::Scale::logarithmic, 5, 2000}};
  Panel panel{{"Amplitude (g)"}, 2};
  Series series{label, {}, {}};
  for (double f = 5; f <= 2000; f *= 1.001) {
    series.x.push_back(f);
    series.y.push_back(1 / std::hypot(1 - f * f / 1e4, 0.04 * f / 100));
  }
  panel.series = {series, {"limit", {5, 2000}, {15, 15}, Series::Style::limit}};
  panel.peaks = {{0, 100, 25, "25 g @ 100 Hz"}, {0, 101, 24, "24 g @ 101 Hz"}};
  chart.panels = {panel, {{"Phase (°)", Axis::Scale::linear, -180, 180, {-180, 0, 180}}, 1, false}};
  chart.panels[1].series = {{"", {5, 100, 100, 2000}, {0, -170, std::nan(""), 170}}};
  return chart;
}

// All texts inside the picture, none over another.
void expect_legible(const std::string& svg) {
  const std::vector<test::SvgText> texts = test::svg_texts(svg);
  EXPECT_GT(texts.size(), 8U);
  for (std::size_t i = 0; i < texts.size(); ++i) {
    EXPECT_TRUE(texts[i].x0 >= 0 && texts[i].x1 <= 1280 && texts[i].y0 >= 0 && texts[i].y1 <= 800) << texts[i].text;
    for (std::size_t k = 0; k < i; ++k)
      EXPECT_FALSE(texts[i].meets(texts[k])) << texts[i].text << " | " << texts[k].text;
  }
}

TEST(Chart, IsTheSameByteForByteAndWhole) {
  const test::TemporaryFolder folder;
  for (const char* name : {"one", "two"}) draw_chart(resonance("tip, x"), folder / name);
  const std::string svg = test::read_all(folder / "one.svg"), png = test::read_all(folder / "one.png");
  EXPECT_EQ(svg, test::read_all(folder / "two.svg"));
  EXPECT_THAT(svg, HasSubstr("25 g @ 100 Hz"));
  EXPECT_THAT(svg, HasSubstr("24 g @ 101 Hz"));
  EXPECT_THAT(svg, HasSubstr("Phase (°)"));
  EXPECT_LT(svg.size(), 150000U);
  expect_legible(svg);
  EXPECT_EQ(png.substr(1, 3), "PNG");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 4);  // nothing half-written is left
}

TEST(Chart, TakesAnyTextOfTheUserLiterally) {
  const test::TemporaryFolder folder;
  const std::string nasty = "`touch " + (folder / "owned").string() + "` it's {a}_b^2 \"$(id)\" \\n <&> %d\x01";
  draw_chart(resonance(nasty), folder / "chart");
  EXPECT_FALSE(std::filesystem::exists(folder / "owned"));
  std::string all;
  for (const test::SvgText& text : test::svg_texts(test::read_all(folder / "chart.svg"))) all += text.text + " ";
  EXPECT_THAT(all, HasSubstr("it's {a}_b^2 "));
  EXPECT_THAT(all, HasSubstr("<&> %d"));
}

TEST(Chart, CutsNoTextHoweverLong) {
  const test::TemporaryFolder folder;
  const std::string words = "the bracket that carries the second reaction wheel of the spare unit, upper flange, ";
  Chart chart = resonance(words + words + std::string(90, 'w'));
  chart.title = words + words;
  chart.subtitle = words + words + words;
  chart.panels[0].y.label = "Amplitude of everything that can be watched at " + words + "(g)";
  chart.uprights = {{28.2, "1"}, {28.4, "2"}, {43, "14"}};
  chart.uprights_are = words;
  // Peaks that crowd together, at the edges too: each keeps a text of its own.
  chart.panels[0].peaks.clear();
  for (const double f : {5.0, 99.0, 100.0, 100.5, 101.0, 103.0, 1990.0})
    chart.panels[0].peaks.push_back({0, f, 1 / std::hypot(1 - f * f / 1e4, 0.04 * f / 100), std::to_string(f) + " Hz"});
  draw_chart(chart, folder / "long");
  const std::string svg = test::read_all(folder / "long.svg");
  expect_legible(svg);
  std::size_t labels = 0;
  for (const test::SvgText& text : test::svg_texts(svg)) labels += text.text.ends_with("000 Hz");
  EXPECT_EQ(labels, 7U);
}

TEST(Chart, NamesItsBars) {
  const test::TemporaryFolder folder;
  Chart chart{"Margins", "", {"Margin (%)", Axis::Scale::linear, -20, 100}};
  Panel panel{{"", Axis::Scale::named}};
  panel.y.names = {"foot-bolt: 4 kN", std::string(70, 'm') + " a name of two lines"};
  panel.series = {{"met", {}, {}, Series::Style::bars, {}, {{0, 60, 0.7, 1.3}}}};
  panel.texts = {{60, 1, "+60 %"}, {-5, 2, "-5 %", FixedText::Side::left}};
  chart.panels = {panel};
  draw_chart(chart, folder / "bars");
  expect_legible(test::read_all(folder / "bars.svg"));
  Chart columns{"Effective mass", "", {"Mode", Axis::Scale::named}};
  columns.x.names = {"1  28.23", "2  28.38", "3  1234"};
  columns.panels = {{{"Along x (%)", Axis::Scale::linear, 0, 108, {0, 50, 100}}}};
  columns.panels[0].series = {{"effective mass", {}, {}, Series::Style::bars, {}, {{0.7, 1.3, 0, 40}}}};
  draw_chart(columns, folder / "columns");
  expect_legible(test::read_all(folder / "columns.svg"));
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

TEST(Text, BreaksBetweenWordsAndInsideLongOnes) {
  const auto lines = wrapped_text("one two three " + std::string(40, 'x') + " ünï", 11, 80);
  std::string joined;
  for (const std::string& line : lines) {
    EXPECT_LE(text_width(line, 11), 80) << line;
    joined += line;
  }
  EXPECT_EQ(joined, "one twothree" + std::string(40, 'x') + "ünï");  // nothing is lost
  EXPECT_EQ(wrapped_text("", 11, 80), std::vector<std::string>{""});
  const double points = fitting_size("a title that is rather long for its place", 16, 200, 2);
  EXPECT_LT(points, 16);
  EXPECT_LE(wrapped_text("a title that is rather long for its place", points, 200).size(), 2U);
  EXPECT_GT(text_width("wide", 16), 1.4 * text_width("wide", 11));
}

// A logarithmic axis shows five decades of what matters: the highest, with an input that is not far below; or the
// lowest.
TEST(Chart, ShowsFiveDecadesOfWhatMatters) {
  const auto range = [](bool lowest_counts, double input) {
    Panel panel{{"PSD"}};
    panel.y.lowest_counts = lowest_counts;
    panel.series = {Series{"curve", {1, 2, 3}, {2e-9, 1, 700}}};
    if (input > 0) panel.series.push_back(Series{"input", {1, 3}, {input, input}, Series::Style::input});
    const Axis x{"Frequency"};
    Frame frame{x, 1, 3, 0, 0, true, 0, 1, 1, 0};
    fit_range(panel, frame);
    return std::pair(frame.y_from, frame.y_to);
  };
  EXPECT_EQ(range(false, 0), std::pair(0.1, 5000.0));
  EXPECT_LT(range(false, 0.02).first, 0.02);
  EXPECT_EQ(range(false, 1e-7).first, 0.1);  // too far below
  EXPECT_LT(range(true, 0).first, 2e-9 / 2);
  EXPECT_LE(range(true, 0).second, 2e-4);
}

// What does not change has an axis too, whose ends differ in the digits with which they are written.
TEST(Chart, HasRoomAroundWhatIsFlat) {
  for (const bool logarithmic : {false, true})
    for (const double value : {30.0, -30.0, 0.0, 1e-12, 1e12})
      for (const double ripple : {0.0, 1e-13}) {
        Panel panel{{"Phase (°)"}};
        panel.series = {Series{"curve", {1, 2}, {value, value * (1 + ripple)}}};
        const Axis x{"Frequency"};
        Frame frame{x, 1, 2, 0, 0, logarithmic, 0, 1, 1, 0};
        fit_range(panel, frame);
        SCOPED_TRACE(fmt::format("{} {}", value, logarithmic));
        EXPECT_LT(std::stod(fmt::format("{:.10g}", frame.y_from)), std::stod(fmt::format("{:.10g}", frame.y_to)));
        if (logarithmic && value <= 0) continue;
        EXPECT_LE(frame.y_from, value);
        EXPECT_GT(frame.y_to, value);
      }
}

}  // namespace
}  // namespace avrenk
