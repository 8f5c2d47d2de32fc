// A model brought to a measurement: margins are those of the model that the curves were made from.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cstdio>
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

// Two rods on one base whose first modes make one peak of its force.
const char* const pair = R"(materials:
  alloy: {E: 70 GPa, nu: 0.3, density: 2700 kg/m^3}
  other: {E: 70 GPa, nu: 0.3, density: 2700 kg/m^3}
parts:
  long: {line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, 404 mm], divisions: 8}, section: {rectangle: {width: 14 mm, height: 10 mm}}, material: alloy}
  short: {line: {from: [50 mm, 0 mm, 0 mm], to: [50 mm, 0 mm, 400 mm], divisions: 8}, section: {rectangle: {width: 14 mm, height: 10 mm}}, material: other}
places: {root: {part: [long, short], plane: {z: 0 mm}}}
base: {fixture: {place: root}}
damping: {otherwise: 2 %}
watch: {fixture: {base: fixture, quantities: [force]}}
profiles: {sweep: {sine: {acceleration: [[20 Hz, 0.5 g], [200 Hz, 0.5 g]]}}}
environments: {sine: {profile: sweep, axes: [x]}}
limits: {push: {of: fixture.force.x, in: sine, take: peak, allowable: 10 kN}}
)";

double margin_with(const nlohmann::json& summary, const std::string& limit, std::size_t column) {
  for (const auto& row : summary["tables"]["updated-margins"]["rows"])
    if (row[0] == limit) return row[column].get<double>();
  ADD_FAILURE() << limit;
  return std::nan("");
}

// The mast of a softer laminate, damped otherwise, is run; its curves are what a bench would measure of it, with and
// without their phase. The plan of the stiffer one, brought to them, has the frequencies, damping and margins of the
// softer one: its shapes are the same, so that nothing else differs. Of magnitudes alone the fit is rougher.
TEST(Update, HasTheMarginsOfWhatWasMeasured) {
  const TemporaryFolder folder;
  const std::string mast =
      replaced(example("mast.yaml"), "[[5 Hz, 0.5 g], [200 Hz, 0.5 g]]", "[[5 Hz, 0.5 g], [500 Hz, 0.5 g]]");
  (void)folder.write("mast.yaml", mast);
  const std::string softer = "--set \"materials.laminate.E=54.5 GPa\" --set \"damping.otherwise=1.45 %\"";
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --audit 0 --out bench " + softer).status, 0);
  const auto bench = summary_of(folder, "bench");
  const std::string curves = test::read_all(folder / "bench/tables/sine.x.curves.csv");
  (void)folder.write("phase.csv", curves);
  const Ran ran = run_program(folder, "update mast.yaml phase.csv:sine.x");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Verdict: go"), HasSubstr("tip.acceleration")));
  auto summary = summary_of(folder, "mast-update-results");
  const double first = cell(bench, "limits", "first", "margin");
  EXPECT_NEAR(margin_with(summary, "first", 3), first, 1e-3);
  EXPECT_NEAR((1 + margin_with(summary, "travel", 3) / 100) / (1 + cell(bench, "limits", "travel", "margin") / 100), 1,
              2e-3);
  EXPECT_GT(std::abs(margin_with(summary, "travel", 2) - margin_with(summary, "travel", 3)), 5) << "it was another";
  const auto& mode = summary["tables"]["updated-modes"]["rows"][0];
  EXPECT_NEAR(mode[2].get<double>() / (mode[1].get<double>() * std::sqrt(54.5 / 58)), 1, 1e-5);
  EXPECT_NEAR(mode[6].get<double>(), 1.45, 0.003);
  ASSERT_GE(summary["tables"]["updated-modes"]["rows"].size(), 2U) << "the second mode in the band too";

  // Limits decide, and notches are those of what was measured.
  const Ran refused = run_program(folder, "update mast.yaml phase.csv:sine.x --set \"limits.first.above=28 Hz\"");
  EXPECT_EQ(refused.status, 1);
  EXPECT_THAT(refused.out, HasSubstr("Verdict: no-go: first is exceeded"));
  const std::string notch = " --set \"limits.travel.allowable=3 mm\" --set limits.travel.notch=yes";
  EXPECT_EQ(run_program(folder, "update mast.yaml phase.csv:sine.x" + notch).status, 0);
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --audit 0 --out notched " + softer + notch).status, 0);
  EXPECT_NEAR(cell(summary_of(folder, "mast-update-results"), "notches", "sine.x", "depth"),
              cell(summary_of(folder, "notched"), "notches", "sine.x", "depth"), 0.05);

  (void)folder.write("mast-on-bench.csv", example("mast-on-bench.csv"));
  EXPECT_EQ(run_program(folder, "update mast.yaml mast-on-bench.csv:sine.x").status, 0);
  summary = summary_of(folder, "mast-update-results");
  EXPECT_NEAR(margin_with(summary, "first", 3), first, 0.1) << "noise of the example";
  EXPECT_NEAR((1 + margin_with(summary, "travel", 3) / 100) / (1 + cell(bench, "limits", "travel", "margin") / 100), 1,
              0.05);
}

