// Runs and measured curves side by side, as the user meets them.
#include <gmock/gmock.h>

#include <fmt/format.h>

#include <cmath>
#include <complex>
#include <functional>
#include <numbers>
#include <random>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::example;
using test::listing;
using test::Ran;
using test::run_program;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;
using Json = nlohmann::json;

TEST(Compare, FindsPartnersAndTellsWhatChanged) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  ASSERT_EQ(run_program(folder, "modes mast.yaml --no-figures --out a").status, 0);
  const Ran heavier =
      run_program(folder, "modes mast.yaml --no-figures --out b --set \"masses.antenna.mass=400 gram\"");
  ASSERT_EQ(heavier.status, 1) << heavier.err;  // below its limit
  const Ran ran = run_program(folder, "compare a b --out difference");
  EXPECT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Modes of the first run with their partners in the second"),
                             HasSubstr("carry 100 % of the first run's mass")));
  EXPECT_EQ(listing(folder / "difference"),
            "report.html\nsummary.json\ntables/limits-compared.csv\ntables/modal-assurance.csv\n"
            "tables/modes-compared.csv\ntables/plan-changes.csv\nwritten.txt\n");
  EXPECT_THAT(ran.out, HasSubstr("masses.antenna.mass  180 gram  400 gram"));
  const Json rows = Json::parse(test::read_all(folder / "difference/summary.json"))["tables"]["modes-compared"]["rows"];
  EXPECT_EQ(rows[0][2], "1");
  EXPECT_LT(rows[0][4].get<double>(), -20);  // a heavier antenna lowers it: %
  EXPECT_GT(rows[0][5].get<double>(), 0.9);
  EXPECT_THAT(run_program(folder, "compare a a").out, HasSubstr("runs are of the same model."));
  EXPECT_EQ(run_program(folder, "compare a").status, 2);
  EXPECT_THAT(run_program(folder, "compare a a").out, HasSubstr("Their plans do not differ."));
  const Ran none = run_program(folder, "compare a nowhere");
  EXPECT_EQ(none.status, 4);
  EXPECT_THAT(none.err, HasSubstr("nowhere: there is no such folder of results"));
  (void)folder.write("b/results.h5", "not a file of results");
  EXPECT_EQ(run_program(folder, "compare a b").status, 4);
}

// Rows of a table as maps from the names of its columns.
std::vector<std::map<std::string, Json>> rows_of(const TemporaryFolder& folder, const std::string& results,
                                                 const std::string& name) {
  const Json table = test::summary_of(folder, results)["tables"][name];
  std::vector<std::map<std::string, Json>> rows;
  for (const Json& row : table["rows"]) {
    std::map<std::string, Json>& own = rows.emplace_back();
    for (std::size_t i = 0; i < row.size(); ++i) own[table["columns"][i]["name"]] = row[i];
  }
  return rows;
}

// What changed a margin adds up to its change, and stands where it belongs.
TEST(Compare, SplitsTheChangeOfAMargin) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --out a").status, 0);
  // The mast along z has no bending: what rounding leaves of it is not audited.
  for (const auto& row : rows_of(folder, "a", "audit")) EXPECT_LT(std::abs(row.at("error").get<double>()), 1);
  struct Case {
    const char* set;
    const char* column;
    double decibels;
  };
  // A level 3 dB higher; twice the allowable; about twice the damping at the peak, which
  // the response follows.
  for (const Case& each : {Case{"environments.sine.level=\"0 dB\"", "input", 3},
                           Case{"limits.travel.allowable=\"20 mm\"", "allowable", 20 * std::log10(2)},
                           Case{"damping.otherwise=\"2.18 %\"", "response", -6}}) {
    ASSERT_EQ(run_program(folder, std::string("run mast.yaml --no-figures --out b --set ") + each.set).status, 0);
    ASSERT_EQ(run_program(folder, "compare a b --no-figures --out c").status, 0);
    for (const auto& row : rows_of(folder, "c", "limits-compared")) {
      if (row.at("limit") != "travel") continue;
      const auto number = [&](const char* name) { return row.at(name).get<double>(); };
      const double change = 20 * std::log10((1 + number("second") / 100) / (1 + number("first") / 100));
      EXPECT_NEAR(change, number("allowable") - number("factor") - number("input") - number("response"), 1e-6);
      for (const char* name : {"allowable", "factor", "input", "response"})
        EXPECT_NEAR(number(name), name == std::string(each.column) ? each.decibels : 0, 0.2) << each.set << name;
    }
    const std::string set = each.set, key = set.substr(0, set.find('='));
    const auto changes = rows_of(folder, "c", "plan-changes");
    EXPECT_FALSE(changes.empty()) << set;
    for (const auto& change : changes) EXPECT_TRUE(change.at("value").get<std::string>().starts_with(key)) << set;
  }
}

