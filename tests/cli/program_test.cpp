// The built program, driven on good and bad plans in a temporary folder.
#include <gmock/gmock.h>

#include "core/quantity/quantity.h"
#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::cell;
using test::example;
using test::listing;
using test::Ran;
using test::replaced;
using test::run_program;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;
using Json = nlohmann::json;

// Nothing is wider than 100 columns but the path at the end.
void expect_narrow(const std::string& text) {
  for (std::size_t from = 0; from < text.size();) {
    const std::size_t end = std::min(text.find('\n', from), text.size());
    const std::string line = text.substr(from, end - from);
    const auto columns =
        std::count_if(line.begin(), line.end(), [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; });
    if (!line.starts_with("Results:") && !line.starts_with("Report:")) {
      EXPECT_LE(columns, 100) << line;
    }
    from = end + 1;
  }
}

// Figures of the isolated box, and whether they are charts (SVG besides PNG).
const std::pair<const char*, bool> box_figures[] = {
    {"effective-mass", true},
    {"margins", true},
    {"mode.01.moving", false},
    {"mode.01", false},
    {"mode.02.moving", false},
    {"mode.02", false},
    {"mode.03.moving", false},
    {"mode.03", false},
    {"mode.05.moving", false},
    {"mode.05", false},
    {"mode.06", false},
    {"model", false},
    {"modes", false},
    {"profile.shake", true},
    {"profile.sweep", true},
    {"random.x.acceleration", true},
    {"random.x.envelope", false},
    {"random.x.motion", false},
    {"random.x.relative-displacement", true},
    {"random.x.shares", true},
    {"random.z.acceleration", true},
    {"random.z.envelope", false},
    {"random.z.motion", false},
    {"random.z.relative-displacement", true},
    {"random.z.shares", true},
    {"sine.z.acceleration", true},
    {"sine.z.relative-displacement", true},
    {"sine.z.shares", true},
};

