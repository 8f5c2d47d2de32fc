// Amounts that nobody means, texts of strangers, cases that fail: nothing is met by them, shown raw, or lost with them.
#include <gmock/gmock.h>

#include <map>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::example;
using test::Ran;
using test::replaced;
using test::run_program;
using test::run_shell;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

TEST(Attack, AmountsThatNobodyMeansAreRefused) {
  const TemporaryFolder folder;
  for (const char* plan : {"mast.yaml", "isolated-box.yaml"}) (void)folder.write(plan, example(plan));
  const std::tuple<const char*, std::string, const char*> cases[] = {
      {"mast.yaml", "environments.sine.level=7000 dB", "\"7000 dB\" is too much to be meant"},
      {"isolated-box.yaml", "environments.random.level=3200 dB", "\"3200 dB\" is too much to be meant"},
      {"isolated-box.yaml", "profiles.shake={random: [[1 Hz, 1 g^2/Hz], [1000 Hz, +9000 dB/oct]]}",
       "\"+9000 dB/oct\" is too much to be meant"},
      {"isolated-box.yaml", "profiles.shake={random: [[1 Hz, 1 g^2/Hz], [1000 Hz, +900 dB/oct]]}",
       "its slopes lead to inf at 1000 Hz, which is too much to be meant"},
      {"isolated-box.yaml", "profiles.shake={random: [[1 Hz, 1 g^2/Hz], [1000 Hz, -900 dB/oct]]}",
       "which is too little to be meant"},
      {"isolated-box.yaml", "histories={a: {in: random.z, of: [box.acceleration], duration: 1e-9 s}}",
       "1e-09 s at 20000 samples a second make 0 values; write a longer duration"},
      {"isolated-box.yaml", "histories={a: {in: random.z, of: [box.acceleration], duration: 1e30 s}}",
       "write a shorter duration"},
      {"isolated-box.yaml", "histories={a: {in: random.z, of: [box.acceleration], duration: 1 s, rate: 1e-9 Hz}}",
       "write a rate of 10000 Hz or more"},
      {"isolated-box.yaml", "equipment levels={a: {of: box.acceleration, in: random, margin: 1e9 dB}}",
       "\"1e9 dB\" is too much to be meant"},
      {"isolated-box.yaml", "equipment levels={a: {of: box.acceleration, in: []}}",
       "equipment levels a in: the list is empty; write what belongs there, or leave the key out"},
      {"isolated-box.yaml", "life={a: {of: {mounts.force.z: line}, through: {}}}", "no environment is named"}};
  for (const auto& [plan, change, said] : cases) {
    const Ran ran =
        run_program(folder, std::string("run ") + plan + " --no-figures --audit 0 --set \"" + change +
                                "\" --set \"fatigue lines={line: {strength: 300 N, at cycles: 1e6, slope: 5}}\"");
    EXPECT_EQ(ran.status, 2) << change;
    EXPECT_THAT(ran.err, HasSubstr(said)) << change;
  }
}

// An answer that is not finite ends in a sentence, never in a limit that is met.
TEST(Attack, WhatIsNoNumberMeetsNothing) {
  const TemporaryFolder folder;
  const std::string box = example("isolated-box.yaml");
  (void)folder.write("box.yaml",
                     box +
                         "  far: {of: mounts.travel.z, in: random.z, take: 3 sigma, allowable: 100 m}\n"
                         "  both: {of: interaction, ratios: {a: stroke, b: far}, formula: \"a + sqrt(b - 0.5)\"}\n");
  const Ran ran = run_program(folder, "run box.yaml --no-figures --audit 0");
  EXPECT_EQ(ran.status, 1) << ran.err;
  EXPECT_THAT(ran.out, HasSubstr("1 of 4 limits exceeded; the worst is both"));
}

// A wave that creeps cannot be integrated: the sine cases and their limits are there, what needs the random ones is not
// met, and the status tells.
TEST(Attack, ACaseThatFailsCostsNoOther) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml",
                     replaced(example("box-on-rubber.yaml"), "limits:\n",
                              "limits:\n  shaken: {of: box.acceleration, in: sine, take: peak, allowable: 100 g}\n"
                              "  both: {of: interaction, ratios: {a: shaken, b: stroke}, formula: a + b}\n"));
  const Ran ran = run_program(
      folder,
      "run box.yaml --no-figures --audit 0 --set \"base.other={point: [1 m, 0 m, 0 m]}\" "
      "--set \"joints.tie={spring: {from: box-corners, to: other, each: {x: 1 N/mm, y: 1 N/mm, z: 1 N/mm}}}\" "
      "--set \"environments.random={profile: shake, axes: [x, z], bases: apart, "
      "coherence: {wave: {direction: x, speed: 1e-5 m/s}}}\" "
      "--set \"joints.mount.spring.variants={soft: 80 %}\"");
  EXPECT_EQ(ran.status, 3) << ran.err;
  EXPECT_THAT(ran.err,
              AllOf(HasSubstr("case random.x is not answered: inputs come so much later than others that their "
                              "phases turn 1.98e+08 times over the band"),
                    HasSubstr("springs soft: case random.x")));
  EXPECT_THAT(ran.out, AllOf(HasSubstr("NOT ANSWERED"), HasSubstr("mounts.travel: random.x is not answered"),
                             HasSubstr("could not be answered: random.x, random.z, random.x with")));
  const auto summary = summary_of(folder, "box-results");
  std::map<std::string, std::string> verdicts;
  for (const auto& row : summary["tables"]["limits"]["rows"]) verdicts[row[0]] = row[1];
  for (const char* limit : {"shaken", "level", "bounce"}) EXPECT_EQ(verdicts[limit], "met") << limit;
  for (const char* limit : {"stroke", "both"}) EXPECT_EQ(verdicts[limit], "NOT ANSWERED") << limit;
  EXPECT_TRUE(summary["tables"].contains("sine.x.peaks"));
  EXPECT_FALSE(summary["tables"].contains("random.x.rms"));
}

