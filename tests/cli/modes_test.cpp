// Modes as the user meets them: which are asked for, what is kept of them, and Ctrl-C.
#include <gmock/gmock.h>

#include <chrono>
#include <nlohmann/json.hpp>

#include "support/program.h"

namespace avrenk {
namespace {

using test::example;
using test::listing;
using test::Ran;
using test::run_program;
using test::run_shell;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;
using Json = nlohmann::json;

TEST(ModesCommand, FindsThoseNearAnOperatingSpeedAndRefusesResponsesFromThem) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  const std::string near = "--set \"modes={near: 60000 rpm, count: 2}\"";
  const Ran modes = run_program(folder, "modes mast.yaml --full --no-figures " + near);
  EXPECT_EQ(modes.status, 0) << modes.err;
  EXPECT_THAT(modes.out, AllOf(HasSubstr("2 modes between 1072.9 and 1072.9 Hz, none missing between by inertia count; "
                                         "4 lie below"),
                               HasSubstr("No residual vectors")));
  const Ran sine = run_program(folder, "sine mast.yaml --full --no-figures " + near);
  EXPECT_EQ(sine.status, 2);
  EXPECT_THAT(sine.err,
              HasSubstr("only modes near 1000 Hz were asked for: the 4 below them are missing, and a response "
                        "needs them"));
  for (const auto& [modes_key, sentence] : std::initializer_list<std::pair<const char*, const char*>>{
           {"{near: 60 Hz}", "\"near\" needs a number of modes; write {near: 1150 rpm, count: 6}"},
           {"{near: 60 Hz, up to: 90 Hz}", "\"near\" cannot be given beside \"up to\" or \"free\"; keep one"},
           {"{near: 60 mm, count: 3}", "modes near: \"60 mm\" is a length; write a frequency such as"}}) {
    const Ran bad = run_program(folder, std::string("modes mast.yaml --full --set \"modes=") + modes_key + "\"");
    EXPECT_EQ(bad.status, 2);
    EXPECT_THAT(bad.err, HasSubstr(sentence));
  }
}

TEST(KeptModes, SayWhetherTheyAreUsedAndWhyNot) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  EXPECT_THAT(run_program(folder, "run mast.yaml --no-figures").err, Not(HasSubstr("results.h5")));
  const auto note = [&](const std::string& set) {
    return run_program(folder, "run mast.yaml --no-figures --out other --set \"" + set + "\"").err;
  };
  EXPECT_THAT(note("damping.otherwise=4 %"), HasSubstr("computed for the same model"));
  EXPECT_THAT(note("modes={up to: 200 Hz}"), HasSubstr("they reach 300 Hz, further than asked for"));
  EXPECT_THAT(note("modes={up to: 3000 Hz}"), HasSubstr("computed anew, not taken from other/results.h5: the "
                                                        "modes asked for are others, or reach further"));
  (void)run_program(folder, "run mast.yaml --no-figures");
  std::filesystem::remove_all(folder / "other");
  EXPECT_THAT(note("masses.antenna.mass=200 gram"), HasSubstr("mass antenna changed"));
  const std::string whole = test::read_all(folder / "mast-results/results.h5");
  (void)folder.write("mast-results/results.h5", whole.substr(0, whole.size() / 2));
  std::filesystem::remove_all(folder / "other");
  EXPECT_THAT(note("damping.otherwise=4 %"), HasSubstr("the file was cut short or changed"));
}

// A signal in the middle of a run: it ends at once, nothing half-written is left, and earlier results stay as they
// were.
TEST(CtrlC, LeavesNothingHalfWritten) {
  const TemporaryFolder folder;
  const Ran first = run_program(folder,
                                "demo deck --no-figures --set \"values.element=60 mm\" --set values.barrel-around=16 "
                                "--set values.barrel-along=8");
  ASSERT_LT(first.status, 2) << first.err;
  const std::string before = test::read_all(folder / "deck/payload-deck-results/summary.json");
  for (const char* after : {"0.3", "1.5"}) {
    const auto start = std::chrono::steady_clock::now();
    const Ran ran = run_shell(folder, std::string("timeout --preserve-status -s INT ") + after + " " + AVRENK_PROGRAM +
                                          " run deck/payload-deck.yaml");
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    EXPECT_EQ(ran.status, 130) << ran.err;
    EXPECT_LT(took.count(), std::atof(after) + 1);
    EXPECT_THAT(ran.err, HasSubstr("avrenk: stopped; nothing was written"));
    EXPECT_EQ(run_shell(folder, "ls -A deck").out, "mast-foot.vtu\npayload-deck-results\npayload-deck.yaml\n");
    EXPECT_EQ(test::read_all(folder / "deck/payload-deck-results/summary.json"), before);
  }
}

}  // namespace
}  // namespace avrenk
