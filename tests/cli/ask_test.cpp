// Questions to a finished run: whatever the run's own tables have too is the same, and what is not understood is said.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>
#include <fstream>
#include <sstream>

#include "files/vtu.h"
#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using nlohmann::json;
using test::cell;
using test::example;
using test::Ran;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;

json asked(const TemporaryFolder& folder, const std::string& run, const std::vector<std::string>& questions) {
  std::string line = "ask " + run + " --json";
  for (const std::string& each : questions) line += " \"" + each + "\"";
  const Ran ran = run_program(folder, line);
  EXPECT_EQ(ran.status, 0) << ran.err << line;
  return ran.status == 0 ? json::parse(ran.out).at("answers") : json::array();
}

// "tip.relative displacement.x" of a table as a question.
std::string question_of(const std::string& watched) {
  const std::size_t first = watched.find('.');
  if (watched.starts_with("opening")) return "clearance of battery and box along y";
  return watched.substr(first + 1) + " of " + watched.substr(0, first);
}

// Every peak, RMS and static value of every quantity that the frame watches, and every value at the frequencies that
// its plan asks for: the tables carry nine digits. The plan is gone by then: the run keeps what it needs.
TEST(Ask, AnswersWhatTheTablesOfTheFrameHave) {
  const TemporaryFolder folder;
  std::string plan = example("payload-frame/payload-frame.yaml");
  for (const auto& [environment, at] : {std::pair("  sine:", "40 Hz, mode 4"), std::pair("  random:", "61 Hz")}) {
    const std::size_t end = plan.find("}\n", plan.find(environment, plan.find("environments:")));
    plan.insert(end, fmt::format(", frequencies: {{at: [{}]}}", at));
  }
  (void)folder.write("frame.yaml", plan);
  const Ran ran = run_program(folder, "run frame.yaml --no-figures --audit 0 --set \"damping.otherwise=1.7 %\"");
  ASSERT_EQ(ran.status, 1) << ran.err;
  std::filesystem::remove(folder / "frame.yaml");
  const json summary = summary_of(folder, "frame-results");
  struct Case {
    const char *table, *what;
    std::vector<std::pair<const char*, const char*>> columns;  // of the table, and of the answer
  };
  int compared = 0;
  for (const Case& each :
       {Case{"sine.x.peaks", "peak", {{"peak", "value"}, {"at", "frequency"}}},
        Case{"sine.y.peaks", "peak", {{"peak", "value"}, {"phase", "phase"}}},
        Case{"random.z.rms", "RMS", {{"RMS=1σ", "value"}}}, Case{"random.z.rms", "99.73 %", {{"99.73 %", "value"}}},
        Case{"gravity.static", "steady", {{"value", "value"}}}}) {
    const json& rows = summary.at("tables").at(each.table).at("rows");
    std::vector<std::string> names, questions;
    const std::string in(each.table, std::string_view(each.table).rfind('.'));
    for (const json& row : rows) {
      const std::string name = row.at(0);
      names.push_back(name);
      questions.push_back(question_of(name) + " in " + in);
    }
    const json answers = asked(folder, "frame-results", questions);
    std::size_t at = 0;
    for (const json& answer : answers) {
      if (answer.at("what") != each.what) continue;
      while (at < names.size() && answer.at("question") != questions[at]) ++at;
      ASSERT_LT(at, names.size());
      for (const auto& [column, member] : each.columns) {
        const json& all = summary.at("tables").at(each.table);
        const json& value = answer.at(member);
        double own = std::nan("");
        for (std::size_t c = 0; c < all.at("columns").size(); ++c)
          if (all.at("columns").at(c).at("name") == column)
            for (const json& row : rows)
              if (row.at(0) == names[at] && !row.at(c).is_null()) own = row.at(c);
        if (std::isnan(own)) {
          EXPECT_TRUE(value.is_null()) << questions[at];
          continue;
        }
        EXPECT_NEAR(value.get<double>(), own, 2e-9 * std::abs(own) + 1e-12) << questions[at] << ": " << column;
        ++compared;
      }
    }
  }
  EXPECT_GT(compared, 200);
  // At 40 Hz and at a mode, and a PSD: of single nodes, where the worst place of the band is that of the frequency.
  const auto at_frequency = [&](const std::string& table, const std::string& when) {
    std::vector<std::string> questions;
    std::vector<json> rows;
    for (const json& row : summary.at("tables").at(table + ".asked").at("rows")) {
      const std::string name = row.at(table[0] == 's' ? 2 : 1);
      if (!name.starts_with("tip.") && !name.starts_with("box.")) continue;
      const double frequency = row.at(0);
      const bool is_mode = table[0] == 's' && row.at(1) != "";
      if (is_mode != (when == "mode 4")) continue;
      questions.push_back(fmt::format("{} in {} at {}", question_of(name), table,
                                      is_mode ? "mode 4" : fmt::format("{:.15g} Hz", frequency)));
      rows.push_back(row);
    }
    const json answers = asked(folder, "frame-results", questions);
    EXPECT_EQ(answers.size(), rows.size());
    EXPECT_FALSE(rows.empty()) << table << when;
    for (std::size_t k = 0; k < rows.size(); ++k) {
      const double own = rows[k].at(table[0] == 's' ? 3 : 2);
      EXPECT_NEAR(answers[k].at("value").get<double>(), own, 2e-9 * std::abs(own)) << questions[k];
      if (table[0] == 's' && !rows[k].at(5).is_null()) {
        EXPECT_NEAR(answers[k].at("phase").get<double>(), rows[k].at(5).get<double>(), 1e-6) << questions[k];
      }
    }
  };
  at_frequency("sine.x", "40 Hz");
  at_frequency("sine.z", "mode 4");
  at_frequency("random.x", "61 Hz");
}

