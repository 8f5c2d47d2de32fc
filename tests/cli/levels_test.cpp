// What a random response becomes: equipment levels that another plan reads, records in time, cross spectra, tones and
// bands on it; profiles from bare tables, beside one another, under an envelope and before a vibrator.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <cmath>

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

std::string box_with(const std::string& environments, const std::string& sections) {
  std::string plan = example("isolated-box.yaml");
  if (sections.starts_with("limits:\n"))
    plan += sections.substr(8);
  else
    plan.replace(plan.find("environments:\n"), 14, sections + "\nenvironments:\n");
  const std::string one = "  random: {profile: shake, axes: [x, z]}\n";
  plan.replace(plan.find(one), one.size(), one + environments);
  if (environments.find("swept") != std::string::npos)
    plan += "  both: {of: box.acceleration.z, in: swept, take: 99.73 %, allowable: 100 g}\n";
  return plan;
}

// The level of the box, 3 dB up, is √2 of its RMS at least, is read again by another plan to the digit, and that plan's
// RMS is the one told. A record of it lies where it should; of one input two responses are coherent. A tone on it has
// the root of both mean squares.
TEST(Levels, LeadFromOnePlanToAnother) {
  const TemporaryFolder folder;
  (void)folder.write(
      "box.yaml",
      box_with("  tones: {profile: sweep, axes: z, on: random, tones: [10 Hz, 20 Hz]}\n"
               "  swept: {profile: sweep, axes: z, on: random}\n"
               "  burst: {profile: shake, axes: z, on: random, sweeping: {width: 5 Hz}}\n",
               "equipment levels:\n"
               "  box: {of: box.acceleration.z, in: random, margin: 3 dB, average over: third octave, points: 6}\n"
               "  sines: {of: box.acceleration.z, in: sine.z}\n"
               "  both: {of: box.acceleration.z, in: burst.z, points: 40}\n"
               "histories:\n"
               "  shaken: {in: random.z, of: [box.acceleration.z, box.acceleration], duration: 2 s, seed: 3}\n"
               "  kept: {in: random.x, of: box.acceleration.x, duration: 1 s, as: hdf5}\n"
               "cross spectra:\n"
               "  two: {of: [box.acceleration.z, box.relative displacement.z], in: random.z}\n"));
  const Ran ran = run_program(folder, "run box.yaml --full");
  ASSERT_EQ(ran.status, 0) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Equipment levels"), HasSubstr("tones.z on random.z"),
                             HasSubstr("Record shaken"), HasSubstr("go together by")));
  for (const char* file : {"histories/shaken.csv", "histories/kept.h5", "tables/cross.two.csv", "levels/sines.csv",
                           "figures/level.box.svg", "figures/cross.two.png", "fields/random.z.motion.vtu",
                           "tables/random.z.nodes.csv", "tables/burst.z.on.csv"})
    EXPECT_TRUE(std::filesystem::exists(folder / "box-results" / file)) << file;
  const std::string record = test::read_all(folder / "box-results/histories/shaken.csv");
  EXPECT_TRUE(record.starts_with("time (s),input z (g),box.acceleration.z (g),box.acceleration (g)\n0,"));
  EXPECT_EQ(std::count(record.begin(), record.end(), '\n'), 40001);  // two seconds, ten samples a cycle of 2000 Hz
  const auto summary = summary_of(folder, "box-results");
  const double sigma = cell(summary, "random.z.rms", "box.acceleration.z", "RMS=1σ");
  EXPECT_NEAR(cell(summary, "swept.z.on", "box.acceleration.z", "together"),
              std::hypot(sigma, cell(summary, "swept.z.on", "box.acceleration.z", "tone") / std::sqrt(2.0)),
              1e-7 * sigma);
  // A limit judges both together.
  EXPECT_THAT(test::read_all(folder / "box-results/tables/limits.csv"),
              HasSubstr(fmt::format("{:.9g},1,100,g,\"box.acceleration.z, 99.73 %, swept.z on random.z\"",
                                    cell(summary, "swept.z.on", "box.acceleration.z", "99.73 %"))));
  EXPECT_NEAR(cell(summary, "burst.z.on", "box.acceleration.z", "together"),
              std::hypot(sigma, cell(summary, "burst.z.on", "box.acceleration.z", "band")), 1e-7 * sigma);
  EXPECT_NEAR(cell(summary, "history.shaken", "box.acceleration.z", "spectral"), sigma, 1e-7 * sigma);
  EXPECT_LT(std::abs(cell(summary, "history.shaken", "box.acceleration.z", "off by")),
            2 * cell(summary, "history.shaken", "box.acceleration.z", "95 % lie within"));
  (void)folder.write("next.yaml",
                     "show: {frequency: Hz}\nprofiles:\n  box: {random: {file: box-results/levels/box.csv}}\n"
                     "  sines: {sine: {acceleration: {file: box-results/levels/sines.csv}}}\n");
  const Ran next = run_program(folder, "profile next.yaml --no-figures");
  ASSERT_EQ(next.status, 0) << next.err;
  const double rms = summary_of(folder, "next-profile-results")["facts"]["box acceleration RMS"]["value"];
  EXPECT_GT(rms, std::sqrt(2.0) * sigma);
  const std::string levels = test::read_all(folder / "box-results/tables/equipment.csv");
  EXPECT_THAT(levels, AllOf(HasSubstr(fmt::format("{:.4g} g RMS", rms)), HasSubstr("burst.z on random.z")));
  // PSDs of a band that sweeps and of the noise that it acts on add up: a few percent of many straight lines above.
  const Ran added = run_program(folder, "profile box-results/levels/both.csv --no-figures --out both");
  ASSERT_EQ(added.status, 0) << added.err;
  const double whole = std::hypot(sigma, cell(summary, "burst.z.rms", "box.acceleration.z", "RMS=1σ"));
  const double told = summary_of(folder, "both")["facts"]["both acceleration RMS"]["value"];
  EXPECT_GE(told, whole);
  EXPECT_LE(told, 1.1 * whole);
}