TEST(Program, RunsTheIsolatedBoxToTheNumbersOfTheHandbook) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  const Ran ran = run_program(folder, "run box.yaml --full");
  EXPECT_EQ(ran.status, 0) << ran.err;
  std::string expected =
      "README.md\nfields/model.glb\nfields/modes.vtu\nfields/random.x.motion.vtu\nfields/random.z.motion.vtu\n";
  const auto expect_figure = [&](const std::string& name, bool chart) {
    expected += "figures/" + name + ".png\n" + (chart ? "figures/" + name + ".svg\n" : "");
  };
  for (const auto& [name, chart] : box_figures) expect_figure(name, chart);
  expected +=
      "plan/01-box.yaml\nplan/"
      "sources.json\nproducts.h5\nreport.html\nreport.md\nresults.h5\nrun.log\nsummary.json\ntables/"
      "audit.csv\ntables/headlines.csv\ntables/key-modes.csv\ntables/limits.csv\n"
      "tables/masses.csv\ntables/mode-kinetic-energy.csv\ntables/mode-participation.csv\ntables/mode-shapes.csv\n"
      "tables/mode-strain-energy.csv\ntables/modes.csv\ntables/random.x.curves.csv\n"
      "tables/random.x.motion.csv\ntables/random.x.nodes.csv\ntables/random.x.pairs.csv\n"
      "tables/random.x.reasons.csv\ntables/random.x.rms.csv\ntables/random.z.curves.csv\n"
      "tables/random.z.motion.csv\ntables/random.z.nodes.csv\ntables/random.z.pairs.csv\n"
      "tables/random.z.reasons.csv\ntables/random.z.rms.csv\ntables/sine.z.curves.csv\n"
      "tables/sine.z.peaks.csv\ntables/sine.z.reasons.csv\ntables/static.csv\nwritten.txt\n";
  EXPECT_EQ(listing(folder / "box-results"), expected);
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Electronics box on its isolators"), HasSubstr("Verdict: all 2 limits are met"),
                             HasSubstr("box-results")));
  EXPECT_THAT(ran.err, HasSubstr("modes: up to 3000 Hz, 1.5 times the highest frequency excited or limited (default)"));
  EXPECT_THAT(ran.err + ran.out, Not(HasSubstr("\033")));  // no colour, no progress bar away from a terminal
  const Json summary = Json::parse(test::read_all(folder / "box-results/summary.json"));
  // Along z one mass on one spring with η = 15 %: f = √(4·240 N/mm / 6.5 kg)/2π; at the end of the sweep, 25 Hz, 2 mm
  // of base motion.
  const double natural = std::sqrt(4 * 240e3 / 6.5) / (2 * pi), r2 = std::pow(25 / natural, 2);
  EXPECT_NEAR(cell(summary, "modes", "3", "frequency"), natural, 1e-6);
  EXPECT_NEAR(cell(summary, "modes", "3", "Q"), 1 / 0.15, 1e-9);
  EXPECT_NEAR(cell(summary, "modes", "3", "effective mass z"), 6.5, 1e-9);
  EXPECT_NEAR(cell(summary, "sine.z.peaks", "box.relative displacement.z", "peak"), 2 * r2 / std::hypot(1 - r2, 0.15),
              1e-9);
  const double base = 2e-3 * std::pow(2 * pi * 25, 2);
  EXPECT_NEAR(cell(summary, "sine.z.peaks", "base.force.z", "peak"),
              6.5 * base * std::hypot(1, 0.15) / std::hypot(1 - r2, 0.15), 1e-6);
  // Static deflection under 1 g: g/ω².
  EXPECT_NEAR(cell(summary, "static", "z", "largest deflection"),
              1e3 * standard_gravity / std::pow(2 * pi * natural, 2), 1e-9);
  EXPECT_NEAR(summary.at("facts").at("random.z input RMS").at("value").get<double>(), std::sqrt(0.02 * 1980), 1e-9);
  EXPECT_EQ(summary.at("layout"), 1);
  EXPECT_THAT(test::read_all(folder / "box-results/tables/sine.z.peaks.csv"),
              HasSubstr("watched,peak,unit,at (Hz),phase (°),where,quantity\nbox.acceleration.x,"));
  EXPECT_THAT(test::read_all(folder / "box-results/run.log"),
              AllOf(HasSubstr("factorising 6 equations"), HasSubstr("verdict: all 2 limits are met")));
}

TEST(Program, TellsAnExceededLimitByItsStatus) {
  const TemporaryFolder folder;
  (void)folder.write("box.yaml", example("isolated-box.yaml"));
  const Ran ran = run_program(folder, "run box.yaml --no-figures --out here --set \"limits.stroke.allowable=0.5 mm\"");
  EXPECT_EQ(ran.status, 1);
  EXPECT_THAT(ran.out,
              AllOf(HasSubstr("stroke  EXCEEDED"), HasSubstr("Verdict: 1 of 2 limits exceeded; the worst is stroke")));
  EXPECT_THAT(listing(folder / "here"), AllOf(HasSubstr("summary.json"), Not(HasSubstr("figures"))));
  const Ran quiet = run_program(folder, "run box.yaml --no-figures --quiet");
  EXPECT_EQ(quiet.status, 0);
  EXPECT_EQ(quiet.out + quiet.err, "");
}

