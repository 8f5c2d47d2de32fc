// Streams that are closed or full, faults of file systems, names that are no file names: a status of our own, a
// sentence, earlier results whole.
#include <gmock/gmock.h>

#include "support/program.h"

namespace avrenk::test {
namespace {

using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

const std::string program = AVRENK_PROGRAM;

TEST(Streams, ThatFailAreToldByStatusFour) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  for (int k = 0; k < 2; ++k) ASSERT_EQ(run_program(folder, "run mast.yaml --no-figures").status, 0);
  const std::string before = listing(folder / "mast-results");
  const std::string run = program + " run mast.yaml --no-figures";
  for (const std::string& command : {run + " >&-", run + " >/dev/full", run + " <&- >&- 2>&-", run + " 2>&- >/dev/full",
                                     run + " | (exec <&-; sleep 2); exit ${PIPESTATUS[0]}",
                                     program + " help >/dev/full", program + " modes mast.yaml >&- 2>&-"}) {
    const Ran ran = run_shell(folder, "bash -c '" + command + "'");
    EXPECT_EQ(ran.status, 4) << command << "\n" << ran.err;
    EXPECT_EQ(listing(folder / "mast-results"), before) << command;
    EXPECT_THAT(ran.err, Not(HasSubstr("fault in avrenk"))) << command;
  }
  // A file may not grow beyond 4 kB: the run fails, and what was there stays.
  const Ran cut = run_shell(folder, "bash -c 'ulimit -f 4; " + run + "'");
  EXPECT_EQ(cut.status, 4) << cut.err;
  EXPECT_THAT(cut.err, HasSubstr("cannot be written"));
  EXPECT_EQ(listing(folder / "mast-results"), before);
  EXPECT_THAT(run_shell(folder, "ls -A").out, Not(HasSubstr("partial")));
}

// With too little address space for the buffers of the algebra a run ends at once, and does not wait for memory.
TEST(Memory, ThatIsNotAllowedIsToldByStatusThree) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  for (const char* kilobytes : {"250000", "400000"}) {
    const Ran ran = run_shell(folder, std::string("bash -c 'ulimit -v ") + kilobytes + "; timeout 60 " + program +
                                          " run mast.yaml --no-figures'");
    EXPECT_EQ(ran.status, 3) << ran.err;
    EXPECT_THAT(ran.err, HasSubstr("not enough memory: ")) << kilobytes;
  }
}

TEST(FileSystem, FaultsAreToldWithTheirPath) {
  const TemporaryFolder folder;
  (void)folder.write("mast.yaml", example("mast.yaml"));
  std::filesystem::create_directory(folder / "folder.yaml");
  struct Case {
    std::string command, said;
  };
  for (const Case& each :
       {Case{program + " run mast.yaml --out \"\"", "--out: names no folder"},
        Case{program + " run mast.yaml --out " + std::string(300, 'x'), "name too long"},
        Case{program + " run mast.yaml --out mast.yaml/results", "ot a directory"},
        Case{program + " run folder.yaml", "is a folder, where a plan is due"},
        Case{program + " run none.yaml", "none.yaml: there is no such file"},
        Case{"ln -s nowhere dangling; " + program + " run mast.yaml --out dangling", "is a link that leads nowhere"},
        Case{"mkdir gone; cd gone; rmdir ../gone; " + program + " run ../mast.yaml --out here", "o such file"},
        Case{"mkdir -p mast-results; cp mast.yaml mast-results; " + program +
                 " run mast-results/mast.yaml --out mast-results",
             "exists and is no folder of results"}}) {
    const Ran ran = run_shell(folder, each.command);
    EXPECT_EQ(ran.status, 4) << each.command << "\n" << ran.err;
    EXPECT_THAT(ran.err, HasSubstr(each.said)) << each.command;
    EXPECT_THAT(ran.err, Not(HasSubstr("fault in avrenk"))) << each.command;
  }
  EXPECT_EQ(read_all(folder / "mast-results/mast.yaml"), example("mast.yaml"));  // a plan in the folder of results
}

// Names with what leads elsewhere, begins a quoted text or a tag, in files, charts and report.
TEST(Names, NeverLeaveTheFolderOfResults) {
  const TemporaryFolder folder;
  std::string plan = example("mast.yaml");
  plan = replaced(plan, "title: ", "title: \"'<b>\" #");
  std::filesystem::create_directories(folder / "a/b/c");
  std::string text = plan;
  const std::size_t watch = text.find("\nwatch:\n  ");
  ASSERT_NE(watch, std::string::npos);
  text.insert(watch + 8, "  \"'quoted ../../../keep <i>\": {at: tip, quantities: [acceleration]}\n");
  (void)folder.write("a/b/c/mast.yaml", text);
  const Ran ran = run_program(folder, "run a/b/c/mast.yaml");
  ASSERT_LT(ran.status, 2) << ran.err;
  EXPECT_THAT(ran.err, Not(HasSubstr("hold no figures")));
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder.path())) {
    const std::string inside = std::filesystem::relative(entry.path(), folder.path()).string();
    EXPECT_TRUE(inside == "a/b/c/mast.yaml" || std::string("a/b/c/mast-results").starts_with(inside.substr(0, 18)))
        << inside;
  }
  // Tags stand in the plan as it was given alone, in a block of code.
  const std::string report = read_all(folder / "a/b/c/mast-results/report.md");
  EXPECT_THAT(report.substr(0, report.find("```")), AllOf(HasSubstr("&lt;b&gt;"), Not(HasSubstr("<i>"))));
}

}  // namespace
}  // namespace avrenk::test