// Bare tables, one from a file of two columns and a plan beside them: what each is by its unit, side by side, bands
// that add up, an envelope never below; a vibrator that is asked too much tells from where to where, by its status too.
TEST(Levels, ProfilesStandInBareTables) {
  const TemporaryFolder folder;
  (void)folder.write("measured.csv",
                     "frequency (Hz),near (g^2/Hz),far (g^2/Hz)\n20,0.01,0.02\n80,0.04,0.02\n300,0.2,0.02\n"
                     "320,0.01,0.02\n2000,0.01,0.02\n");
  (void)folder.write("sound.csv", "frequency (Hz),level (dB)\n100,121\n125,124\n");
  (void)folder.write("sweep.csv", "frequency (rpm),amplitude (g)\n300,4\n6000,4\n");
  (void)folder.write(
      "plan.yaml",
      "profiles:\n  near: {random: [[20 Hz, 0.05 g^2/Hz], [2000 Hz, 0.05 g^2/Hz]]}\n"
      "vibrator: {force: 3 kN, random force: 9 kN, velocity: 1 m/s, stroke: 30 mm, moving mass: 60 kg, table "
      "mass: 20 kg, specimen: 20 kg}\n");
  const Ran ran = run_program(folder,
                              "profile measured.csv sound.csv sweep.csv plan.yaml:near --band '20 Hz, 300 Hz' --band "
                              "'300 Hz, 2000 Hz' --envelope 3 --margin '3 dB' --average 'third octave' --out all");
  EXPECT_EQ(ran.status, 1) << ran.err;
  EXPECT_THAT(ran.out, AllOf(HasSubstr("Profile far: random"), HasSubstr("Profile sound: random, PSD of a pressure"),
                             HasSubstr("Profile sweep: sine"), HasSubstr("Profile plan-near: random"),
                             HasSubstr("beside one another"),
                             HasSubstr("a rigid specimen of 20.00 kg asks of the vibrator, 100.0 kg moving")));
  EXPECT_THAT(ran.err, HasSubstr("more of the vibrator than it can give"));
  const auto summary = summary_of(folder, "all");
  EXPECT_NEAR(double(summary["facts"]["far acceleration RMS"]["value"]), std::sqrt(0.02 * 1980), 1e-7);
  EXPECT_THAT(test::read_all(folder / "all/tables/vibrator.csv"), HasSubstr("sweep,force,3923 N,3000 N"));
  EXPECT_THAT(test::read_all(folder / "all/tables/bands.csv"), HasSubstr("far,20,300,2.366 g,14.14"));
  EXPECT_TRUE(std::filesystem::exists(folder / "all/levels/near.csv"));
  EXPECT_TRUE(std::filesystem::exists(folder / "all/figures/profiles.1.svg"));
  const Ran again = run_program(folder, "profile all/levels/near.csv --no-figures --out again");
  EXPECT_EQ(again.status, 0) << again.err;
}