TEST(Program, ShowsEachStageByItsOwnCommand) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const Ran check = run_program(folder, "check mast.yaml --full");
  EXPECT_EQ(check.status, 0);
  EXPECT_THAT(check.out, AllOf(HasSubstr("Antenna mast alone"), HasSubstr("antenna  0.1800"),
                               HasSubstr("144 equations"), HasSubstr("strains nothing")));
  EXPECT_THAT(listing(folder.path()),
              AllOf(HasSubstr("mast-check-results/report.html"), HasSubstr("mast-check-results/figures/model.png")));
  const Ran modes = run_program(folder, "modes mast.yaml --full --set \"modes={count: 5}\"");
  EXPECT_EQ(modes.status, 0);
  EXPECT_THAT(modes.out,
              AllOf(HasSubstr("28.36"),
                    HasSubstr("6 modes below 1072.9 Hz, complete by inertia count: K − ω²M has 6 negative pivots"),
                    HasSubstr("mast bends in x: 100 % of the strain energy")));
  const Ran sine = run_program(folder, "sine mast.yaml --full --no-figures");
  EXPECT_EQ(sine.status, 0);
  EXPECT_THAT(sine.out,
              AllOf(HasSubstr("sine.x: largest over frequency and phase"), HasSubstr("tip.relative displacement.x")));
  EXPECT_THAT(listing(folder.path()), AllOf(HasSubstr("mast-modes-results/tables/modes.csv"),
                                            HasSubstr("mast-sine-results/tables/sine.x.curves.csv")));
  const Ran profile = run_program(folder, "profile mast.yaml:sweep");
  EXPECT_EQ(profile.status, 0);
  EXPECT_THAT(profile.out,
              HasSubstr("cycles in one sweep 8440; time of one sweep 2.661 min"));  // 60·195/(2 ln 2), log2(40)/2
  EXPECT_THAT(listing(folder / "mast-profile-results"), HasSubstr("figures/profile.sweep.svg"));
  (void)folder.write("only.yaml", "profiles: {shake: {random: [[20 Hz, 0.01 g^2/Hz], [120 Hz, 0.01 g^2/Hz]]}}\n");
  EXPECT_THAT(run_program(folder, "profile only.yaml --no-figures").out,
              HasSubstr("acceleration RMS 1.000 g"));  // √(0.01·100)
}

TEST(Program, WritesTheDemoAndRunsIt) {
  const TemporaryFolder folder;
  const Ran ran = run_program(folder, "demo trial --no-figures --threads 1");
  EXPECT_EQ(ran.status, 1) << ran.err;  // one limit is exceeded by a little
  EXPECT_EQ(test::read_all(folder / "trial/payload-deck.yaml"), example("payload-deck/payload-deck.yaml"));
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Verdict: 1 of 13 limits exceeded; the worst is box-level"),
                             HasSubstr("trial/payload-deck-results"), Not(HasSubstr("Report:"))));
  expect_narrow(ran.out);
  EXPECT_LE(std::count(ran.out.begin(), ran.out.end(), '\n'), 80);  // two screens
  const Json summary = Json::parse(test::read_all(folder / "trial/payload-deck-results/summary.json"));
  EXPECT_NEAR(summary.at("facts").at("total mass").at("value").get<double>(), cell(summary, "masses", "all", "mass"),
              1e-8);
  EXPECT_LT(summary.at("facts").at("random.z relative error of a variance, at most").at("value").get<double>(), 5e-8);
  const Ran again = run_program(folder, "demo trial --no-figures --threads 2", "OPENBLAS_NUM_THREADS=2");
  EXPECT_EQ(again.status, 1);
  EXPECT_THAT(again.err, HasSubstr("exists and is used as it is"));
  const Json alone = Json::parse(test::read_all(folder / "trial/payload-deck-results/summary.json"));
  // One thread or two: the same to rounding, which BLAS orders by the number of threads.
  for (const char* name : {"tip.acceleration.z", "mounts.travel", "fixture.force"})
    EXPECT_NEAR(cell(summary, "random.z.rms", name, "3σ") / cell(alone, "random.z.rms", name, "3σ"), 1, 1e-10);
}

struct Refusal {
  const char* arguments;
  int status;
  const char* sentence;
};

