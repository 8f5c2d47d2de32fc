// Every call of a small run that changes the file system fails once, and at every one of them the run is killed once:
// there are always whole results, earlier or new, a status of our own and a sentence; and the next run works and sweeps
// what was left.
#include <gmock/gmock.h>

#include <map>

#include "support/program.h"

namespace avrenk::test {
namespace {

using testing::HasSubstr;
using testing::Not;

class Faults : public testing::Test {
 protected:
  Faults() {
    (void)folder_.write("mast.yaml", example("mast.yaml"));
    for (int k = 0; k < 2; ++k) EXPECT_EQ(run(" --set \"title=earlier\"").status, 0);  // with modes that were kept
    earlier_ = content();
    const Ran counted = run("", "count");
    EXPECT_EQ(counted.status, 0) << counted.err;
    const std::size_t at = counted.err.rfind("calls: ");
    calls_ = at == std::string::npos ? 0 : std::atoi(counted.err.c_str() + at + 7);
    later_ = content();
  }
  // Preloaded by the program alone, not by the shell.
  [[nodiscard]] Ran run(const std::string& more, const std::string& fault = "") const {
    const std::string environment = fault.empty() ? "" : "env LD_PRELOAD=" AVRENK_FAULTS " AVRENK_FAULT=" + fault + " ";
    return run_shell(folder_, environment + AVRENK_PROGRAM + " run mast.yaml --no-figures --quiet --threads 1" + more);
  }
  // Files of the results but those in which times stand.
  [[nodiscard]] std::map<std::string, std::string> content() const {
    std::map<std::string, std::string> all;
    std::error_code none;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / "mast-results", none)) {
      const std::string name = std::filesystem::relative(entry.path(), folder_ / "mast-results").string();
      if (!entry.is_regular_file()) continue;
      const bool times = name == "run.log" || name.starts_with("report.") || name.ends_with(".h5");
      all[name] = times ? "" : read_all(entry.path());
    }
    return all;
  }
  [[nodiscard]] std::string left() const { return run_shell(folder_, "ls -A | grep -v '^[.][oe]$'").out; }

  TemporaryFolder folder_;
  std::map<std::string, std::string> earlier_, later_;
  int calls_ = 0;
};

// One in so many is tried; all of them by AVRENK_ALL_FAULTS=1.
int step() { return std::getenv("AVRENK_ALL_FAULTS") ? 1 : 7; }

TEST_F(Faults, OfAnyCallLeaveWholeResults) {
  ASSERT_GT(calls_, 30);
  ASSERT_NE(earlier_, later_);
  int failed = 0;
  for (int call = 1; call <= calls_; call += step()) {
    SCOPED_TRACE("call " + std::to_string(call));
    ASSERT_EQ(run(" --set \"title=earlier\"").status, 0);
    const Ran ran = run("", "fail:" + std::to_string(call));
    EXPECT_THAT(ran.status, testing::AnyOf(0, 4)) << ran.err;
    if (ran.status == 4) {
      ++failed;
      EXPECT_GT(ran.err.size(), 10U);
      EXPECT_THAT(ran.err, Not(HasSubstr("fault in avrenk")));
      EXPECT_EQ(content(), earlier_);
    } else {
      EXPECT_EQ(content(), later_);
    }
  }
  EXPECT_GT(failed, 5);
  ASSERT_EQ(run("").status, 0);
  EXPECT_EQ(left(), "mast-results\nmast.yaml\n");
}

TEST_F(Faults, KillsLeaveWholeResults) {
  for (int call = 1; call <= calls_; call += step()) {
    SCOPED_TRACE("call " + std::to_string(call));
    ASSERT_EQ(run(" --set \"title=earlier\"").status, 0);
    const Ran ran = run("", "kill:" + std::to_string(call));
    EXPECT_EQ(ran.status, 137) << ran.err;
    EXPECT_TRUE(content() == earlier_ || content() == later_);
  }
  ASSERT_EQ(run("").status, 0);
  EXPECT_EQ(content(), later_);
  EXPECT_EQ(left(), "mast-results\nmast.yaml\n");
}

}  // namespace
}  // namespace avrenk::test