// Springs that stiffen tenfold have curves with folds, which are followed: what a sweep finds, and where it jumps.
TEST(Attack, SpringsThatStiffenTenfoldAreAnswered) {
  const TemporaryFolder folder;
  (void)folder.write(
      "box.yaml",
      replaced(example("box-on-rubber.yaml"),
               "      variants:\n        soft:  80 %\n        stiff: {stiffness: 125 %, loss factor: 85 %}\n", ""));
  const Ran ran =
      run_program(folder,
                  "run box.yaml --no-figures --audit 0 --set \"joints.mount.spring.over amplitude={stiffness: "
                  "[[0.02 mm, 100 %], [0.2 mm, 1000 %]]}\" --set \"joints.mount.spring.loss factor=1 %\"");
  EXPECT_EQ(ran.status, 1) << ran.err;
  EXPECT_THAT(ran.err, AllOf(HasSubstr("the amplitude of the springs jumps, by a factor of"),
                             HasSubstr("the springs have two amplitudes"), Not(HasSubstr("not answered"))));
}

// Bytes that a terminal obeys: C0 but line ends and tabs, C1, marks that turn the direction, what is no UTF-8.
std::string obeyed_in(const std::string& text) {
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto byte = static_cast<unsigned char>(text[i]);
    if ((byte < ' ' && byte != '\n' && byte != '\t') || byte == 0x7F) return "a control character";
    if (byte == 0xC2 && static_cast<unsigned char>(text[i + 1]) < 0xA0) return "C1";
    const std::string three = text.substr(i, 3);
    if (three == "\u202E" || three == "\u2066") return "a mark of direction";
    if (byte == 0xFF || byte == 0x9B) {
      const bool goes_on = i > 0 && static_cast<unsigned char>(text[i - 1]) >= 0xC3;
      if (byte == 0xFF || !goes_on) return "no UTF-8";
    }
  }
  return "";
}

TEST(Attack, TextsOfStrangersReachNoTerminalAsTheyAre) {
  const TemporaryFolder folder;
  const std::string evil =
      "\x1b[2J\x1b]0;x\x07\xC2\x9B"
      "31m\u202E\xFF";
  for (const char* plan : {"mast.yaml", "mast-on-bench.csv"}) (void)folder.write(plan, example(plan));
  (void)folder.write("curve.csv", "frequency (Hz),input (g)," + evil + ".acceleration (g)\n10,1,1\n20,1,2\n30,1,1\n");
  (void)folder.write("levels.csv", "frequency (Hz)," + evil + " (g^2/Hz)\n10,1\n20,x" + evil + "\n");
  (void)folder.write("matrix.mtx", "%%MatrixMarket matrix array real general\n1 1\n" + evil + "\n");
  (void)folder.write("columns.csv", "node,direction,x (m),y (m),z (m)\n1," + evil + ",0,0,0\n");
  (void)folder.write(evil.substr(0, 4) + ".yaml", "materials: {a: 3}\n");
  for (const std::string& arguments :
       {std::string("update mast.yaml curve.csv:sine.x"), "run '" + evil + ".yaml'", "'" + evil + "'",
        "run mast.yaml --set '" + evil + "=3'", "run mast.yaml --set 'title=" + evil + "'",
        "run '" + evil.substr(0, 4) + ".yaml'", "explain '" + evil + "'", "run mast.yaml --out '" + evil + "'",
        std::string("profile levels.csv"), std::string("compare mast.yaml curve.csv"),
        std::string("run mast.yaml --set \"parts.mast={component: {stiffness: matrix.mtx, mass: matrix.mtx, columns: "
                    "columns.csv}}\"")}) {
    const Ran ran = run_program(folder, arguments + " --no-figures --audit 0");
    EXPECT_EQ(obeyed_in(ran.out + ran.err), "") << testing::PrintToString(arguments);
    EXPECT_FALSE(ran.out.empty() && ran.err.empty());
  }
}