TEST(Program, RefusesBadCommandLinesInOneSentence) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  (void)folder.write("mesh.vtu", example("payload-deck/mast-foot.vtu"));
  const Refusal cases[] = {
      {"mode mast.yaml", 2, "unknown command \"mode\"; write \"modes\"\n"},
      {"run", 2, "run needs a plan; write avrenk run PLAN.yaml, or try avrenk demo\n"},
      {"run mast.yaml more", 2, "run does not take \"more\"; see avrenk run --help\n"},
      {"run mast.yaml --no-figure", 2, "unknown option \"--no-figure\"; write \"--no-figures\"\n"},
      {"run mast.yaml --threads 0", 2, "--threads 0 is not possible; write 1 or more\n"},
      {"run mast.yaml --set values.height", 2,
       "--set values.height: there is no value; write --set path.to.key=VALUE, as in --set values.wall=\"2 mm\"\n"},
      {"run mast.yaml --set values.height=600", 2,
       "mast.yaml:11:55: part mast line to: \"600\" has no unit; write a length such as \"8 mm\"\n"},
      {"run none.yaml", 4, "none.yaml: there is no such file\n"},
      {"sine mast.yaml sin", 2, "mast.yaml: the plan has no sine environment \"sin\"; write \"sine\"\n"},
      {"modes mast.yaml --set modes=20", 2,
       "--set modes: modes: \"20\" stands where a map is due; write {up to: 2000 Hz} or {count: 20}\n"},
      {"modes mast.yaml --set \"damping=2 %\"", 2,
       "--set damping: damping: \"2 %\" stands where a map is due; write {otherwise: 2 %}\n"},
      {"modes mast.yaml --set base.fixture.holds=fixed", 2,
       "--set base.fixture.holds: base fixture holds: \"fixed\" is not known here; write one of: x, y, z, rx, ry, rz, "
       "all\n"},
      {"check mesh.vtu", 2,
       "mesh.vtu:1:1: a plan is a map of sections; this is a mesh: avrenk new --mesh mesh.vtu writes a plan for it\n"},
      {"random mast.yaml", 2, "mast.yaml: the plan has no random environment; declare one under environments:\n"},
      {"profile mast.yaml:swep", 2, "mast.yaml: no profile \"swep\"; write \"sweep\"\n"},
      {"sine mast.yaml --set \"damping={otherwise: 0 %}\"", 2,
       "--set damping: damping: mode 1 at 28.36 Hz lies between 5 and 200 Hz and has no damping, so its response is "
       "infinite; "
       "give the model a damping ratio, or its materials or joints a loss factor\n"},
      {"modes mast.yaml --set base.fixture.holds=[x,y,z]", 2,
       "mechanism: mast turns freely about the direction x through (0, 0, 0) mm; join it or hold it"},
      {"modes mast.yaml --out /proc/nowhere", 4, "/proc/nowhere: cannot be written: "},
      {"modes mast.yaml --out .", 4,
       ": exists and is no folder of results of this version; choose another with --out\n"}};
  for (const Refusal& refusal : cases) {
    SCOPED_TRACE(refusal.arguments);
    const Ran ran = run_program(folder, refusal.arguments);
    EXPECT_EQ(ran.status, refusal.status);
    EXPECT_EQ(ran.out, "");
    const bool whole = std::string(refusal.sentence).ends_with("\n") && refusal.sentence[0] != ':';
    if (whole)
      EXPECT_EQ(replaced(ran.err + "modes: up to 300 Hz, 1.5", "modes: up to 300 Hz, 1.5", ""), refusal.sentence);
    else
      EXPECT_THAT(ran.err, HasSubstr(refusal.sentence));
    EXPECT_EQ(listing(folder.path()), "mast.yaml\nmesh.vtu\n");  // nothing half-written
  }
}