// One node by its name, its number and a point beside it; a component at an instant is the cosine of its phase; in
// other units; a part by all its nodes is the largest of them. Curves are those of the run, fields those of its tables.
TEST(Ask, NamesPlacesInManyWaysAndDrawsCurvesAndFields) {
  const TemporaryFolder folder;
  (void)folder.write("frame.yaml", example("payload-frame/payload-frame.yaml"));
  ASSERT_EQ(run_program(folder, "run frame.yaml --audit 0").status, 1);
  const json summary = summary_of(folder, "frame-results");
  const json by_name = asked(folder, "frame-results", {"acceleration of tip in sine.x"});
  const std::string where = by_name[0].at("where");  // "mast (220, 0, 605) mm"
  const std::string point = where.substr(where.find('('));
  const json others =
      asked(folder, "frame-results",
            {"acceleration of " + point + " in sine.x", "acceleration of tip in sine.x as m/s^2",
             "acceleration.x of tip in sine.x at 40 Hz", "acceleration.x of tip in sine.x at 40 Hz phase 70 deg",
             "acceleration of mast in sine.x", "von Mises of struts in sine.y", "von Mises of strut in sine.y"});
  ASSERT_EQ(others.size(), 7U);
  const double value = by_name[0].at("value"), g = 9.80665;
  EXPECT_NEAR(others[0].at("value").get<double>() / value, 1, 1e-12);
  EXPECT_NEAR(others[1].at("value").get<double>() / value, g, 1e-9);
  const double amplitude = others[2].at("value"), phase = others[2].at("phase");
  EXPECT_NEAR(others[3].at("value").get<double>(), amplitude * std::cos((phase + 70) * std::acos(-1.0) / 180),
              1e-9 * amplitude);
  EXPECT_GE(others[4].at("value").get<double>(), value * (1 - 1e-12));
  EXPECT_NEAR(others[5].at("value").get<double>(), others[6].at("value").get<double>(), 1e-12);
  const Ran drawn =
      run_program(folder,
                  "ask frame-results \"curve of acceleration.x of tip in sine.x\" \"field of von Mises in "
                  "sine.x\" \"field of relative displacement in sine.x at mode 4 phase 30 deg\" \"field of "
                  "acceleration in random.z\" \"field of von Mises in sine.x at 40 Hz phase 90 deg\"");
  ASSERT_EQ(drawn.status, 0) << drawn.err;
  for (const char* file :
       {"tables/curve.1.sine.x.csv", "figures/curve.1.png", "fields/field.2.sine.x.beams.vtu",
        "figures/field.2.sine.x.png", "figures/field.3.sine.x.mode-4-phase-30-deg.png", "fields/field.4.random.z.vtu",
        "figures/field.5.sine.x.40-Hz-phase-90-deg.png", "answers.json"})
    EXPECT_TRUE(std::filesystem::exists(folder / "frame-ask-results" / file)) << file;
  // The curve has all points of that of the run, and more between them.
  std::istringstream curve(test::read_all(folder / "frame-ask-results/tables/curve.1.sine.x.csv")),
      curves(test::read_all(folder / "frame-results/tables/sine.x.curves.csv"));
  std::string own, all;
  std::getline(curve, own);
  std::getline(curves, all);
  EXPECT_EQ(own, "frequency (Hz),amplitude (g),phase (°)");
  std::size_t column = 0;
  std::istringstream header(all);
  for (std::string name; std::getline(header, name, ',') && !name.starts_with("tip.acceleration.x");) ++column;
  int points = 0;
  for (; std::getline(curves, all); ++points) {
    while (std::getline(curve, own) && own.substr(0, own.find(',')) != all.substr(0, all.find(','))) continue;
    ASSERT_FALSE(own.empty()) << all;
    std::istringstream fields(all);
    std::string field;
    for (std::size_t c = 0; c <= column; ++c) std::getline(fields, field, ',');
    EXPECT_NEAR(std::stod(own.substr(own.find(',') + 1)), std::stod(field), 2e-9 * std::stod(field)) << points;
  }
  EXPECT_GT(points, 200);
  // The largest of the field is that of the table of stress.
  const Grid grid = read_vtu(test::read_all(folder / "frame-ask-results/fields/field.2.sine.x.beams.vtu"), "field");
  const std::vector<double>& values = grid.point_arrays.front().values;
  double largest = 0;
  for (const json& row : summary.at("tables").at("stress").at("rows"))
    if (row.at(1) == "sine.x") largest = std::max(largest, row.at(2).get<double>());
  EXPECT_NEAR(*std::max_element(values.begin(), values.end()) / largest, 1, 1e-8);
}