// Two modes under one peak, each moved its own way in the piece, are fitted as two and give its margin; where they lie
// upon one another, or phases are missing, it is said that they were not told apart; a share that is another is said
// too.
TEST(Update, TellsTwoModesUnderOnePeakApart) {
  const TemporaryFolder folder;
  (void)folder.write("pair.yaml", pair);
  const auto updated = [&](const std::string& piece, const std::string& columns = "") {
    EXPECT_EQ(run_program(folder, "run pair.yaml --no-figures --audit 0 --out bench " + piece).status, 0);
    std::string curves = test::read_all(folder / "bench/tables/sine.x.curves.csv");
    if (!columns.empty()) {  // of frequency, input and one magnitude alone
      std::istringstream lines(curves);
      curves.clear();
      for (std::string line; std::getline(lines, line);) {
        std::vector<std::string> cells;
        std::istringstream row(line);
        for (std::string cell; std::getline(row, cell, ',');) cells.push_back(cell);
        curves += fmt::format("{},{},{}\n", cells.at(0), cells.at(1), cells.at(2));
      }
    }
    (void)folder.write("piece.csv", curves);
    return run_program(folder, "update pair.yaml piece.csv:sine.x");
  };
  const std::string apart =
      "--set \"materials.alloy.E=71 GPa\" --set \"materials.other.E=69 GPa\" "
      "--set \"damping.otherwise=1.7 %\"";
  const Ran ran = updated(apart);
  EXPECT_EQ(ran.status, 0) << ran.out << ran.err;
  EXPECT_THAT(ran.out, testing::Not(HasSubstr("fixture.force.y"))) << "nothing moves across";
  const auto summary = summary_of(folder, "pair-update-results");
  const auto& modes = summary["tables"]["updated-modes"]["rows"];
  ASSERT_GE(modes.size(), 2U);
  for (const auto& [row, stiffness] : {std::pair{0U, 71.0}, {1U, 69.0}}) {
    EXPECT_NEAR(modes[row][2].get<double>() / (modes[row][1].get<double>() * std::sqrt(stiffness / 70)), 1, 1e-5);
    EXPECT_NEAR(modes[row][6].get<double>(), 1.7, 1e-3);
  }
  EXPECT_NEAR((1 + margin_with(summary, "push", 3) / 100) /
                  (1 + cell(summary_of(folder, "bench"), "limits", "push", "margin") / 100),
              1, 1e-4);

  EXPECT_THAT(updated("--set \"materials.alloy.E=72.844 GPa\"").err, HasSubstr("the curve does not tell them apart"));
  EXPECT_THAT(updated(apart, "magnitudes").err, HasSubstr("the curve does not tell them apart"));
  // A lighter rod beside a heavier one that is as stiff for its mass.
  EXPECT_THAT(
      updated(
          apart +
          " --set \"parts.short.section={rectangle: {width: 14 mm, height: 4 mm}}\" --set \"materials.other.E=69 GPa\"")
          .err,
      HasSubstr("its shape is another"));
}

// A spectral density over its input's is the square of the same ratio: both forms of one measurement say the same.
TEST(Update, ReadsPowerSpectralDensitiesAsSquares) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  std::string amplitudes = "frequency (Hz),input (g),tip.acceleration.x (g)\n", densities = amplitudes;
  for (std::size_t at = 0; (at = densities.find("(g)", at)) != std::string::npos;) densities.replace(at, 3, "(g^2/Hz)");
  std::istringstream lines(example("mast-on-bench.csv"));
  std::string line;
  std::getline(lines, line);
  while (std::getline(lines, line)) {
    double frequency = 0, input = 0, tip = 0;
    ASSERT_EQ(std::sscanf(line.c_str(), "%lf,%lf,%lf", &frequency, &input, &tip), 3) << line;
    amplitudes += fmt::format("{},{},{}\n", frequency, input, tip);
    densities += fmt::format("{},{},{}\n", frequency, input * input, tip * tip);
  }
  (void)folder.write("amplitudes.csv", amplitudes);
  (void)folder.write("densities.csv", densities);
  ASSERT_EQ(run_program(folder, "update mast.yaml amplitudes.csv:sine.x --out amplitudes").status, 0);
  ASSERT_EQ(run_program(folder, "update mast.yaml densities.csv:sine.x --out densities").status, 0);
  for (const char* limit : {"first", "travel"})
    EXPECT_NEAR(margin_with(summary_of(folder, "densities"), limit, 3),
                margin_with(summary_of(folder, "amplitudes"), limit, 3), 1e-6)
        << limit;
}