TEST(Program, SaysHowItIsUsed) {
  const TemporaryFolder folder;
  const Ran help = run_program(folder, "--help");
  EXPECT_EQ(help.status, 0);
  EXPECT_THAT(help.out, AllOf(HasSubstr("Use: avrenk COMMAND"), HasSubstr("--no-figures"),
                              HasSubstr("1  done, some limit exceeded")));
  for (const char* command : {"demo", "check", "modes", "sine", "random", "run", "profile"}) {
    const Ran own = run_program(folder, std::string(command) + " --help");
    EXPECT_EQ(own.status, 0);
    EXPECT_THAT(own.out, AllOf(HasSubstr(std::string("avrenk ") + command), HasSubstr("Example\n  avrenk"),
                               testing::Not(HasSubstr("--mesh"))));
  }
  // Options only where a command has them, in its help and on its line.
  EXPECT_THAT(run_program(folder, "new --help").out, AllOf(HasSubstr("--mesh"), testing::Not(HasSubstr("--audit"))));
  EXPECT_THAT(run_program(folder, "explain --help").out, testing::Not(HasSubstr("--set")));
  const Ran stray = run_program(folder, "profile mast.yaml --audit 2");
  EXPECT_EQ(stray.status, 2);
  EXPECT_THAT(stray.err, HasSubstr("avrenk profile has no option --audit; see avrenk profile --help"));
  EXPECT_EQ(run_program(folder, "").status, 2);
  EXPECT_THAT(run_program(folder, "--version").out, testing::MatchesRegex("avrenk [0-9]+\\.[0-9]+\\.[0-9]+\n"));
}

TEST(Program, WarnsOfASpringToGroundAndOfTooFewModes) {
  const TemporaryFolder folder;
  std::string text =
      replaced(example("isolated-box.yaml"), "joints:\n",
               "joints:\n  leash: {spring: {from: box, to: ground, each: {z: 5 N/mm}, loss factor: 1 %}}\n");
  (void)folder.write("box.yaml", text);
  const Ran ran = run_program(folder, "run box.yaml --no-figures");
  EXPECT_THAT(ran.err, HasSubstr("avrenk: warning: a motion of all bases as one body strains the model"));
  EXPECT_THAT(run_program(folder, "check box.yaml").out, HasSubstr("STRAINS the"));
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const Ran few = run_program(folder, "run mast.yaml --no-figures --set \"modes={count: 2, residual vectors: no}\"");
  EXPECT_THAT(
      few.err,
      AllOf(HasSubstr("warning: the modes end at 28.36 Hz, inside the excited band of 200 Hz, and 1.5 times as far is "
                      "asked for: no mode lies between; write modes: {up to: 300 Hz}"),
            HasSubstr("warning: along x the modes represent 82 % of the mass that can move, less than 90 %: 0.0521 kg "
                      "is left out, residual vectors are turned off and carry none of it"),
            HasSubstr("along z the modes represent 0 % of")));
  const Ran more = run_program(folder,
                               "run mast.yaml --no-figures --set \"modes={count: 2, residual vectors: no}\" --set "
                               "\"profiles.sweep={sine: {acceleration: [[5 Hz, 0.5 g], [900 Hz, 0.5 g]]}}\"");
  EXPECT_THAT(more.err, HasSubstr("excited band of 900 Hz, and 1.5 times as far is asked for: 5 more modes lie between "
                                  "(pivot count); write modes: {up to: 1350 Hz}"));
}

TEST(Program, KeepsTablesWhenFiguresCannotBeDrawn) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const Ran ran = run_program(folder, "run mast.yaml", "PATH=/nowhere");
  EXPECT_EQ(ran.status, 4);
  EXPECT_THAT(ran.err, HasSubstr("the results hold no figures: figures need gnuplot, which is not installed; install "
                                 "it, or use --no-figures"));
  EXPECT_THAT(listing(folder / "mast-results"), AllOf(HasSubstr("summary.json"), Not(HasSubstr("figures/"))));
}