// One mode of 0.5 g base acceleration: the acceleration of its mass, as a bench would have it.
std::string measured(const std::string& header, double f0, double damping, double noise,
                     const std::function<std::string(double f, std::complex<double>)>& fields) {
  std::mt19937 random(7);
  std::normal_distribution<double> normal(0, noise);
  std::string text = header + "\n";
  for (int k = 0; k <= 600; ++k) {
    const double f = 10 + 0.1 * k;
    const std::complex<double> loss(0, 2 * damping * f0 * f);
    const std::complex<double> answer = (f0 * f0 + loss) / (f0 * f0 - f * f + loss);
    text += fmt::format("{},{}\n", f, fields(f, answer + std::complex<double>(normal(random), normal(random))));
  }
  return text;
}

TEST(Compare, PutsMeasuredCurvesBesideRuns) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const std::string random =
      " --set \"profiles.rough={random: {acceleration: [[10 Hz, 0.01 g^2/Hz], [200 Hz, 0.01 g^2/Hz]]}}\""
      " --set \"environments.noise={profile: rough, axes: x}\"";
  const Ran first = run_program(folder, "run mast.yaml --no-figures --out a" + random);
  ASSERT_EQ(first.status, 0) << first.err;
  using Value = std::complex<double>;
  const double f0 = 27.5, damping = 0.0138, g = 0.5 * std::pow(10, -0.15);  // the input of the run, -3 dB
  struct Case {
    const char* name;
    std::string header, in;
    double noise;
    std::function<std::string(double, Value)> fields;
    double highest;  // of the curve without noise, in the unit of the comparison
    const char* unit;
  };
  const auto degrees = [](Value v) { return std::arg(v) * 180 / std::numbers::pi; };
  const double peak = 1 / (2 * damping);
  const Case cases[] = {
      {"magnitude.csv", "frequency (Hz),tip.acceleration.x (g),tip.acceleration.x phase (deg)", "sine.x", 0,
       [&](double, Value v) { return fmt::format("{:.10g},{:.10g}", g * std::abs(v), degrees(v)); }, g * peak, "g"},
      {"parts.csv", "frequency (Hz),tip.acceleration.x real (m/s^2),tip.acceleration.x imaginary (m/s^2)", "sine.x",
       0.02,
       [&](double, Value v) { return fmt::format("{:.10g},{:.10g}", 9.80665 * g * v.real(), 9.80665 * g * v.imag()); },
       g * peak, "g"},
      {"ratio.csv", "frequency (Hz),tip.acceleration.x (1)", "sine.x", 0,
       [&](double, Value v) { return fmt::format("{:.10g}", std::abs(v)); }, peak, "g/g"},
      {"low.csv", "frequency (Hz),input (g),tip.acceleration.x (g),tip.acceleration.x phase (rad)", "sine.x", 0.02,
       [&](double f, Value v) {
         return fmt::format("{0:.10g},{1:.10g},{2:.10g}", 0.01 * f, 0.01 * f * std::abs(v), std::arg(v));
       },
       peak, "g/g"},
      {"noise.csv", "frequency (Hz),tip.acceleration.x (g^2/Hz)", "noise.x", 0,
       [&](double, Value v) { return fmt::format("{:.10g}", 0.01 * std::norm(v)); }, 0.01 * peak * peak, "g²/Hz"},
  };
  for (const Case& each : cases) {
    (void)folder.write(each.name, measured(each.header, f0, damping, each.noise, each.fields));
    const Ran ran = run_program(folder, fmt::format("compare a {}:{} --out c", each.name, each.in));
    ASSERT_EQ(ran.status, 0) << ran.err;
    const std::string stem = std::filesystem::path(each.name).stem();
    int found = 0;
    for (const auto& row : rows_of(folder, "c", "peaks-compared")) {
      if (row.at("source") != stem) continue;
      ++found;
      // Without noise to what a relative displacement's half-power start allows; with it within four standard errors.
      const auto number = [&](const char* name) { return row.at(name).get<double>(); };
      EXPECT_NEAR(number("mode"), f0, each.noise > 0 ? 4 * number("± ") : 1e-4) << each.name;
      EXPECT_NEAR(number("damping"), 100 * damping, each.noise > 0 ? 4 * number("±") : 1e-3) << each.name;
      EXPECT_NEAR(number("value") / each.highest, 1, 0.02) << each.name;
      EXPECT_EQ(row.at("unit"), each.unit);
      EXPECT_NEAR(number("moved"), 100 * (f0 / 28.36 - 1), 0.1) << each.name;
    }
    EXPECT_EQ(found, 1) << each.name;
    EXPECT_THAT(ran.out, AllOf(HasSubstr(fmt::format("{} (measured, {})", stem, each.in)),
                               HasSubstr(fmt::format("tip.acceleration.x in {}: peaks", each.in))));
    const std::string figure = fmt::format("figures/compared.{}.tip.acceleration.x.svg", each.in);
    EXPECT_THAT(listing(folder / "c"), HasSubstr(figure));
    EXPECT_THAT(test::read_all(folder / "c" / figure), HasSubstr(stem));
    EXPECT_THAT(test::read_all(folder / "c/report.html"), AllOf(HasSubstr("beside one another"), HasSubstr(figure)));
  }
  // Names that no file may have.
  (void)folder.write(
      "odd.yaml", test::replaced(test::replaced(example("mast.yaml"), "  tip:  {at: tip", "  \"a/b<c' d\": {at: tip"),
                                 "of: tip.relative displacement", "of: \"a/b<c' d.relative displacement\""));
  (void)folder.write("odd.csv", test::replaced(test::read_all(folder / "magnitude.csv"),
                                               "tip.acceleration.x (g),tip.acceleration.x phase",
                                               "a/b<c' d.acceleration.x (g),a/b<c' d.acceleration.x phase"));
  ASSERT_EQ(run_program(folder, "run odd.yaml --no-figures --audit 0 --out odd").status, 0);
  const Ran odd = run_program(folder, "compare odd odd.csv:sine.x odd --out c");
  EXPECT_EQ(odd.status, 0) << odd.err;
  EXPECT_THAT(listing(folder / "c/figures"), HasSubstr("compared.sine.x.a_b_c_ d.acceleration"));
  // Measured ones alone, and a file that is called like its case.
  (void)folder.write("sine.x.csv", test::read_all(folder / "magnitude.csv"));
  EXPECT_EQ(run_program(folder, "compare a sine.x.csv").status, 0);
  const Ran alone = run_program(folder, "compare magnitude.csv parts.csv");
  EXPECT_EQ(alone.status, 0) << alone.err;
  EXPECT_THAT(alone.out, HasSubstr("tip.acceleration.x: peaks"));
  const Ran three = run_program(folder, "compare a a ratio.csv:sine.x");
  EXPECT_EQ(three.status, 0) << three.err;
}