// Limits that are met are no "go" where what was measured does not bear them: a mode that is nowhere near, a limit that
// is governed by a mode that no curve shows.
TEST(Update, DoesNotSayGoWithoutReason) {
  const TemporaryFolder folder;
  const std::string mast =
      replaced(example("mast.yaml"), "[[5 Hz, 0.5 g], [200 Hz, 0.5 g]]", "[[5 Hz, 0.5 g], [500 Hz, 0.5 g]]");
  (void)folder.write("mast.yaml", mast);
  const auto measured = [&](const char* name, const std::string& run) {
    EXPECT_LE(run_program(folder, run + " --no-figures --audit 0 --out bench").status, 1);
    (void)folder.write(name, test::read_all(folder / "bench/tables/sine.x.curves.csv"));
  };
  measured("stiff.csv", "run mast.yaml --set \"materials.laminate.E=118 GPa\"");
  measured("same.csv", "run mast.yaml");
  (void)folder.write("bench.csv", example("mast-on-bench.csv"));
  const std::tuple<const char*, const char*, const char*> cases[] = {
      {"mast.yaml stiff.csv:sine.x", "", "is no mode of the model within a fifth of it"},
      {"mast.yaml same.csv:sine.x", "--set limits.travel.in=sine.z", "limit travel is governed by mode"},
      {"mast.yaml bench.csv:sine.x",
       "--set \"limits.first={of: frequency, along: y, effective mass above: 10 %, above: 25 Hz}\"",
       "limit first is governed by mode"}};
  for (const auto& [files, more, doubt] : cases) {
    SCOPED_TRACE(files);
    const Ran ran = run_program(folder, fmt::format("update {} {}", files, more));
    EXPECT_EQ(ran.status, 1);
    EXPECT_THAT(ran.out, HasSubstr("no-go: all limits are met, but "));
    EXPECT_THAT(ran.err, HasSubstr(doubt));
  }
  EXPECT_EQ(run_program(folder, "update mast.yaml same.csv:sine.x").status, 0);
}

TEST(Update, SaysWhatItLacks) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  (void)folder.write("m.csv", example("mast-on-bench.csv"));
  (void)folder.write("bare.csv", "frequency (Hz),tip.acceleration.x (g)\n10,1\n20,2\n30,1\n40,1\n");
  (void)folder.write(
      "phaseless.csv",
      "frequency (Hz),input (g),tip.acceleration.x (g),tip.acceleration.x phase (deg)\n10,1,1,0\n20,1,2,nan\n"
      "30,1,1,-170\n40,1,1,-175\n");
  (void)folder.write("other.csv", "frequency (Hz),input (g),tap.acceleration.x (g)\n10,1,1\n20,1,2\n30,1,1\n40,1,1\n");
  (void)folder.write("flat.csv", "frequency (Hz),input (g),tip.acceleration.x (g)\n10,1,1\n20,1,1\n30,1,1\n40,1,1\n");
  std::istringstream bench(example("mast-on-bench.csv"));
  std::string turned;  // every phase with the other sign
  for (std::string line; std::getline(bench, line);) {
    const std::size_t last = line.rfind(',') + 1;
    turned += turned.empty()      ? line
              : line[last] == '-' ? line.substr(0, last) + line.substr(last + 1)
                                  : line.substr(0, last) + "-" + line.substr(last);
    turned += "\n";
  }
  (void)folder.write("turned.csv", turned);
  const std::string whole = example("mast.yaml");
  (void)folder.write("no-limits.yaml", whole.substr(0, whole.find("limits:")));
  for (const auto& [arguments, message] :
       {std::pair{"update", "update needs a plan"},
        {"update mast.yaml", "update needs a measured curve"},
        {"update mast.yaml m.csv", "m.csv does not say in which case it was measured; write m.csv:sine.x"},
        {"update mast.yaml m.csv:sine.q", "the plan has no case \"sine.q\" of motion of its base"},
        {"update mast.yaml none.csv:sine.x", "none.csv: there is no such file"},
        {"update mast.yaml bare.csv:sine.x", "it is not over its input, which is not known"},
        {"update mast.yaml phaseless.csv:sine.x", "some of its numbers are missing"},
        {"update mast.yaml other.csv:sine.x", "it is not watched as a motion or a force; write \"tip.acceleration.x\""},
        {"update mast.yaml flat.csv:sine.x", "no curve shows a mode"},
        {"update mast.yaml turned.csv:sine.x", "its phase rises through its highest peak"},
        {"update no-limits.yaml m.csv:sine.x", "the plan has no limits"},
        {"update mast.yaml m.csv:sine.x more", "update does not take \"more\""}}) {
    const Ran ran = run_program(folder, arguments);
    EXPECT_GE(ran.status, 2) << arguments;
    EXPECT_THAT(ran.err, HasSubstr(message)) << arguments;
  }
  EXPECT_FALSE(std::filesystem::exists(folder / "mast-update-results"));
}

}  // namespace
}  // namespace avrenk
