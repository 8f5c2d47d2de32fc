// modes: {about: CASE}: what a static state does to the modes, and to nothing else.
#include <gmock/gmock.h>

#include <cmath>
#include <map>
#include <sstream>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::cell;
using test::example;
using test::Ran;
using test::replaced;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

// The mast with a force down its axis and its weight, of which the one makes the state that modes are taken about.
const std::string& pressed_mast() {
  static const std::string plan = [] {
    std::string text = replaced(example("mast.yaml"), "damping: {otherwise: [[20 Hz, 1 %], [500 Hz, 2 %]]}",
                                "damping: {otherwise: 1.5 %}\n\n"
                                "loads:\n  press: {force: {at: tip, direction: -z}}\n\n"
                                "modes: {count: 12, about: pressed}");
    return replaced(text, "environments:\n",
                    "environments:\n  pressed: {static: {loads: {press: 300 N}}}\n"
                    "  weight:  {static: {acceleration: {x: -1 g}}}\n");
  }();
  return plan;
}

double factor(const nlohmann::json& summary, const std::string& about = "pressed") {
  return summary.at("facts").at("buckling load over " + about).at("value").get<double>();
}

TEST(PreloadOfAPlan, LowersFrequenciesUntilItBuckles) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", pressed_mast());
  const auto run = [&](const std::string& options, const std::string& results) {
    const Ran ran = run_program(folder, "run mast.yaml --no-figures --audit 2 --out " + results + " " + options);
    EXPECT_EQ(ran.status, 0) << ran.err;
    return ran;
  };
  const Ran first = run("", "pressed");
  EXPECT_THAT(first.out + first.err, AllOf(HasSubstr("modes: about pressed, at "),
                                           HasSubstr("times which the model buckles: antenna moves as a body in ")));
  (void)run("--set environments.pressed.static.loads.press=\"600 N\"", "more");
  (void)run("--set modes=\"{count: 12}\"", "free");
  const auto pressed = summary_of(folder, "pressed"), more = summary_of(folder, "more"),
             free = summary_of(folder, "free");
  EXPECT_NEAR(factor(pressed) / factor(more), 2, 1e-8);
  // f² falls as a straight line, but for what the shape changes on the way.
  const double f0 = cell(free, "modes", "1", "frequency"), f = cell(pressed, "modes", "1", "frequency");
  EXPECT_NEAR(f * f / (f0 * f0), 1 - 1 / factor(pressed), 0.02);
  // The ratio is one of each mode; the state itself, and all else that acts at rest, is answered without it.
  for (const char* mode : {"1", "2", "5"}) EXPECT_NEAR(cell(pressed, "modes", mode, "ζ"), 1.5, 1e-6);
  for (const char* table : {"weight.static", "pressed.static"}) {
    EXPECT_GE(pressed.at("tables").at(table).at("rows").size(), 2U);
    for (const nlohmann::json& row : pressed.at("tables").at(table).at("rows"))
      EXPECT_NEAR(row.at(1).get<double>() / cell(free, table, row.at(0).get<std::string>(), "value"), 1, 1e-8) << row;
  }
  // The full equations know the same state: with loss factors, which are exact in both, they agree.
  (void)run("--set damping.otherwise=\"{loss factor: 4 %}\" --set modes.count=144", "whole");
  const auto whole = summary_of(folder, "whole");
  const nlohmann::json& audit = whole.at("tables").at("audit");
  std::size_t error = 0;
  while (audit.at("columns").at(error).at("name") != "error") ++error;
  EXPECT_GT(audit.at("rows").size(), 4U);
  for (const nlohmann::json& row : audit.at("rows")) EXPECT_NEAR(row.at(error).get<double>(), 0, 1e-4) << row;
}