// Stress of shells and solids at one node, by components too, is what the run's table of every node has there; at an
// instant the component is the cosine of its phase.
TEST(Ask, LooksAtStressAtOneNode) {
  const TemporaryFolder folder;
  (void)folder.write("panel.yaml", example("panel-under-pressure.yaml"));
  ASSERT_EQ(run_program(folder, "run panel.yaml --audit 0").status, 0);
  const std::filesystem::path tables = folder / "panel-results/tables";
  int looked = 0;
  for (const auto& entry : std::filesystem::directory_iterator(tables)) {
    const std::string name = entry.path().filename().string();
    if (!name.ends_with(".stress.csv")) continue;
    const std::string load = name.substr(0, name.size() - std::string(".stress.csv").size());
    std::istringstream rows(test::read_all(entry.path()));
    std::string line;
    std::getline(rows, line);
    for (int k = 0; k < 3 && std::getline(rows, line); ++k) {  // the worst are located exactly
      std::istringstream fields(line);
      std::string part, node, skipped, value;
      std::getline(fields, part, ',');
      std::getline(fields, node, ',');
      for (int c = 0; c < 3; ++c) std::getline(fields, skipped, ',');
      std::getline(fields, value, ',');
      const json answers = asked(folder, "panel-results", {fmt::format("von Mises of node {} in {}", node, load)});
      ASSERT_FALSE(answers.empty());
      EXPECT_NEAR(answers[0].at("value").get<double>() / std::stod(value), 1, 1e-8) << load << ' ' << node;
      ++looked;
    }
  }
  EXPECT_GT(looked, 2);
}

