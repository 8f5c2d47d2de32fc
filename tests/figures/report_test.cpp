#include "figures/report.h"

#include <gmock/gmock.h>

#include <cmath>
#include <regex>

namespace avrenk {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

const std::string nasty = "</script><script>alert('x')</script> & \"quoted\" `id` | {{title}} _a_ *b*";

Report made_up() {
  Report report;
  report.title = nasty;
  report.document = {{"number", "SD-217"}, {nasty, nasty}};
  report.verdict = "1 of 2 limits exceeded";
  report.program_version = "0";
  report.date = "today";
  report.outcome = Report::Judgement::exceeded;
  report.summary = {"weight 3 kg", nasty};
  report.warnings = {nasty};
  static Chart chart;
  chart.x = {"Frequency (Hz)", Axis::Scale::logarithmic, 5, 100};
  Panel panel{{"Amplitude (g)"}};
  panel.series = {{nasty, {5, 50, 100}, {1, std::nan(""), 3}},
                  {"limit", {5, 100}, {15, 15}, Series::Style::limit},
                  {"lines", {5, 9, 20, 20, 100}, {4, 4, 4, 9, 2}, Series::Style::limit}};
  chart.panels = {panel};
  ReportSection section{"s-one", nasty};
  section.leading = true;
  section.figures.push_back({"figures/one.svg", nasty, nasty, "<svg/>", &chart});
  section.tables.push_back({"limits",
                            nasty,
                            {{"limit", ""}, {"verdict", ""}, {"margin", "%", 3}},
                            {{nasty, std::string("EXCEEDED"), -1.25}, {std::string("b"), std::string("met"), 12.5}}});
  report.sections.push_back(section);
  ReportSection plan{"s-plan", "The plan", 3};
  plan.folded = true;
  plan.listing = {"title: " + nasty};
  report.sections.push_back(plan);
  return report;
}

TEST(Report, InterpretsNothingOfTheUsersText) {
  const std::string html = to_html(made_up());
  EXPECT_THAT(html, AllOf(Not(HasSubstr("<script>alert")), Not(HasSubstr("{{#")), HasSubstr("| {{title}} _a_")));
  EXPECT_THAT(html, HasSubstr("&lt;/script&gt;&lt;script&gt;alert("));
  EXPECT_THAT(html, AllOf(HasSubstr("class=\"exceeded\""), HasSubstr("class=\"met\""), HasSubstr("Not met:")));
  EXPECT_LT(html.find("s-one"), html.find("In short")) << "margins come before the summary";
  EXPECT_THAT(html, HasSubstr("data:image/svg+xml,%3Csvg/%3E"));
  EXPECT_THAT(html, HasSubstr("<dt>number</dt><dd>SD-217</dd>"));
  EXPECT_THAT(html, HasSubstr("--foot: \"\\3c /script>\\3c script>alert('x')\\3c /script> & \\22 quoted\\22  `id`"));
  EXPECT_THAT(html, HasSubstr("number SD-217, "));
  const std::string markdown = to_markdown(made_up());
  EXPECT_THAT(markdown, HasSubstr("- number: SD-217\n"));
  EXPECT_THAT(markdown, HasSubstr("# &lt;/script&gt;&lt;script&gt;alert"));
  EXPECT_THAT(markdown, HasSubstr("\\`id\\` \\| "));
  EXPECT_THAT(markdown, HasSubstr("(figures/one.svg)"));
  EXPECT_THAT(markdown, HasSubstr("## In short"));
}

TEST(Report, AsksNobodyForAnything) {
  const std::string html = to_html(made_up());
  const std::regex outside(R"re((src|href|action|poster)\s*=\s*"(?!data:|#))re");
  EXPECT_FALSE(std::regex_search(html.substr(0, html.find("dygraphs, the chart script below")), outside));
  EXPECT_THAT(html, HasSubstr("default-src 'none'; img-src data:"));
  EXPECT_THAT(html, HasSubstr("under the MIT licence"));
  Report plain = made_up();
  plain.sections[0].figures.clear();
  EXPECT_LT(to_html(plain).size(), 30000U) << "without curves the script for them is left out";
}

TEST(Report, GivesTheCurvesAsNumbers) {
  const std::string html = to_html(made_up());
  EXPECT_THAT(
      html,
      HasSubstr(
          R"("lines":[[[5.0,50.0,100.0],[1.0,null,3.0]],[[5.0,100.0],[15.0,15.0]],[[5.0,20.0,20.0000002,100.0],[4.0,4.0,9.0,2.0]]])"));
  EXPECT_THAT(html, HasSubstr(R"("x_unit":"Hz","y_unit":"g")"));
}

}  // namespace
}  // namespace avrenk
