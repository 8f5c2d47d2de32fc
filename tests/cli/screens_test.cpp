// Two screens that answer, whatever the number of environments; all tables with --full or when asked for.
#include <gmock/gmock.h>

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
using Json = nlohmann::json;

std::ptrdiff_t lines_of(const std::string& text) { return std::count(text.begin(), text.end(), '\n'); }

// The mast with twenty sines, forty limits, and noise.
std::string mast_of_many() {
  std::string plan = example("mast.yaml");
  std::string environments = "environments:\n", limits = "limits:\n";
  for (int k = 0; k < 20; ++k) {
    environments +=
        "  sine" + std::to_string(k) + ": {profile: sweep, axes: [x, z], level: -" + std::to_string(k) + " dB}\n";
    for (const char* of : {"acceleration", "relative displacement"})
      limits += "  l" + std::to_string(k) + of[0] + ": {of: tip." + of + ", in: sine" + std::to_string(k) +
                ", take: peak, allowable: " + (of[0] == 'a' ? "9 g" : "10 mm") + "}\n";
  }
  plan = replaced(plan, "profiles:\n", "profiles:\n  shake: {random: [[20 Hz, 0.02 g^2/Hz], [500 Hz, 0.02 g^2/Hz]]}\n");
  plan = replaced(plan, "environments:\n", environments + "  random: {profile: shake, axes: [x, z]}\n");
  return replaced(plan, "limits:\n", limits);
}

TEST(TwoScreens, AnswerWhateverTheNumberOfEnvironments) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", mast_of_many());
  for (const char* command : {"run", "modes", "sine", "random", "check"}) {
    SCOPED_TRACE(command);
    const Ran brief = run_program(folder, std::string(command) + " mast.yaml --no-figures"),
              full = run_program(folder, std::string(command) + " mast.yaml --no-figures --full");
    EXPECT_EQ(brief.status, full.status);
    EXPECT_LE(lines_of(brief.out), 80) << brief.out;
    EXPECT_GT(lines_of(full.out), lines_of(brief.out));
    EXPECT_THAT(full.out, Not(HasSubstr("Tables:")));
    EXPECT_THAT(brief.out, HasSubstr("Tables:  --full prints all; avrenk ask RESULTS tables lists them"));
    if (std::string(command) == "check") continue;
    // What is left out is named with its file, which is there, and has it.
    for (std::size_t at = brief.out.find(" more in "); at != std::string::npos;
         at = brief.out.find(" more in ", at + 1)) {
      const std::size_t from = at + 9;
      const std::string file = brief.out.substr(from, brief.out.find(".csv", from) + 4 - from);
      EXPECT_TRUE(std::filesystem::exists(
          folder /
          ((std::string(command) == "run" ? "mast-results/" : std::string("mast-") + command + "-results/") + file)))
          << file;
    }
    EXPECT_GT(brief.out.rfind("Verdict: "), brief.out.rfind("Limits, worst first"));
  }
}