// The example: a mast that is softer and better damped on the bench than in the plan.
TEST(Compare, ReadsTheMeasurementOfTheExample) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  (void)folder.write("mast-on-bench.csv", example("mast-on-bench.csv"));
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures").status, 0);
  ASSERT_EQ(run_program(folder, "compare mast-results mast-on-bench.csv:sine.x --no-figures --out c").status, 0);
  const auto rows = rows_of(folder, "c", "peaks-compared");
  ASSERT_EQ(rows.size(), 2U);
  EXPECT_NEAR(rows[0].at("mode").get<double>(), 28.3601, 1e-4);  // mode 1 of the run
  EXPECT_NEAR(rows[1].at("mode").get<double>(), 27.4911, 0.01);  // made with 54.5 GPa instead of 58: √ of their ratio
  EXPECT_NEAR(rows[1].at("damping").get<double>(), 1.45, 0.03);  // and with 1.45 %
}

TEST(Compare, SaysWhatAMeasuredFileLacks) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --out a").status, 0);
  struct Case {
    std::string content, sentence;
    const char* in = ":sine.x";
    int status = 2;
  };
  const Case cases[] = {
      {"", "m.csv:1:1: the file is empty; write its header as in: frequency (Hz),box.acceleration.z (g)"},
      {"frequency (Hz)\n1\n", "m.csv:1:1: the file has one column only"},
      {"frequency (Hz),tip.acceleration.x (g)\n", "the file has a header and no numbers"},
      {"frequency,tip.acceleration.x (g)\n1,1\n", "m.csv:1:1: column \"frequency\" has no unit"},
      {"frequency (mm),tip.acceleration.x (g)\n1,1\n", "the first column, \"frequency\", is no frequency"},
      {"frequency (Hz),tip.acceleration.x\n1,1\n", "m.csv:1:16: column \"tip.acceleration.x\" has no unit"},
      {"frequency (Hz),tip.acceleration.x (gee)\n1,1\n", "m.csv:1:16: "},
      {"frequency (Hz),tip.aceleration.x (g)\n1,1\n",
       "no \"tip.aceleration.x\" is watched; write \"tip.acceleration.x\""},
      {"frequency (Hz),tip.acceleration.x (mm)\n1,1\n",
       "\"tip.acceleration.x\" is measured in mm, the run has it in g; give it in such a unit"},
      {"frequency (Hz),tip.acceleration.x (g)\n1,1\n2,x\n", "m.csv:3:3: \"x\" is no number"},
      {"frequency (Hz),tip.acceleration.x (g)\n1,1\n2,nan\n", "1 of its numbers are missing"},
      {"frequency (Hz),tip.acceleration.x (g)\n2,1\n1,1\n", "m.csv:3:1: the frequency 1 does not rise"},
      {"frequency (Hz),tip.acceleration.x (g)\n1,-1\n", "m.csv:2:3: the magnitude -1 is negative"},
      {"frequency (Hz),tip.acceleration.x (g)\n1,1,1\n", "m.csv:2:1: the line has 3 fields, the header names 2"},
      {"frequency (Hz),tip.acceleration.x phase (deg)\n1,1\n", "has a phase and no magnitude"},
      {"frequency (Hz),tip.acceleration.x (g),tip.acceleration.x phase (g)\n1,1,1\n", "is in g; give it in deg or rad"},
      {"frequency (Hz),tip.acceleration.x real (g)\n1,1\n", "not just a real and an imaginary part"},
      {"frequency (Hz),tip.acceleration.x (g),tip.acceleration.x (g)\n1,1,1\n",
       "m.csv:1:39: two columns are called \"tip.acceleration.x\""},
      {"frequency (Hz),input (g)\n1,1\n", "the file holds no response"},
      {"frequency (Hz),tip.acceleration.x (g)\n1,1\n2,1\n", "no run has a case \"sine.y\"; write", ":sine.y"},
      {"frequency (Hz),tip.acceleration.x (g)\n1,1\n2,1\n",
       "it may be of any of the cases sine.x, sine.z; write m.csv:sine.x for one of them", ""},
      {"frequency (Hz),tip.relative displacement.x (1)\n1,1\n2,1\n", "is measured in 1, the run has it in mm"},
  };
  for (const Case& each : cases) {
    (void)folder.write("m.csv", each.content);
    const Ran ran = run_program(folder, fmt::format("compare a m.csv{} --out c", each.in));
    EXPECT_EQ(ran.status, each.status) << each.content;
    EXPECT_THAT(ran.err, HasSubstr(each.sentence)) << each.content;
    EXPECT_EQ(std::count(ran.err.begin(), ran.err.end(), '\n'), 1) << ran.err;
    EXPECT_FALSE(std::filesystem::exists(folder / "c"));
  }
  EXPECT_EQ(run_program(folder, "compare a nowhere.csv").status, 4);
  // Curves of one point, of zeros, and of a flat line have no peak and no likeness; that is said by dashes.
  for (const char* rows : {"30,1\n", "20,0\n30,0\n40,0\n", "20,1\n30,1\n40,1\n"}) {
    (void)folder.write("m.csv", std::string("frequency (Hz),tip.acceleration.x (g)\n") + rows);
    const Ran ran = run_program(folder, "compare a m.csv:sine.x --out c");
    EXPECT_EQ(ran.status, 0) << rows << ran.err;
    EXPECT_THAT(ran.out, AllOf(HasSubstr("tip.acceleration.x"), Not(HasSubstr("nan")), Not(HasSubstr("inf")))) << rows;
  }
  // Results without a summary, and with a broken one.
  std::filesystem::remove(folder / "a/summary.json");
  EXPECT_EQ(run_program(folder, "compare a a").status, 0);
  for (const char* broken : {"", "[]", "{\"layout\": 99, \"tables\": {}}", "{\"layout\": 1, \"tables\": {\"a\": 3}}"}) {
    (void)folder.write("a/summary.json", broken);
    const Ran ran = run_program(folder, "compare a a");
    EXPECT_EQ(ran.status, 4) << broken;
    EXPECT_THAT(ran.err, HasSubstr("summary.json")) << broken;
  }
}

}  // namespace
}  // namespace avrenk