TEST(Program, KeepsTheModesAndUsesThemWhileTheModelIsTheSame) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const std::string kept = "modes: those in ";
  const Ran first = run_program(folder, "run mast.yaml --no-figures");
  EXPECT_THAT(first.err, Not(HasSubstr(kept)));
  const Ran damped = run_program(folder, "run mast.yaml --no-figures --audit 2 --set \"damping.otherwise=3 %\"");
  EXPECT_THAT(damped.err, HasSubstr(kept + "mast-results/results.h5, computed for the same model"));
  const std::string damped_tables = test::read_all(folder / "mast-results/tables/modes.csv");
  const Ran anew = run_program(folder, "run mast.yaml --no-figures --anew --set \"damping.otherwise=3 %\"");
  EXPECT_THAT(anew.err, Not(HasSubstr(kept)));
  EXPECT_EQ(damped_tables, test::read_all(folder / "mast-results/tables/modes.csv"));
  EXPECT_EQ(damped.out, anew.out);
  // Another command looks into the run's folder; another model does not fit; a damaged file is not trusted.
  EXPECT_THAT(run_program(folder, "modes mast.yaml --no-figures").err, HasSubstr(kept + "mast-results/results.h5"));
  EXPECT_THAT(run_program(folder, "run mast.yaml --no-figures --set \"masses.antenna.mass=200 gram\"").err,
              Not(HasSubstr(kept)));
  const std::string whole = test::read_all(folder / "mast-results/results.h5");
  (void)folder.write("mast-results/results.h5", whole.substr(0, whole.size() / 2));
  const Ran recovered = run_program(folder, "run mast.yaml --no-figures");
  EXPECT_EQ(recovered.status, first.status);
  EXPECT_THAT(recovered.err, Not(HasSubstr(kept)));
}

TEST(Program, RunsAStrutBetweenTwoFixtures) {
  const TemporaryFolder folder;
  (void)folder.write("strut.yaml", example("strut-between-fixtures.yaml"));
  const Ran ran = run_program(folder, "run strut.yaml --full --no-figures");
  EXPECT_EQ(ran.status, 0) << ran.err;
  const Json summary = Json::parse(test::read_all(folder / "strut-results/summary.json"));
  // When both ends move alike the strut sees twice what one end alone gives it, in its first mode of bending: the shape
  // is nearly symmetric, the hinge and the taper make it 1.63.
  const double held = cell(summary, "held.z.peaks", "middle.acceleration.z", "peak"),
               alike = cell(summary, "alike.z.peaks", "middle.acceleration.z", "peak"),
               late = cell(summary, "late.z.peaks", "middle.acceleration.z", "peak");
  EXPECT_GT(alike / held, 1.3);
  EXPECT_LT(alike / held, 2.0);
  EXPECT_GT(late, held);
  EXPECT_LT(late, alike);
  // η = 0.6 %: Q = 1/η from the curve; S = R ln 2 Q²/60f; the sweep leaves less than the steady peak.
  EXPECT_NEAR(cell(summary, "held.z.reasons", "middle.acceleration.z", "Q") * 0.006, 1, 0.01);
  const double frequency = cell(summary, "held.z.peaks", "middle.acceleration.z", "at");
  EXPECT_NEAR(cell(summary, "held.z.reasons", "middle.acceleration.z", "S"),
              4 * std::log(2.0) / (0.006 * 0.006) / (60 * frequency), 1e-3 * 6);
  EXPECT_LT(cell(summary, "held.z.reasons", "middle.acceleration.z", "swept"), 0.8 * held);
  // Ends that know nothing of one another add up as squares of each alone.
  double sum = 0;
  for (const std::string base : {"vibrator", "foundation"}) {
    const Ran alone =
        run_program(folder,
                    "random strut.yaml --full each --no-figures --out one --set \"environments.each={profile: "
                    "shake, axes: z, at: " +
                        base + "}\"");
    ASSERT_EQ(alone.status, 0) << alone.err;
    sum += std::pow(
        cell(Json::parse(test::read_all(folder / "one/summary.json")), "each.z.rms", "middle.acceleration.z", "RMS=1σ"),
        2);
  }
  EXPECT_NEAR(cell(summary, "each.z.rms", "middle.acceleration.z", "RMS=1σ") / std::sqrt(sum), 1, 1e-8);
  for (const std::string command : {"check", "modes", "sine", "random"})
    expect_narrow(run_program(folder, command + " strut.yaml --no-figures").out);
}