TEST(Ask, SaysWhatItDoesNotUnderstand) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  ASSERT_EQ(run_program(folder, "run box.yaml --no-figures --audit 0").status, 0);
  const std::pair<const char*, const char*> cases[] = {
      {"accelaration of box in sine.z",
       "question 1:1:1: \"accelaration of box in sine.z\": no quantity \"accelaration\"; "
       "write \"acceleration\""},
      {"acceleration of bx in sine.z",
       "question 1:1:17: \"acceleration of bx in sine.z\": nothing called \"bx\" has the quantity "
       "acceleration; write \"box\""},
      {"acceleration of box in sin", "no environment \"sin\""},
      {"acceleration of box in sine.q", "sine.q"},
      {"acceleration.q of box in sine.z", "acceleration has no component \"q\""},
      {"acceleration of box in sine.z at 63", "63"},
      {"acceleration of box in sine.z at 63 mm", "\"63 mm\" is a length; write a frequency"},
      {"acceleration of box in sine.z at mode 99", "mode 99 is asked for, and there are"},
      {"acceleration of box in sine.z at 400 Hz", "no case asked for reaches 400 Hz"},
      {"acceleration of box in sine.z as mm", "\"mm\" is no unit of an acceleration"},
      {"acceleration of box in sine.z phase 4 deg", "a phase is one at a frequency"},
      {"acceleration of node 99 in sine.z", "there is no node 99; write 1 to"},
      {"acceleration of box of box", "nothing called"},
      {"relative motion of box in sine.z", "relative motion is that between two places"},
      {"relative motion of box and nde in sine.z", "\"nde\""},
      {"relative motion of box and node 99 in sine.z", "there is no node 99; write 1 to"},
      {"relative motion of box and node 1 along w in sine.z", "\"w\""},
      {"acceleration", "the question names no place"},
      {"of box", "the question names no quantity"},
      {"", "the question is empty"},
      {"acceleration of box in in", "\"in\" stands there twice"},
      {"acceleration of box in", "nothing stands behind \"in\""},
      {"field of travel in sine.z", "no field \"travel\""},
      {"field of von Mises in sine.z", "no case that was run has such a quantity"},
      {"field of relative displacement in sine.z", "a shape is one at a frequency"},
      {"transmissibility of box in random.z", "no case that was run has such a quantity"},
      {"von Mises of box in sine.z", "no part meets there"},
  };
  for (const auto& [question, message] : cases) {
    const Ran ran = run_program(folder, fmt::format("ask box-results \"{}\"", question));
    EXPECT_EQ(ran.status, 2) << question << ran.out;
    EXPECT_THAT(ran.err, HasSubstr(message)) << question;
    EXPECT_EQ(std::count(ran.err.begin(), ran.err.end(), '\n'), 1) << ran.err;
  }
  EXPECT_THAT(run_program(folder, "ask").err, HasSubstr("ask takes a folder of results and questions"));
  EXPECT_THAT(run_program(folder, "ask box-results").err, HasSubstr("no question was asked"));
  const Ran plain = run_program(folder, "ask box-results acceleration of box in sine.z");
  EXPECT_EQ(plain.status, 0) << plain.err;
  // Results of another kind or changed ones are refused.
  EXPECT_THAT(run_program(folder, "ask nowhere \"acceleration of box\"").err, HasSubstr("no plan is kept there"));
  (void)folder.write("box-results/plan/01-box.yaml", example("isolated-box.yaml") + "# more\n");
  const Ran changed = run_program(folder, "ask box-results \"acceleration of box\"");
  EXPECT_EQ(changed.status, 4);
  EXPECT_THAT(changed.err, HasSubstr("changed after it was written; run its plan again"));
}

