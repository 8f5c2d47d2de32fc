// Random environments of several inputs, by the program: they add up as they are correlated, and what cannot be is
// refused.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>
#include <map>

#include "support/program.h"
#include "support/summary.h"

namespace avrenk {
namespace {

using test::cell;
using test::example;
using test::Ran;
using test::run_program;
using test::summary_of;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;

// The isolated box: three axes at once and not correlated are the root of the sum of squares of each by itself, to the
// nine digits of the tables; a force on the box beside them adds its own square and is told apart.
TEST(RandomInputs, AddUpOnTheIsolatedBox) {
  const TemporaryFolder folder;
  std::string plan = example("isolated-box.yaml");
  const std::string one = "  random: {profile: shake, axes: [x, z]}\n";
  plan.replace(plan.find(one), one.size(),
               "  random: {profile: shake, axes: [x, y, z]}\n"
               "  all: {profile: shake, axes: [x, y, z], simultaneous: yes}\n"
               "  loaded: {profile: shake, axes: [x, y, z], simultaneous: yes, loads: {push: flow}}\n"
               "  flow: {loads: {push: flow}}\n"
               "  along: {profile: shake, axes: [x, z], simultaneous: yes, coherence: full, level: -3 dB, bands: [20 "
               "Hz, 80 Hz]}\n");
  plan.replace(plan.find("environments:"), 13,
               "  flow: {random: {force: [[20 Hz, 4 N^2/Hz], [2000 Hz, 4 N^2/Hz]]}, tolerance: 3 dB, duration: 9 s}\n\n"
               "loads:\n  push: {force: {at: box, direction: z}}\n\nenvironments:");
  (void)folder.write("box.yaml", plan);
  const Ran ran = run_program(folder, "run box.yaml --full");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Input x 6.293 g, y 6.293 g, z 6.293 g"), HasSubstr("push 88.99 N")));
  const auto summary = summary_of(folder, "box-results");
  for (const char* quantity : {"box.acceleration", "box.relative displacement.z", "mounts.force"}) {
    double sum = 0;
    for (const char* axis : {"x", "y", "z"})
      sum += std::pow(cell(summary, fmt::format("random.{}.rms", axis), quantity, "RMS=1σ"), 2);
    const double all = cell(summary, "all.rms", quantity, "RMS=1σ"),
                 flow = cell(summary, "flow.rms", quantity, "RMS=1σ"),
                 loaded = cell(summary, "loaded.rms", quantity, "RMS=1σ");
    if (std::string(quantity) == "mounts.force") continue;  // whose worst isolator may be another one in each
    EXPECT_NEAR(all / std::sqrt(sum), 1, 1e-8) << quantity;
    EXPECT_NEAR(loaded / std::hypot(all, flow), 1, 1e-8) << quantity;
  }
  // One body of 6.5 kg: a force of 4 N²/Hz is the acceleration PSD (2/6.5)² m²/s⁴/Hz for what the isolators feel.
  const double g = 9.80665, by_base = cell(summary, "random.z.rms", "mounts.travel.z", "RMS=1σ"),
               by_force = cell(summary, "flow.rms", "mounts.travel.z", "RMS=1σ");
  EXPECT_NEAR(by_force / by_base, 2 / 6.5 / std::sqrt(0.02 * g * g), 1e-6);
  // Along a slanting line, 3 dB lower: x and z follow one input. Each axis by itself is as before, times √½.
  EXPECT_NEAR(cell(summary, "along.rms", "box.relative displacement.z", "RMS=1σ") /
                  cell(summary, "random.z.rms", "box.relative displacement.z", "RMS=1σ"),
              std::pow(10, -3.0 / 20), 2e-3);  // what the axes share through the offset centre of mass
  // Of uncorrelated inputs the part of each is its own square.
  EXPECT_NEAR(cell(summary, "loaded.inputs", "box.relative displacement.z", "push") / 100,
              std::pow(cell(summary, "flow.rms", "box.relative displacement.z", "RMS=1σ") /
                           cell(summary, "loaded.rms", "box.relative displacement.z", "RMS=1σ"),
                       2),
              1e-8);
  EXPECT_TRUE(std::filesystem::exists(folder / "box-results/figures/profile.flow.svg"));
  EXPECT_LT(cell(summary, "along.bands", "box.acceleration.z", "20 to 80"),
            cell(summary, "along.rms", "box.acceleration.z", "RMS=1σ"));
}

// Sound in third octaves: each band's p² by its level, 10^(L/10) (20 µPa)², whatever the widths; scaled to a stated
// RMS; velocity and displacement as accelerations.
TEST(RandomInputs, ProfilesAreOfAllKinds) {
  const TemporaryFolder folder;
  (void)folder.write(
      "p.yaml",
      "profiles:\n"
      "  sound: {random: {sound pressure level: [[31.5 Hz, 120 dB], [40 Hz, 126 dB], [50 Hz, 123 dB]]}}\n"
      "  force: {random: {force: [[20 Hz, 1 N^2/Hz], [120 Hz, 1 N^2/Hz]]}, scaled to: 40 N}\n"
      "  speed: {random: {velocity: [[10 Hz, 100 (mm/s)^2/Hz], [110 Hz, 100 (mm/s)^2/Hz]]}}\n"
      "  stroke: {random: {displacement: [[10 Hz, 1 mm^2/Hz], [11 Hz, 1 mm^2/Hz]]}}\n");
  const Ran ran = run_program(folder, "profile p.yaml --no-figures");
  ASSERT_EQ(ran.status, 0) << ran.err;
  const auto summary = summary_of(folder, "p-profile-results");
  std::map<std::string, double> facts;
  for (const auto& [name, each] : summary["facts"].items()) facts[name] = each["value"];
  const double p = 20e-6 * std::sqrt(std::pow(10, 12.0) + std::pow(10, 12.6) + std::pow(10, 12.3));
  EXPECT_NEAR(facts.at("sound RMS"), p / 1000, 1e-9 * p);  // kPa
  EXPECT_NEAR(facts.at("force RMS"), 40, 1e-9);
  EXPECT_NEAR(facts.at("speed velocity RMS"), 100, 1e-6);
  EXPECT_NEAR(facts.at("stroke displacement RMS"), 1, 1e-9);
}

TEST(RandomInputs, SayWhatCannotBe) {
  std::string base = example("strut-between-fixtures.yaml");
  base.resize(base.find("\nenvironments:"));
  base.replace(base.find("\nprofiles:"), 10,
               "\nloads:\n  push: {force: {at: middle, direction: z}}\n  side: {force: {at: middle, direction: y}}\n"
               "profiles:\n  flow: {random: {force: [[20 Hz, 1 N^2/Hz], [500 Hz, 1 N^2/Hz]]}}\n"
               "  tone: {sine: {force: [[20 Hz, 1 N], [500 Hz, 1 N]]}}");
  base += "\nenvironments:\n  noise: ";
  const TemporaryFolder folder;
  const auto said = [&](const std::string& environment) {
    (void)folder.write("a.yaml", base + environment + "\n");
    return run_program(folder, "random a.yaml --full --no-figures");
  };
  const Ran good = said(
      "{profile: shake, axes: [x, z], simultaneous: yes, bases: apart, loads: [{push: flow}, {side: flow}], coherence: "
      "[{value: 0.01}, {between: [vibrator.x, foundation.x], value: 0.4, wave: {direction: x, speed: 40 m/s}}, "
      "{between: [push, side], "
      "table: "
      "[[20 Hz, 0.5], [50 Hz, 0.2, 30 deg]]}, {between: [vibrator.z, foundation.z], decay length: 0.3 m, decay: "
      "{constant: 7, "
      "speed: 20 m/s}, value: 0.5}]}");
  EXPECT_EQ(good.status, 0) << good.err;
  EXPECT_THAT(good.out, HasSubstr("vibrator.x"));
  const auto with_wave = [&](const char* direction) {
    return said(fmt::format(
        "{{profile: shake, axes: [x], bases: apart, coherence: {{wave: {{direction: {}, speed: 40 m/s}}}}}}",
        direction));
  };
  const Ran backwards = with_wave("-x");
  EXPECT_EQ(backwards.status, 0) << backwards.err;
  EXPECT_EQ(backwards.out, with_wave("[-1, 0, 0]").out);
  const std::pair<const char*, const char*> cases[] = {
      {"{profile: shake, axes: [x, z], coherence: 0.4}", "only one input acts at a time"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: 1.4}", "a coherence of 1.4 is more than 1"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: {between: [x, zz], value: 1}}",
       "no input \"zz\" acts; write \"z\""},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: {between: [x], value: 1}}", "two inputs are due"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: {between: [x, z]}}",
       "nothing says how much two inputs go together"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: {wave: {direction: x, speed: 3 m/s}}}",
       "where x acts is not known"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: {table: [[9 Hz, 0.5], [8 Hz, 0.4]]}}",
       "frequencies do not rise"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: {table: []}}", "a table is due"},
      {"{profile: shake, axes: [x, y, z], simultaneous: yes, coherence: [{value: 0.9}, {between: [x, z], value: 0}]}",
       "contradicts those of the others"},
      {"{profile: sweep, axes: [x, z], coherence: full}", "a coherence is that of random inputs"},
      {"{profile: shake, axes: x, bands: [80 Hz, 20 Hz]}", "80 to 20 Hz is no band between"},
      {"{profile: shake, axes: x, bands: []}", "no band is named"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, coherence: []}", "no coherence is given"},
      {"{profile: shake, axes: [x, z], simultaneous: yes, combine: envelope}", "there is nothing to combine"},
      {"{profile: shake, axes: x, bands: [[80 Hz]]}", "a band is two frequencies"},
      {"{profile: sweep, axes: x, bands: [20 Hz, 80 Hz]}", "that of a random response"},
      {"{profile: sweep, axes: x, bases: apart}", "under random base motion only"},
      {"{profile: shake, axes: x, loads: {push: tone}}", "push is no random load"},
      {"{profile: shake, axes: x, loads: {push: 3 N}}", "push is no random load"},
      {"{profile: sweep, axes: x, loads: {push: flow}}", "a load is random, and the base moves in a sine"},
      {"{loads: [{push: flow, phase: 30 deg}]}", "has no phase of its own"},
      {"{loads: {push: shake}}", "profile shake is an acceleration PSD, and push needs a force"},
      {"{loads: {push: flow}, speeds: {from: 300 rpm, to: 3000 rpm}}", "orders of a shaft are sines"},
      {"{profile: shake, axes: x, bases: apart, coherence: full, combine: sum}", "combine"},
  };
  for (const auto& [environment, message] : cases) {
    const Ran ran = said(environment);
    EXPECT_EQ(ran.status, 2) << environment;
    EXPECT_THAT(ran.err, AllOf(HasSubstr("a.yaml:"), HasSubstr(message))) << environment;
  }
  const auto profile = [&](const std::string& text) {
    (void)folder.write("p.yaml", "profiles:\n  p: " + text + "\n");
    return run_program(folder, "profile p.yaml --no-figures").err;
  };
  EXPECT_THAT(profile("{random: {sound pressure level: [[100 Hz, 120 dB], [150 Hz, 120 dB]]}}"),
              HasSubstr("150 Hz is not the middle of a third octave; write 158.5 Hz"));
  EXPECT_THAT(profile("{random: {sound pressure level: [[100 Hz, 120 dB], [160 Hz, 120 dB]]}}"),
              HasSubstr("does not follow the third octave before it; write the one at 125.9 Hz"));
  EXPECT_THAT(profile("{random: {sound pressure level: [[100 Hz, -5000 dB]]}}"), HasSubstr("p.yaml:2"));
  EXPECT_THAT(profile("{random: {forces: [[5 Hz, 1 N^2/Hz], [50 Hz, 1 N^2/Hz]]}}"), HasSubstr("force"));
  EXPECT_THAT(profile("{random: {force: [[5 Hz, 1 N], [50 Hz, 1 N]]}}"), HasSubstr("a force PSD"));
}

}  // namespace
}  // namespace avrenk
