// Springs with tables, amplitudes and variants through the program: against plans with the constants that they are.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>
#include <numbers>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using nlohmann::json;
using test::cell;
using test::example;
using test::Ran;
using test::read_all;
using test::replaced;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

const std::string mounts = "each: {x: 180 N/mm, y: 180 N/mm, z: 240 N/mm}, loss factor: 15 %";

// The box on its isolators, with other isolators.
std::string box_on(const std::string& springs) { return replaced(example("isolated-box.yaml"), mounts, springs); }

// What the run answers, SI.
double value_asked(const TemporaryFolder& folder, const std::string& run, const std::string& question) {
  const Ran ran = run_program(folder, "ask " + run + " --json \"" + question + "\"");
  EXPECT_EQ(ran.status, 0) << ran.err;
  return json::parse(ran.out).at("answers").at(0).at("value").get<double>();
}

Ran run_plan(const TemporaryFolder& folder, const std::string& name, const std::string& plan,
             const std::string& options = "--no-figures --quiet") {
  (void)folder.write(name + ".yaml", plan);
  return run_program(folder, "run " + name + ".yaml " + options);
}

// At each frequency the answer is that of the plan with the constants of that frequency.
TEST(SpringsThroughTheProgram, AreConstantsAtEachFrequency) {
  const TemporaryFolder folder;
  const Ran run =
      run_plan(folder, "tables",
               box_on("each: {x: [[5 Hz, 150 N/mm], [50 Hz, 250 N/mm]], y: 180 N/mm, z: [[10 Hz, 200 N/mm], "
                      "[1000 Hz, 400 N/mm]]}, loss factor: [[10 Hz, 10 %], [100 Hz, 20 %]]"),
               "--no-figures --full --audit 3");
  EXPECT_EQ(run.status, 0) << run.err;
  EXPECT_THAT(run.out, HasSubstr("Modes with each spring as it is at their frequency"));
  const json summary = summary_of(folder, "tables-results");
  const json& audit = summary.at("tables").at("audit");
  for (const json& row : audit.at("rows")) EXPECT_LE(std::abs(row.at(2).get<double>()), 1e-5) << row;
  for (const double f : {12.0, 19.3}) {
    const double x = 150 + 100 * std::log10(f / 5), z = 200 + 100 * std::log10(f / 10),
                 eta = 10 + 10 * std::log10(f / 10);
    const std::string name = fmt::format("constant-{:.0f}", f);
    (void)run_plan(folder, name,
                   box_on(fmt::format("each: {{x: {:.12g} N/mm, y: 180 N/mm, z: {:.12g} N/mm}}, loss factor: {:.12g} %",
                                      x, z, eta)));
    for (const char* what :
         {"acceleration.z of box", "travel.z of isolator", "force of isolator", "force.z of fixture"}) {
      const std::string question = fmt::format("{} in sine.z at {} Hz", what, f);
      const double exact = value_asked(folder, name + "-results", question);
      EXPECT_NEAR(value_asked(folder, "tables-results", question) / exact, 1, 1e-8) << question;
    }
  }
  // The mode along z is where √(4k(f)/m)/2π = f.
  double f = 60;
  for (int k = 0; k < 200; ++k) f = std::sqrt(4 * (200e3 + 100e3 * std::log10(f / 10)) / 6.5) / (2 * std::numbers::pi);
  double nearest = 1;
  for (const json& row : summary.at("tables").at("modes-with-springs").at("rows"))
    nearest = std::min(nearest, std::abs(row.at(3).get<double>() / f - 1));
  EXPECT_LE(nearest, 1e-7);
}