TEST(Levels, WhatCannotBeIsRefusedInOneSentence) {
  const TemporaryFolder folder;
  (void)folder.write("bare.csv", "frequency,level\n20,1\n");
  (void)folder.write("odd.csv", "frequency (Hz),level (kg)\n20,1\n40,1\n");
  (void)folder.write("twice.csv", "frequency (Hz),a (g),a (g)\n20,1,2\n40,1,2\n");
  (void)folder.write("empty.csv", "");
  (void)folder.write("good.csv", "frequency (Hz),a (g)\n20,1\n40,1\n");
  const std::pair<const char*, const char*> of_profiles[] = {
      {"bare.csv",
       "bare.csv:1:1: column \"level\" of the file has no unit; write its header as in: frequency (Hz),level"},
      {"odd.csv", "column \"level\" is in kg, which is no level of a profile"},
      {"twice.csv", "two columns are called \"a\""},
      {"empty.csv", "the file is empty"},
      {"good.csv --margin '3 dB'", "--margin is that of an envelope"},
      {"good.csv --envelope 1", "--envelope 1 is not possible"},
      {"good.csv --envelope 4 --average 'thrd octave'", "third octave"},
      {"good.csv --band 20", "write --band \"20 Hz, 100 Hz\""},
      {"good.csv --band '40 Hz, 20 Hz'", "write the lower frequency first"},
      {"good.csv --set a=1", "is a bare table"},
      {"good.csv:b", "no profile \"b\""}};
  for (const auto& [arguments, sentence] : of_profiles) {
    const Ran ran = run_program(folder, fmt::format("profile {} --no-figures", arguments));
    EXPECT_EQ(ran.status, 2) << arguments;
    EXPECT_THAT(ran.err, HasSubstr(sentence)) << arguments;
  }
  const std::tuple<const char*, const char*, const char*> of_plans[] = {
      {"", "equipment levels:\n  a: {of: box.speed, in: random}\n", "\"box.speed\" is not watched"},
      {"  resting: {static: {acceleration: {z: -1 g}}}\n",
       "equipment levels:\n  a: {of: box.acceleration, in: resting}\n", "no curve over the frequency of a base"},
      {"", "equipment levels:\n  a: {of: box.acceleration, in: [random, sine]}\n", "do not go into one envelope"},
      {"", "equipment levels:\n  a: {of: box.acceleration, in: sine, average over: octave}\n", "are not averaged"},
      {"", "equipment levels:\n  a: {of: box.acceleration, in: random, points: 1}\n", "1 points make no envelope"},
      {"", "histories:\n  a: {in: random, of: box.acceleration, duration: 1 s}\n", "write in: random.x"},
      {"", "histories:\n  a: {in: sine.z, of: box.acceleration, duration: 1 s}\n", "no case of random vibration"},
      {"", "histories:\n  a: {in: random.z, of: [], duration: 1 s}\n", "nothing is named"},
      {"", "histories:\n  a: {in: random.z, of: box.acceleration, duration: 1 s, rate: 100 Hz}\n",
       "too few for 2000 Hz"},
      {"", "histories:\n  a: {in: random.z, of: box.acceleration, duration: 1000000 s}\n", "write a shorter duration"},
      {"", "cross spectra:\n  a: {of: [box.acceleration, box.acceleration.z], in: random.z}\n", "which has no phase"},
      {"", "cross spectra:\n  a: {of: box.acceleration.z, in: random.z}\n", "two responses are due"},
      {"", "vibrator: {force: 3 kN}\n", "\"moving mass\" is missing"},
      {"  a: {profile: sweep, axes: z, on: sine}\n", "", "is not random"},
      {"  a: {profile: sweep, axes: z, on: random}\n",
       "limits:\n  b: {of: box.acceleration.z, in: a, take: peak, allowable: 9 g}\n", "which acts on random"},
      {"  a: {profile: sweep, axes: z, on: random}\n",
       "limits:\n  b: {of: box.acceleration.z, in: a, take: 3 sigma, allowable: 9 g}\n", "have no sigma"},
      {"  a: {profile: sweep, axes: z, tones: 20 Hz}\n", "", "none is named"},
      {"  a: {profile: sweep, axes: z, on: random, tones: 3000 Hz}\n", "", "lies outside"},
      {"  a: {profile: sweep, axes: z, on: random, tones: []}\n", "", "no tone is named"},
      {"  a: {profile: shake, axes: z, on: random}\n", "", "sweeping: {width: 20 Hz}"},
      {"  a: {profile: shake, axes: z, on: random, sweeping: {width: 3000 Hz}}\n", "", "as wide as the whole profile"},
      {"  a: {profile: sweep, axes: z, on: random, sweeping: {width: 5 Hz}}\n", "", "a band is random"}};
  for (const auto& [environments, sections, sentence] : of_plans) {
    (void)folder.write("box.yaml", box_with(environments, sections));
    const Ran ran = run_program(folder, "run box.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << environments << sections;
    EXPECT_THAT(ran.err, AllOf(HasSubstr(sentence), HasSubstr("box.yaml:"))) << environments << sections;
    EXPECT_FALSE(std::filesystem::exists(folder / "box-results"));
  }
  const std::pair<const char*, const char*> of_fields[] = {
      {"[{tone: sound, pressure field: {diffuse: {}}}]", "\"speed of sound\" is missing"},
      {"[{tone: sound, pressure field: {boundary layer: {speed: 70 m/s}}}]", "\"direction\" is missing"},
      {"[{tone: 20 Pa, pressure field: {diffuse: {speed of sound: 340 m/s}}}]", "tone is no random load"},
      {"[{tone: sound, pressure field: diffuse}]", "a map is due"}};
  for (const auto& [loads, sentence] : of_fields) {
    std::string plan = example("panel-under-pressure.yaml");
    plan.replace(plan.find("environments:\n"), 14, fmt::format("environments:\n  field: {{loads: {}}}\n", loads));
    (void)folder.write("panel.yaml", plan);
    const Ran ran = run_program(folder, "run panel.yaml --no-figures");
    EXPECT_EQ(ran.status, 2) << loads;
    EXPECT_THAT(ran.err, HasSubstr(sentence)) << loads;
  }
}

}  // namespace
}  // namespace avrenk