// What a run keeps besides its modes makes answers quick and changes none of them, to the last digit: of loads, feet
// and dampers, of fields of pressure, whose patterns are made anew, of gravity, of chosen modes.
TEST(Ask, AnswersTheSameWithAndWithoutKeptProducts) {
  const TemporaryFolder folder;
  struct Case {
    const char* plan;
    const char* changes;
    const char* questions;
    bool quick;
  };
  for (const Case& each :
       {Case{"isolated-box.yaml", "", "\"acceleration of box in sine.z\" \"acceleration of box in random.z\"", true},
        Case{"isolated-box.yaml", "--set \"environments.sine.modes={first: 3}\"", "\"acceleration of box in sine.z\"",
             false},
        Case{"isolated-box.yaml", "--set \"environments.sine.modes={first: 3}\"", "\"acceleration of box in random.z\"",
             true},
        Case{"panel-under-pressure.yaml", "", "\"von Mises of panel in tone\" \"force of frame in noise\"", true},
        Case{"panel-under-pressure.yaml", "", "\"relative displacement of middle in flow\"", false},
        Case{"wheel-out-of-balance.yaml", "", "", true}, Case{"strut-between-fixtures.yaml", "", "", true}}) {
    (void)folder.write("plan.yaml", example(each.plan));
    const Ran run = run_program(folder, std::string("run plan.yaml --no-figures --audit 0 ") + each.changes);
    ASSERT_EQ(run.status, 0) << run.err;
    std::string questions = each.questions;
    if (questions.empty()) {  // all that is watched
      const json summary = summary_of(folder, "plan-results");
      for (const auto& [name, table] : summary.at("tables").items())
        if (name.ends_with(".peaks") || name.ends_with(".rms"))
          for (const json& row : table.at("rows"))
            questions += fmt::format(" \"{} in {}\"", question_of(row.at(0)), name.substr(0, name.rfind('.')));
    }
    const auto ask = [&] {
      const Ran ran = run_program(folder, "ask plan-results --json --verbose " + questions);
      EXPECT_EQ(ran.status, 0) << ran.err;
      EXPECT_NE(ran.out.find("\"value\""), std::string::npos) << each.plan;
      return ran;
    };
    const Ran with = ask();
    EXPECT_EQ(with.err.find("assembling") == std::string::npos, each.quick) << each.plan << with.err;
    const auto products = folder / "plan-results/products.h5";
    std::string bytes = test::read_all(products);
    bytes[bytes.size() / 2] ^= 1;
    (void)folder.write("plan-results/products.h5", bytes);
    EXPECT_EQ(ask().out, with.out);
    std::filesystem::remove(products);
    const Ran without = ask();
    EXPECT_EQ(without.out, with.out);
    EXPECT_THAT(without.err, HasSubstr("assembling"));
  }
}

// While runs replace the results again and again, a question is answered by the one or the other.
TEST(Ask, AnswersWhileARunWrites) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  ASSERT_EQ(run_program(folder, "run box.yaml --no-figures --audit 0").status, 0);
  const std::string program = AVRENK_PROGRAM;
  const Ran both = test::run_shell(
      folder, fmt::format("(for i in 1 2 3 4 5 6; do '{0}' run box.yaml --no-figures --audit 0 --quiet --set "
                          "\"damping.otherwise=$i %\"; done) & for i in 1 2 3 4 5 6 7 8 9 10 11 12; do '{0}' ask "
                          "box-results 'acceleration of box in sine.z' || exit 9; done; wait",
                          program));
  EXPECT_EQ(both.status, 0) << both.err;
}

}  // namespace
}  // namespace avrenk