// A bar between two bases, one of them pushed towards the other: N = EA δ/L, and it buckles at 4π²EI/L², less what it
// shears.
TEST(PreloadOfAPlan, IsMadeByBasesOutOfPlaceToo) {
  const TemporaryFolder folder;
  (void)folder.write("strut.yaml", example("strut-pushed.yaml"));
  const Ran ran = run_program(folder, "run strut.yaml --no-figures --audit 2");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto summary = summary_of(folder, "strut-results");
  const double area = M_PI * 16e-6, second = M_PI * std::pow(8e-3, 4) / 64, force = 70e9 * area * 1e-5 / 0.5,
               euler = 4 * M_PI * M_PI * 70e9 * second / 0.25, shear = 0.89 * 70e9 / 2.6 * area;
  EXPECT_NEAR(cell(summary, "pushed.static", "strut.axial force", "value"), -force, 1e-7 * force);
  EXPECT_NEAR(factor(summary, "pushed") * force, euler / (1 + euler / shear), 1e-3 * euler);
  // Of a clamped beam f² is nearly straight over the force: 4 % over Euler's load of the clamped ends.
  const double pulled = cell(summary, "mode-preload", "1", "-100 %"), free = cell(summary, "mode-preload", "1", "0 %"),
               half = cell(summary, "mode-preload", "1", "50 %"), whole = cell(summary, "modes", "1", "frequency");
  EXPECT_NEAR((pulled * pulled - free * free) / (free * free), 1 / factor(summary, "pushed"),
              0.05 / factor(summary, "pushed"));
  EXPECT_NEAR((half * half - free * free) / (whole * whole - free * free), 0.5, 0.02);
  const Ran beyond = run_program(folder, "modes strut.yaml --no-figures --set modes.levels=\"[0 %, 100000 %]\"");
  EXPECT_EQ(beyond.status, 2);
  EXPECT_THAT(beyond.err,
              HasSubstr("the model buckles before 100000 % of that state is reached; leave that level out"));
}

TEST(PreloadOfAPlan, IsPartOfTheModel) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", pressed_mast());
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --audit 0").status, 0);
  const Ran again = run_program(folder, "run mast.yaml --no-figures --audit 0");
  EXPECT_THAT(again.out + again.err,
              AllOf(HasSubstr("computed for the same model"), Not(HasSubstr("strains the model"))));
  const Ran other = run_program(
      folder, "run mast.yaml --no-figures --audit 0 --set environments.pressed.static.loads.press=\"310 N\"");
  EXPECT_THAT(other.out + other.err, Not(HasSubstr("computed for the same model")));
  const Ran asked = run_program(folder, "ask mast-results \"acceleration.x of tip in sine.x at 30 Hz\"");
  EXPECT_EQ(asked.status, 0) << asked.err;
  ASSERT_EQ(run_program(folder, "run mast.yaml --audit 0 --out drawn").status, 0);
  EXPECT_THAT(test::read_all(folder / "drawn/fields/buckling.vtu"), HasSubstr("buckling at 11.49 times pressed"));
  EXPECT_THAT(test::read_all(folder / "drawn/report.html"),
              HasSubstr("small motions about the state under pressed, at 11.49"));
  const Ran check = run_program(folder, "check mast.yaml");
  EXPECT_EQ(check.status, 0) << check.err;
  EXPECT_THAT(check.out + check.err, HasSubstr("modes: about pressed, at "));
}

