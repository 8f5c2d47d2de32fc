// Every call of a command that changes the file system fails once, and at every one of them the command is killed once:
// there are always whole results, earlier or new, a status of our own and a sentence; and the next one works and sweeps
// what was left.
#include <gmock/gmock.h>

#include <map>

#include "support/program.h"

namespace avrenk::test {
namespace {

using testing::HasSubstr;
using testing::Not;

struct FaultyCommand {
  const char* command;
  const char* results;
  const char* earlier;  // what makes results that differ, with the same modes where notes tell of them
  int step;             // one call in so many is tried; all of them by AVRENK_ALL_FAULTS=1
};

void PrintTo(const FaultyCommand& command, std::ostream* out) { *out << command.command; }

class Faults : public testing::TestWithParam<FaultyCommand> {
 protected:
  Faults() {
    (void)folder_.write("mast.yaml", example("mast.yaml"));
    (void)folder_.write("bench.csv", example("mast-on-bench.csv"));
    EXPECT_EQ(run_program(folder_, "run mast.yaml --no-figures --quiet --audit 0 --out other").status, 0);
    for (int k = 0; k < 2; ++k) EXPECT_EQ(run_earlier().status, 0);  // with modes that were kept
    earlier_ = content();
    const Ran counted = run("count");
    EXPECT_EQ(counted.status, 0) << counted.err;
    const std::size_t at = counted.err.rfind("calls: ");
    calls_ = at == std::string::npos ? 0 : std::atoi(counted.err.c_str() + at + 7);
    later_ = content();
    before_ = left();
  }
  // Preloaded by the program alone, not by the shell.
  [[nodiscard]] Ran run(const std::string& fault = "", const std::string& more = "") const {
    const std::string environment = fault.empty() ? "" : "env LD_PRELOAD=" AVRENK_FAULTS " AVRENK_FAULT=" + fault + " ";
    return run_shell(folder_, environment + AVRENK_PROGRAM + " " + GetParam().command + " --quiet --threads 1" + more);
  }
  [[nodiscard]] Ran run_earlier() const {
    return std::string(GetParam().command).starts_with("compare")
               ? run_shell(folder_,
                           std::string(AVRENK_PROGRAM) + " compare other other --out both --no-figures --quiet")
               : run("", GetParam().earlier);
  }
  // Files of the results but those in which times stand.
  [[nodiscard]] std::map<std::string, std::string> content() const {
    std::map<std::string, std::string> all;
    std::error_code none;
    const auto results = folder_ / GetParam().results;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(results, none)) {
      const std::string name = std::filesystem::relative(entry.path(), results).string();
      if (!entry.is_regular_file()) continue;
      const bool times = name == "run.log" || name.starts_with("report.") || name.ends_with(".h5");
      all[name] = times ? "" : read_all(entry.path());
    }
    return all;
  }
  [[nodiscard]] std::string left() const { return run_shell(folder_, "ls -A | grep -v '^[.][oe]$'").out; }
  [[nodiscard]] static int step() { return std::getenv("AVRENK_ALL_FAULTS") ? 1 : GetParam().step; }

  TemporaryFolder folder_;
  std::map<std::string, std::string> earlier_, later_;
  std::string before_;
  int calls_ = 0;
};

TEST_P(Faults, OfAnyCallLeaveWholeResults) {
  ASSERT_GT(calls_, 10);
  ASSERT_NE(earlier_, later_);
  int failed = 0;
  for (int call = 1; call <= calls_; call += step()) {
    SCOPED_TRACE("call " + std::to_string(call));
    ASSERT_EQ(run_earlier().status, 0);
    const Ran ran = run("fail:" + std::to_string(call));
    EXPECT_THAT(ran.status, testing::AnyOf(0, 4)) << ran.err;
    if (ran.status == 4) {
      ++failed;
      EXPECT_GT(ran.err.size(), 10U);
      EXPECT_THAT(ran.err, Not(HasSubstr("fault in avrenk")));
      EXPECT_THAT(ran.err, Not(HasSubstr(".partial-")));
      EXPECT_EQ(content(), earlier_);
    } else {
      EXPECT_EQ(content(), later_);
    }
  }
  EXPECT_GT(failed, 0);
  ASSERT_EQ(run().status, 0);
  EXPECT_EQ(left(), before_);
}

TEST_P(Faults, KillsLeaveWholeResults) {
  for (int call = 1; call <= calls_; call += step()) {
    SCOPED_TRACE("call " + std::to_string(call));
    ASSERT_EQ(run_earlier().status, 0);
    const Ran ran = run("kill:" + std::to_string(call));
    EXPECT_EQ(ran.status, 137) << ran.err;
    EXPECT_TRUE(content() == earlier_ || content() == later_);
  }
  ASSERT_EQ(run().status, 0);
  EXPECT_EQ(content(), later_);
  EXPECT_EQ(left(), before_);
}

// Little of what a process may have: it ends as on another day, or with a sentence and nothing half-written.
TEST_P(Faults, ScarcityLeavesWholeResults) {
  for (const char* limit : {"-v 150000", "-v 200000", "-v 260000", "-v 400000", "-n 8", "-n 12", "-n 24", "-s 64",
                            "-s 256", "-f 1", "-f 20", "-f 200", "-t 1"}) {
    SCOPED_TRACE(limit);
    ASSERT_EQ(run_earlier().status, 0);
    const Ran ran = run_shell(folder_, std::string("ulimit ") + limit + "; timeout 60 " + AVRENK_PROGRAM + " " +
                                           GetParam().command + " --quiet --threads 1");
    EXPECT_THAT(ran.status, testing::AnyOf(0, 3, 4)) << ran.err;
    EXPECT_THAT(ran.err, Not(HasSubstr("fault in avrenk")));
    if (ran.status != 0) {
      EXPECT_GT(ran.err.size(), 10U);
      EXPECT_EQ(content(), earlier_);
    } else {
      EXPECT_EQ(content(), later_);
    }
  }
  ASSERT_EQ(run().status, 0);
  EXPECT_EQ(left(), before_);
}

INSTANTIATE_TEST_SUITE_P(
    Commands, Faults,
    testing::Values(
        FaultyCommand{"run mast.yaml --no-figures", "mast-results", " --set title=earlier", 7},
        FaultyCommand{"reduce mast.yaml --out mast-component", "mast-component",
                      " --set \"masses.antenna.offset=[0 mm, 0 mm, 15.1 mm]\"", 13},
        FaultyCommand{"change mast.yaml materials.laminate.E", "mast-change-results", " --set title=earlier", 13},
        FaultyCommand{"update mast.yaml bench.csv:sine.x", "mast-update-results", " --set title=earlier", 13},
        FaultyCommand{"compare other bench.csv:sine.x --out both --no-figures", "both", "", 13}),
    [](const auto& made) {
      const std::string command = made.param.command;
      return command.substr(0, command.find(' '));
    });

}  // namespace
}  // namespace avrenk::test