TEST(Program, KeepsWhatCouplesTheModesAndSaysWhatLeavingItOutChanges) {
  const TemporaryFolder folder;
  (void)folder.write("deck.yaml", example("payload-frame/payload-frame.yaml"));
  const Ran plain = run_program(folder, "sine deck.yaml --no-figures --set damping.coupled=no");
  EXPECT_THAT(plain.err,
              HasSubstr("coupled: no leaves out that the modes are coupled by their damping: at its peak in sine."));
  const Json before = Json::parse(test::read_all(folder / "deck-sine-results/summary.json"));
  const Ran coupled = run_program(folder, "sine deck.yaml --no-figures");
  EXPECT_THAT(coupled.err, Not(HasSubstr("coupled")));
  EXPECT_THAT(test::read_all(folder / "deck-sine-results/run.log"), HasSubstr("damping: kept whole"));
  const Json after = Json::parse(test::read_all(folder / "deck-sine-results/summary.json"));
  // At the frequency of the uncoupled peak the coupled answer was foretold; its own peak is at least as high.
  for (const char* quantity : {"aperture.acceleration", "box.acceleration", "fixture.force"}) {
    const double foretold = cell(before, "sine.x.peaks", quantity, "peak") *
                            (1 + cell(before, "sine.x.reasons", quantity, "coupled") / 100);
    const double found = cell(after, "sine.x.peaks", quantity, "peak");
    EXPECT_GE(found, foretold * (1 - 1e-6)) << quantity;
    EXPECT_LE(found, foretold * 1.02) << quantity;
  }
}

TEST(Program, WeighsAndDoubts) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const std::string light =
      "check mast.yaml --full --set \"materials.laminate.density=1.6 kg/m^3\" --set \"parts.mast.weighed=0.11 kg\"";
  const Ran ran = run_program(folder, light + " --quiet");
  EXPECT_EQ(ran.status, 0);
  EXPECT_THAT(ran.err, AllOf(HasSubstr("material laminate: a density of 1.6 kg/m³ is outside 10 to 23 000"),
                             HasSubstr("material laminate: E and density give a speed of sound of 1.9e+05 m/s"),
                             HasSubstr("part mast: it has 0.0001108 kg in the model and weighs 0.11 kg: -99.9 %")));
  const Ran loud = run_program(folder, light);
  EXPECT_THAT(loud.out, AllOf(HasSubstr("Mass in the model and on the scale"), HasSubstr("Check: 3 warnings")));
  // Scaled as the plan asks, the part weighs what it weighs.
  const Ran scaled = run_program(folder, light + " --set parts.mast.scale=yes");
  EXPECT_THAT(scaled.out, HasSubstr("mast  0.1100   0.1100         0.0"));
  EXPECT_THAT(scaled.err, HasSubstr("part mast: density times 992.5, so that it has the 0.11 kg weighed"));
  // What is joined to nothing is named after the tables that help to find it.
  const Ran loose = run_program(folder,
                                "check mast.yaml --full --set \"parts.stick={line: {from: [9 mm, 0 mm, 0 mm], to: [9 "
                                "mm, 0 mm, 40 mm], divisions: 2}, "
                                "section: {rod: {diameter: 5 mm}}, material: laminate}\"");
  EXPECT_EQ(loose.status, 2);
  EXPECT_THAT(loose.out, AllOf(HasSubstr("stick is joined to nothing that is held"), HasSubstr("Check: 1 error")));
  EXPECT_THAT(loose.out, HasSubstr("Mass, centre of gravity"));
}

}  // namespace
}  // namespace avrenk