// What the base shakes along a line strains nothing by itself, though a turn of it would: records in time are made as
// ever.
// A table of the report and that of the summary are one: each number that is printed rounds to the one that is kept.
// The table of 1 g is that without geometric stiffness, whatever modes are taken about.
TEST(PreloadOfAPlan, HasTheTablesOfTheSummaryInItsReport) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", pressed_mast());
  ASSERT_EQ(run_program(folder, "run mast.yaml --out pressed").status, 0);
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --out free --set modes=\"{count: 12}\"").status, 0);
  const auto pressed = summary_of(folder, "pressed"), free = summary_of(folder, "free");
  for (const char* axis : {"x", "y", "z"})
    EXPECT_NEAR(cell(pressed, "static", axis, "largest deflection") / cell(free, "static", axis, "largest deflection"),
                1, 1e-9);
  // Tables of the report by their header, as that of the summary would be written.
  std::map<std::string, std::vector<std::vector<std::string>>> of_header;
  std::istringstream report(test::read_all(folder / "pressed/report.md"));
  std::string header;
  for (std::string line; std::getline(report, line);) {
    if (!line.starts_with("| ")) {
      header.clear();
    } else if (header.empty()) {
      header = line;
    } else if (!line.starts_with("| ---")) {
      std::vector<std::string> cells;
      std::istringstream fields(line.substr(1));
      for (std::string cell; std::getline(fields, cell, '|');)
        cells.push_back(cell.size() > 2 ? cell.substr(1, cell.size() - 2) : "");
      of_header[header].push_back(cells);
    }
  }
  int tables = 0, numbers = 0;
  for (const auto& [name, table] : pressed.at("tables").items()) {
    std::string columns = "|";
    for (const auto& column : table.at("columns")) {
      const std::string unit = column.at("unit").get<std::string>();
      columns += " " + column.at("name").get<std::string>() + (unit.empty() ? "" : " (" + unit + ")") + " |";
    }
    const auto found = of_header.find(columns);
    if (found == of_header.end()) continue;
    SCOPED_TRACE(name);
    ++tables;
    for (const auto& row : table.at("rows")) {
      // Tables of several cases have one header: any row with the same texts and numbers will do.
      const bool is_there = std::any_of(found->second.begin(), found->second.end(), [&](const auto& cells) {
        for (std::size_t c = 0; c < row.size() && c < cells.size(); ++c) {
          if (!row[c].is_number()) continue;
          char* end = nullptr;
          const double printed = std::strtod(cells[c].c_str(), &end), kept = row[c];
          if (end == cells[c].c_str()) continue;  // a dash: nothing to tell
          if (std::abs(printed - kept) > 0.06 * std::abs(kept) + 0.06) return false;
        }
        return !row[0].is_string() || cells[0] == row[0].template get<std::string>();
      });
      EXPECT_TRUE(is_there) << row;
      numbers += static_cast<int>(row.size());
    }
  }
  EXPECT_GE(tables, 5);
  EXPECT_GE(numbers, 100);
  for (const auto& cells :
       of_header.at("| axis | largest deflection (mm) | weight (N) | reaction (N) | reaction / weight − 1 | where |"))
    EXPECT_NEAR(std::stod(cells[1]) / cell(pressed, "static", cells[0], "largest deflection"), 1, 1e-3);
}

TEST(PreloadOfAPlan, LeavesRecordsInTimeAsTheyAre) {
  const TemporaryFolder folder;
  std::string plan = replaced(pressed_mast(), "  sweep: {",
                              "  hiss:  {random: [[10 Hz, 0.01 g^2/Hz], [200 Hz, 0.01 g^2/Hz]]}\n  sweep: {");
  plan = replaced(plan, "  sine: {", "  noise: {profile: hiss, axes: x}\n  sine: {");
  plan = replaced(plan, "limits:\n",
                  "histories:\n  shake: {in: noise.x, of: [tip.acceleration.x], duration: 60 s, seed: 3}\nlimits:\n");
  (void)folder.write("mast.yaml", plan);
  const Ran ran = run_program(folder, "run mast.yaml --no-figures --audit 0");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto summary = summary_of(folder, "mast-results");
  const auto of_record = [&](const char* column) {
    return cell(summary, "history.shake", "tip.acceleration.x", column);
  };
  EXPECT_GT(of_record("RMS"), 0);
  EXPECT_LE(std::abs(of_record("off by")), 2 * of_record("95 % lie within"));
}

TEST(PreloadOfAPlan, SaysWhatIsWrong) {
  const TemporaryFolder folder;
  const std::string plan = pressed_mast();
  const auto message = [&](const std::string& from, const std::string& to) {
    (void)folder.write("mast.yaml", replaced(plan, from, to));
    const Ran ran = run_program(folder, "modes mast.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << ran.out;
    return ran.err;
  };
  EXPECT_THAT(message("about: pressed", "about: presed"), HasSubstr("no environment \"presed\"; write \"pressed\""));
  EXPECT_THAT(message("about: pressed", "about: sine"), HasSubstr("environment \"sine\" is not static"));
  EXPECT_THAT(message("count: 12, about: pressed", "count: 12, levels: 50 %"),
              HasSubstr("nothing says of which state"));
  EXPECT_THAT(message("loads: {press: 300 N}}", "displacement: {fixture: {x: 0 mm}}}"),
              HasSubstr("it stays where it is"));
  EXPECT_THAT(message("loads: {press: 300 N}}", "displacement: {fixtur: {x: 1 mm}}}"), HasSubstr("write \"fixture\""));
  EXPECT_THAT(message("count: 12, about: pressed", "count: 12, about: pressed, free: yes"),
              HasSubstr("free motions leave no static state"));
  EXPECT_THAT(message("press: 300 N", "press: 30 kN"),
              AllOf(HasSubstr("mast.yaml:30:27: modes about: the model buckles at 0."),
                    HasSubstr(" times pressed: antenna moves as a body in ")));
}

}  // namespace
}  // namespace avrenk