// What a spreadsheet would compute has an apostrophe before it in the tables, and is read back without.
TEST(Attack, NamesAreNoFormulasOfSpreadsheets) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml",
                     replaced(replaced(replaced(example("mast.yaml"), "  tip:  {at: tip", "  \"=1+1\":  {at: tip"),
                                       "of: tip.rel", "of: \"=1+1.rel"),
                              "displacement, in: sine, take", "displacement\", in: sine, take"));
  const Ran ran = run_program(folder, "run mast.yaml --no-figures --audit 0");
  ASSERT_LE(ran.status, 1) << ran.err;
  const std::string peaks = test::read_all(folder / "mast-results/tables/sine.x.peaks.csv"),
                    curves = test::read_all(folder / "mast-results/tables/sine.x.curves.csv");
  EXPECT_THAT(peaks, AllOf(HasSubstr("\n'=1+1.acceleration.x,"), Not(HasSubstr("\n=1+1"))));
  EXPECT_THAT(curves, AllOf(HasSubstr(",'=1+1.acceleration.x"), Not(HasSubstr(",=1+1"))));
  EXPECT_THAT(ran.out, HasSubstr("=1+1.acceleration"));
  (void)folder.write("curves.csv", curves);
  const Ran compared = run_program(folder, "compare mast-results curves.csv:sine.x --no-figures");
  EXPECT_EQ(compared.status, 0) << compared.err;
}

// Names of a mesh are text of the plan that is made for it, and nothing more.
TEST(Attack, NamesInAMeshAddNothingToAPlan) {
  const TemporaryFolder folder;
  const std::string mesh = example("payload-deck/mast-foot.vtu"), file = "a\"\ninclude: [other.yaml]\n.vtu";
  (void)folder.write(file, mesh);
  const Ran ran = run_shell(folder, std::string("'") + AVRENK_PROGRAM + "' new --mesh '" + file + "' made.yaml");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const std::string plan = test::read_all(folder / "made.yaml");
  EXPECT_THAT(plan, AllOf(Not(HasSubstr("\ninclude")), HasSubstr("a\\\"\\x0Ainclude")));
  const Ran checked = run_program(folder, "check made.yaml --no-figures");
  EXPECT_TRUE(checked.status == 0 || checked.status == 2) << checked.err;
  EXPECT_THAT(checked.err, Not(HasSubstr("other.yaml: ")));
}

// What a run keeps of its plan is sealed as a whole: which file the plan is and what was changed of it count too.
TEST(Attack, KeptPlansThatWereChangedAreNotAnswered) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  ASSERT_LE(run_program(folder, "run mast.yaml --no-figures --audit 0 --set \"damping.otherwise=1 %\"").status, 1);
  EXPECT_EQ(run_program(folder, "ask mast-results \"acceleration of tip in sine.x\"").status, 0);
  const auto list = folder / "mast-results/plan/sources.json";
  const std::string before = test::read_all(list);
  for (const auto& [what, instead] : {std::pair{"damping.otherwise=1 %", "damping.otherwise=9 %"},
                                      {"\"seal\": \"", "\"seal\": \"0"},
                                      {"\"overrides\": [", "\"overrides\": [\"title=x\", "}}) {
    (void)folder.write("mast-results/plan/sources.json", replaced(before, what, instead));
    const Ran ran = run_program(folder, "ask mast-results \"acceleration of tip in sine.x\"");
    EXPECT_EQ(ran.status, 4) << what;
    EXPECT_THAT(ran.err, HasSubstr("sources.json: changed after it was written; run its plan again")) << what;
  }
}

// A long line of a message is cut in its middle, and how much is missing stands there; a NUL ends none.
TEST(Attack, MessagesKeepToTheirLength) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  (void)folder.write("long.yaml",
                     replaced(example("mast.yaml"), "material: laminate", "material: " + std::string(50000, 'm')));
  const Ran ran = run_program(folder, "run long.yaml");
  EXPECT_EQ(ran.status, 2);
  EXPECT_LT(ran.err.size(), 5000U);
  EXPECT_THAT(ran.err, AllOf(HasSubstr(" characters more) … "), HasSubstr("laminate")));
}

// Libraries that were started with the process do not keep it from ending, and little room is told in a sentence.
TEST(Attack, LittleRoomIsToldAndNothingHangs) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const std::string program = std::string("timeout 60 '") + AVRENK_PROGRAM + "'";
  EXPECT_EQ(run_shell(folder, "ulimit -v 400000; " + program + " --version").status, 0);
  for (const char* limit : {"-n 6", "-n 9", "-n 14", "-s 64", "-s 256", "-s 1024"}) {
    const Ran ran =
        run_shell(folder, std::string("ulimit ") + limit + "; " + program + " run mast.yaml --no-figures --audit 0");
    EXPECT_TRUE(ran.status == 0 || ran.status == 3 || ran.status == 4) << limit << ' ' << ran.status << ran.err;
    EXPECT_FALSE(ran.status > 1 && ran.err.empty()) << limit;
    EXPECT_EQ(run_shell(folder, "ls -A").out.find("partial"), std::string::npos) << limit;
  }
}

}  // namespace
}  // namespace avrenk