// Margins and answers of variants are those of plans with such springs, and cost no new modes.
TEST(SpringsThroughTheProgram, HaveVariantsWithMarginsOfTheirOwn) {
  const TemporaryFolder folder;
  const std::string limits =
      "limits:\n  level: {of: box.acceleration, in: [sine, random], take: {sine: peak, random: 3 "
      "sigma}, allowable: 40 g}\n";
  const auto plan = [&](const std::string& springs) { return replaced(box_on(springs), "limits:\n", limits); };
  const Ran run =
      run_plan(folder, "stated",
               plan(mounts + ", variants: {soft: 70 %, stiff: {stiffness: 150 %, loss factor: 60 %}}"), "--no-figures");
  EXPECT_THAT(run.out, HasSubstr("Margins with springs that are others"));
  const json stated = summary_of(folder, "stated-results");
  (void)run_plan(folder, "soft", plan("each: {x: 126 N/mm, y: 126 N/mm, z: 168 N/mm}, loss factor: 15 %"));
  (void)run_plan(folder, "stiff", plan("each: {x: 270 N/mm, y: 270 N/mm, z: 360 N/mm}, loss factor: 9 %"));
  bool one_exceeded = false;
  for (const char* variant : {"soft", "stiff"}) {
    const json own = summary_of(folder, std::string(variant) + "-results");
    for (const char* limit : {"level", "bounce", "stroke"}) {
      const double margin = cell(own, "limits", limit, "margin");
      EXPECT_NEAR(cell(stated, "variants", limit, variant), margin, 1e-4) << variant << " " << limit;
      EXPECT_NEAR(cell(stated, "variants", limit, "as stated"), cell(stated, "limits", limit, "margin"), 1e-9);
      one_exceeded = one_exceeded || margin < 0;
    }
  }
  // The verdict is that of the worst of them.
  EXPECT_TRUE(one_exceeded);
  EXPECT_EQ(run.status, 1);
  EXPECT_THAT(stated.at("verdict").get<std::string>(), HasSubstr("with soft springs"));
  // Other variants are answered from the modes that were kept.
  const Ran again =
      run_program(folder, "run stated.yaml --no-figures --set joints.isolator.spring.variants.soft=\"90 %\"");
  EXPECT_THAT(again.err, HasSubstr("modes: those in "));
  EXPECT_GT(cell(summary_of(folder, "stated-results"), "variants", "bounce", "soft"),
            cell(stated, "variants", "bounce", "soft"));
}

// Amplitudes: at every frequency and for the RMS, what is told of the springs is what they are for the travel that is
// answered.
TEST(SpringsThroughTheProgram, AreWhatTheirTravelMakesOfThem) {
  const TemporaryFolder folder;
  const Ran run = run_plan(folder, "rubber", example("box-on-rubber.yaml"), "--full --audit 3");
  EXPECT_EQ(run.status, 1) << run.err;
  EXPECT_THAT(run.err,
              AllOf(HasSubstr("environment sine.x: springs that depend on amplitude are balanced at "),
                    HasSubstr("environment random.z: springs that depend on amplitude are linear ones for its RMS")));
  EXPECT_THAT(run.out, AllOf(HasSubstr("Springs as their travel makes them"), HasSubstr("random.z  mount")));
  const json summary = summary_of(folder, "rubber-results");
  for (const json& row : summary.at("tables").at("audit").at("rows"))
    EXPECT_LE(std::abs(row.at(2).get<double>()), 1e-5) << row;
  // The largest travel of all four is the peak that is watched.
  const json& springs = summary.at("tables").at("sine.z.springs").at("rows");
  double largest = 0;
  for (const json& row : springs)
    if (row.at(1) == "z") largest = std::max(largest, row.at(2).get<double>());
  EXPECT_NEAR(largest / cell(summary, "sine.z.peaks", "mounts.travel.z", "peak"), 1, 1e-5);
  double rms = 0;
  for (const json& row : summary.at("tables").at("random.z.springs").at("rows"))
    if (row.at(1) == "z") rms = std::max(rms, row.at(2).get<double>());
  EXPECT_NEAR(rms / cell(summary, "random.z.rms", "mounts.travel.z", "RMS=1σ"), 1, 1e-6);
  // Half the input is less than half the answer: they stiffen. What does not depend on amplitude is in proportion.
  const auto peak = [&](const std::string& options) {
    EXPECT_EQ(run_program(folder, "sine rubber.yaml --full --no-figures --quiet " + options).status,
              options.empty() ? 1 : 0);
    return cell(summary_of(folder, "rubber-sine-results"), "sine.z.peaks", "mounts.travel.z", "peak");
  };
  const double full = peak(""), half = peak("--set environments.sine.level=\"-6.0205999132796239 dB\"");
  EXPECT_LT(half, 0.49 * full);
}