// The largest of each watched quantity is the largest of all tables, with the case and frequency that they have.
TEST(TwoScreens, HaveTheLargestOfAllCases) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", mast_of_many());
  const Ran ran = run_program(folder, "run mast.yaml --no-figures --audit 0");
  EXPECT_EQ(ran.status, 1) << ran.err;
  const Json summary = summary_of(folder, "mast-results");
  for (const Json& row : summary["tables"]["headlines"]["rows"]) {
    const std::string watched = row[0];
    SCOPED_TRACE(watched);
    double peak = -1, at = 0, rms = -1;
    std::string peak_in, rms_in;
    for (const auto& [name, table] : summary["tables"].items()) {
      const bool sine = name.ends_with(".peaks");
      if (!sine && !name.ends_with(".rms")) continue;
      const double value = cell(summary, name, watched, sine ? "peak" : "RMS=1σ");
      double& largest = sine ? peak : rms;
      if (value <= largest) continue;
      largest = value;
      (sine ? peak_in : rms_in) = name.substr(0, name.rfind('.'));
      if (sine) at = cell(summary, name, watched, "at");
    }
    EXPECT_EQ(cell(summary, "headlines", watched, "sine peak"), peak);
    EXPECT_EQ(cell(summary, "headlines", watched, "at"), at);
    EXPECT_EQ(cell(summary, "headlines", watched, "RMS"), rms);
    EXPECT_EQ(row[6], peak_in);
    EXPECT_EQ(row[8], rms_in);
  }
  // A margin knows what makes it.
  const Json& limits = summary["tables"]["limits"];
  EXPECT_EQ(cell(summary, "limits", "l0a", "at"), cell(summary, "headlines", "tip.acceleration", "at"));
  EXPECT_THAT(ran.out, AllOf(HasSubstr("What makes the worst\n"), HasSubstr("l0a: mode 1 at 28.")));
  EXPECT_EQ(limits["rows"][0][0], "l0a");
  // Where it is exceeded, at whose ends the answer is what is allowed.
  std::size_t c = 0;
  while (limits["columns"][c]["name"] != "exceeded over") ++c;
  const std::string bands = limits["rows"][0][c];
  double from = 0, to = 0;
  ASSERT_EQ(std::sscanf(bands.c_str(), "%lf to %lf Hz", &from, &to), 2) << bands;
  for (const double edge : {from, to}) {
    const Ran asked = run_program(
        folder, "ask mast-results --json \"acceleration of tip in sine0.x at " + std::to_string(edge) + " Hz\"");
    ASSERT_EQ(asked.status, 0) << asked.err;
    EXPECT_NEAR(Json::parse(asked.out)["answers"][0]["value"].get<double>(), 9, 0.2) << edge;
  }
  EXPECT_THAT(ran.out, HasSubstr("exceeded from " + bands));
}

TEST(TwoScreens, TablesOfARunAreAskedFor) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures --audit 0").status, 0);
  const Json summary = summary_of(folder, "mast-results");
  const Ran list = run_program(folder, "ask mast-results tables");
  EXPECT_EQ(list.status, 0) << list.err;
  for (const auto& [name, table] : summary["tables"].items()) {
    EXPECT_THAT(list.out, HasSubstr("\n" + name + " ")) << name;
    const Ran one = run_program(folder, "ask mast-results \"table " + name + "\"");
    EXPECT_EQ(one.status, 0) << one.err;
    EXPECT_THAT(one.out, testing::StartsWith("\n" + name + "\n"));
    EXPECT_GE(lines_of(one.out), static_cast<std::ptrdiff_t>(table["rows"].size() + 3));
  }
  const std::tuple<const char*, int, const char*> wrong[] = {
      {"\"table limts\"", 2, "mast-results has no table \"limts\"; write \"limits\"\n"},
      {"tables \"acceleration of tip in sine.x\"", 2, "tables of a run are printed by themselves"},
  };
  for (const auto& [question, status, sentence] : wrong) {
    const Ran ran = run_program(folder, std::string("ask mast-results ") + question);
    EXPECT_EQ(ran.status, status) << question;
    EXPECT_THAT(ran.err, HasSubstr(sentence));
  }
  EXPECT_EQ(run_program(folder, "ask nowhere tables").status, 4);
}

// A stress above the yield of the material is told without being asked for, wherever stress is looked at.
TEST(TwoScreens, WarnOfPartsThatYield) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  for (const auto& [yield, warns] : {std::pair{"0.5 MPa", true}, {"5 GPa", false}}) {
    const Ran ran =
        run_program(folder, std::string("run mast.yaml --audit 0 --set materials.laminate.yield=\"") + yield + "\"");
    const bool warned = ran.err.find("avrenk: warning: part mast: its von Mises stress reaches ") != std::string::npos;
    EXPECT_EQ(warned, warns) << ran.err;
    EXPECT_EQ(ran.err.find(" in sine.x, and laminate yields at ") != std::string::npos, warns) << ran.err;
  }
}

}  // namespace
}  // namespace avrenk
