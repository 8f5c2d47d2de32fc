// Plans that would take all memory, never end or crash a reader: each is refused at once, with a sentence.
#include <gmock/gmock.h>
#include <sys/stat.h>

#include <chrono>

#include "support/plans.h"

namespace avrenk {
namespace {

using test::problem_of;
using testing::HasSubstr;

const std::string mast = R"(materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3, loss factor: 0.4 %}
parts:
  mast:
    line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, 300 mm], divisions: 4}
    section: {tube: {diameter: 26 mm, wall: 1.5 mm}}
    material: alloy
places:
  root: {part: mast, plane: {z: 0 mm}}
  tip: {part: mast, nearest: [0 mm, 0 mm, 900 mm]}
base:
  fixture: {place: root, holds: all}
watch:
  tip: {at: tip, quantities: [acceleration]}
profiles:
  sweep: {sine: {acceleration: [[5 Hz, 0.5 g], [200 Hz, 0.5 g]]}}
environments:
  sine: {profile: sweep, axes: [x, z]}
)";

std::string with(const std::string& what, const std::string& instead) { return test::replaced(mast, what, instead); }

std::string repeated(const std::string& text, int times) {
  std::string all;
  for (int k = 0; k < times; ++k) all += text;
  return all;
}

// Ten of the one before, eleven times: 10^11 values.
std::string alias_bomb() {
  std::string values = "values:\n  a0: &a0 [1, 1, 1, 1, 1, 1, 1, 1, 1, 1]\n";
  for (int k = 1; k < 12; ++k) {
    const std::string before = "*a" + std::to_string(k - 1);
    values +=
        "  a" + std::to_string(k) + ": &a" + std::to_string(k) + " [" + before + repeated(", " + before, 9) + "]\n";
  }
  return values + mast;
}

// Twice the one before, forty times.
std::string doubling(bool list) {
  std::string values = "values:\n  v0: " + std::string(list ? "[1 mm, 2 mm]" : "1 mm") + "\n";
  for (int k = 1; k < 40; ++k) {
    const std::string before = "${v" + std::to_string(k - 1) + "}";
    values += "  v" + std::to_string(k) + ": " +
              (list ? "[\"" + before + "\", \"" + before + "\"]" : "\"" + before + " + " + before + "\"") + "\n";
  }
  return values + with("wall: 1.5 mm", "wall: \"${v39}\"");
}

// A long list inside fifty names.
std::string anchors_in_anchors() {
  std::string list = "[1" + repeated(",1", 30000) + "]";
  for (int k = 0; k < 50; ++k) list = "[&a" + std::to_string(k) + " " + list + "]";
  return list;
}

TEST(HostilePlan, IsRefusedAtOnceWithASentence) {
  struct Case {
    const char* what;
    std::string plan, said;
  };
  const Case cases[] = {
      {"alias in itself", mast + "values: &a {x: *a}\n", "this is nested more than 60 deep"},
      {"list in itself", "values: &a [*a]\n" + mast, "an alias (*name) may not stand inside what it names"},
      {"deep brackets", "values: " + repeated("[", 100000) + "\n" + mast, "this is nested more than 60 deep"},
      {"documents without end", "[1, 2],\n" + mast, "the plan ends before this line, and more follows"},
      {"a map as a key", mast + "{a: b}: c\n", "a key must be plain text"},
      {"anchors inside one another", "values: " + anchors_in_anchors() + "\n" + mast, "the plan grows beyond"},
      {"aliases that multiply", alias_bomb(), "the plan grows beyond 1000000 values here"},
      {"texts that double", doubling(false), "this text is longer than 100000 letters"},
      {"lists that double", doubling(true), "the plan grows beyond 1000000 values here"},
      {"unit of brackets", with("71 GPa", "\"71 " + repeated("(", 100000) + "GPa\""),
       "a unit of 100003 letters is none"},
      {"no finite frequency", with("[200 Hz, 0.5 g]", "[1e307 Hz, 0.5 g]"), "\"1e307 Hz\" is too much to be meant"},
      {"far away", with("[0 mm, 0 mm, 900 mm]", "[1e308 mm, 0 mm, 900 mm]"), "\"1e308 mm\" is too much to be meant"},
      {"nothing thick", with("wall: 1.5 mm", "wall: 1e-300 mm"), "\"1e-300 mm\" is too little to be meant"},
      {"divisions", with("divisions: 4", "divisions: 2000000000"), "2000000000 is more than 1000000; write less"},
      {"beyond counting", with("divisions: 4", "divisions: 99999999999999999999"), "is more than 1000000; write less"},
      {"small elements", with("divisions: 4", "element: 1e-9 mm"), "3e+11 elements in a row, more than 1e+06"},
      {"a block of all",
       with("places:",
            "  block:\n    box: {size: [9 mm, 9 mm, 9 mm], divisions: [999999, 999999, 999999]}\n"
            "    material: alloy\nplaces:"),
       "elements, more than 2e+07; make the elements larger"},
      {"NUL in a name", with("  tip: {at", "  \"t\\0ip\": {at"),
       "a control character (0x00) stands in this text; take it out"},
      {"escape in a title", "title: \"\\e[2J\"\n" + mast, "a control character (0x1b) stands in this text"},
      {"points", with("axes: [x, z]", "axes: [x, z], frequencies: {points per resonance: 999999}"),
       "999999 points per resonance are more than 10001"},
      {"fields", with("axes: [x, z]", "axes: [x, z], frequencies: {at: [10 Hz" + repeated(", 10 Hz", 500) + "]}"),
       "the whole model at 501 frequencies takes much memory, at most 500 are kept"},
      {"an empty list", with("quantities: [acceleration]", "quantities: []"), "the list is empty"},
      {"empty", "", "the plan is empty; write one, or begin with avrenk new PLAN.yaml"},
      {"comment", "# nothing yet\n", "the plan is empty"},
  };
  for (const Case& each : cases) {
    const auto start = std::chrono::steady_clock::now();
    const std::string said = problem_of(each.plan);
    EXPECT_THAT(said, HasSubstr(each.said)) << each.what;
    EXPECT_LT(said.size(), 3000U) << each.what;
    EXPECT_LT(std::chrono::steady_clock::now() - start, std::chrono::seconds(20)) << each.what;
  }
}

// What is named is a folder, a pipe that nobody writes to, a file that includes what includes it.
TEST(HostilePlan, ReadsRegularFilesOnly) {
  const test::TemporaryFolder folder;
  std::filesystem::create_directory(folder / "folder.csv");
  ASSERT_EQ(mkfifo((folder / "pipe.csv").c_str(), 0600), 0);
  for (const auto& [file, said] : {std::pair{"folder.csv", "is a folder, where a table of levels is due"},
                                   {"pipe.csv", "is a pipe or a device, where a table of levels is due"},
                                   {"none.csv", "there is no such file"}}) {
    const auto plan = folder.write("plan.yaml", with("{acceleration: [[5 Hz, 0.5 g], [200 Hz, 0.5 g]]}",
                                                     std::string("{acceleration: {file: ") + file + "}}"));
    try {
      (void)read_plan(plan, {});
      ADD_FAILURE() << file;
    } catch (const InputError& error) {
      EXPECT_THAT(error.what(), HasSubstr(said));
    }
  }
  EXPECT_THROW((void)read_plan(folder / "folder.csv", {}), FileError);
  EXPECT_THROW((void)read_plan(folder / "pipe.csv", {}), FileError);
}

}  // namespace
}  // namespace avrenk