// Weight on springs to two bases and to the ground: each takes its part by its stiffness.
TEST(SpringsThroughTheProgram, ShareWeightOnSeveralBasesAndTheGround) {
  const TemporaryFolder folder;
  const Ran run = run_plan(folder, "shared", R"(places:
  left: {points: [[0 mm, 0 mm, 0 mm]]}
  right: {points: [[100 mm, 0 mm, 0 mm]]}
masses:
  box: {mass: 4 kg, inertia: {xx: 0.02 kg m^2, yy: 0.02 kg m^2, zz: 0.02 kg m^2}, position: [50 mm, 0 mm, 0 mm], carried by: [left, right]}
base:
  one: {point: [0 mm, 0 mm, 0 mm]}
  two: {point: [100 mm, 0 mm, 0 mm]}
joints:
  first:  {spring: {from: left, to: one, each: {x: 100 N/mm, y: 100 N/mm, z: 120 N/mm, rx: 40 N m/rad, ry: 40 N m/rad, rz: 40 N m/rad}}}
  second: {spring: {from: right, to: two, each: {x: 100 N/mm, y: 100 N/mm, z: 60 N/mm}}}
  stay-1: {spring: {from: right, to: ground, each: {x: 10 N/mm, y: 10 N/mm, z: 90 N/mm}}}
  stay-2: {spring: {from: left, to: ground, each: {x: 10 N/mm, y: 10 N/mm, z: 30 N/mm}}}
damping: {otherwise: 1 %}
watch:
  one: {base: one, quantities: [force]}
  two: {base: two, quantities: [force]}
environments:
  weight: {static: {acceleration: {z: -9.80665 m/s^2}}}
)",
                           "--no-figures --quiet");
  ASSERT_EQ(run.status, 0) << run.err;
  const json summary = summary_of(folder, "shared-results");
  const double weight = 4 * 9.80665;  // shared 150 to 150 by both ends, so that it sinks without turning
  EXPECT_NEAR(cell(summary, "weight.static", "one.force.z", "value") / (weight * 120 / 300), 1, 1e-8);
  EXPECT_NEAR(cell(summary, "weight.static", "two.force.z", "value") / (weight * 60 / 300), 1, 1e-8);
}

TEST(SpringsThroughTheProgram, SayWhatCannotBeHad) {
  const TemporaryFolder folder;
  const std::string plan =
      box_on("each: {x: 180 N/mm, y: 180 N/mm, z: [[5 Hz, 200 N/mm], [500 Hz, 300 N/mm]]}, loss factor: 15 %");
  const Ran record = run_plan(
      folder, "record", plan + "histories:\n  z: {in: random.z, of: [box.acceleration.z], duration: 1 s, seed: 1}\n");
  EXPECT_EQ(record.status, 2);
  EXPECT_THAT(record.err,
              HasSubstr("springs of the model depend on frequency or amplitude, and a record in time is made"));
  EXPECT_FALSE(std::filesystem::exists(folder / "record-results"));
  // A fast sweep: the steady answer is an upper bound, which is said.
  const Ran fast = run_plan(folder, "fast", replaced(plan, "sweep: 4 oct/min", "sweep: 400 oct/min"), "--no-figures");
  EXPECT_THAT(fast.err,
              HasSubstr("with springs that depend on frequency or amplitude the swept response is not computed"));
  const Ran bare =
      run_plan(folder, "bare", replaced(plan, "watch:\n", "modes: {count: 6, residual vectors: no}\n\nwatch:\n"),
               "--no-figures");
  EXPECT_EQ(bare.status, 0) << bare.err;
}

// The full equations at every frequency say the same as the modes.
TEST(SpringsThroughTheProgram, AreSolvedDirectlyToo) {
  const TemporaryFolder folder;
  const std::string plan =
      replaced(example("box-on-rubber.yaml"), "damping: {otherwise: 1 %}", "damping: {otherwise: {loss factor: 2 %}}");
  (void)run_plan(folder, "modes", plan);
  (void)run_plan(folder, "direct",
                 replaced(plan, "sine:    {profile: sweep, axes: [x, z]}",
                          "sine:    {profile: sweep, axes: [x, z], method: direct}"));
  const json modes = summary_of(folder, "modes-results"), direct = summary_of(folder, "direct-results");
  for (const char* name : {"box.acceleration.z", "mounts.force", "base.force.z"})
    EXPECT_NEAR(cell(direct, "sine.z.peaks", name, "peak") / cell(modes, "sine.z.peaks", name, "peak"), 1, 2e-6)
        << name;
}

}  // namespace
}  // namespace avrenk
