// What a shell and the manual know of the commands: the same as their help.
#include <fmt/format.h>
#include <gmock/gmock.h>

#include <sstream>

#include "support/program.h"

namespace avrenk {
namespace {

using test::Ran;
using test::run_program;
using test::run_shell;
using test::TemporaryFolder;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

// Names of the commands, and of the options of each, as the help has them.
std::vector<std::string> names_in(const std::string& help, const std::string& before, const std::string& prefix) {
  std::vector<std::string> names;
  std::istringstream lines(help.substr(help.find(before)));
  for (std::string line, word; std::getline(lines, line);)
    if (line.starts_with("  " + prefix) && line[2] != ' ') {
      std::istringstream(line) >> word;
      names.push_back(word);
    } else if (line.empty() && !names.empty()) {
      break;
    }
  return names;
}

TEST(Shell, KnowsEveryCommandAndOption) {
  const TemporaryFolder folder;
  const std::string bash = run_program(folder, "help bash").out, zsh = run_program(folder, "help zsh").out,
                    manual = run_program(folder, "help man").out;
  const std::vector<std::string> commands = names_in(run_program(folder, "--help").out, "Commands\n", "");
  ASSERT_GT(commands.size(), 8U);
  std::string plain = manual;
  for (std::size_t at; (at = plain.find("\\-")) != std::string::npos;) plain.erase(at, 1);
  for (const std::string& command : commands) {
    const std::size_t in_bash = bash.find("    " + command + ") options='"),
                      in_zsh = zsh.find("    " + command + ")\n");
    ASSERT_TRUE(in_bash != std::string::npos && in_zsh != std::string::npos) << command;
    EXPECT_THAT(plain, HasSubstr(".BR \"" + command + "\""));
    const std::string line = bash.substr(in_bash, bash.find('\n', in_bash) - in_bash) + " ",
                      block = zsh.substr(in_zsh, zsh.find(";;", in_zsh) - in_zsh);
    const std::vector<std::string> options = names_in(run_program(folder, command + " --help").out, "Options", "--");
    ASSERT_FALSE(options.empty()) << command;
    for (const std::string& option : options) {
      EXPECT_TRUE(line.find(option + " ") != std::string::npos || line.find(option + "'") != std::string::npos)
          << command << option;
      EXPECT_THAT(block, HasSubstr("'" + option)) << command;
      EXPECT_THAT(plain, HasSubstr(".BI \"" + option + "\"")) << command;
    }
    EXPECT_EQ(static_cast<std::size_t>(std::count(block.begin(), block.end(), '\n')), options.size() + 3) << command;
  }
}

// The shells themselves take them; so does the formatter of the manual, without a complaint.
TEST(Shell, CompletesWords) {
  const TemporaryFolder folder;
  for (const char* page : {"bash", "zsh", "man"})
    (void)folder.write(page, run_program(folder, std::string("help ") + page).out);
  for (const char* file : {"deck.yaml", "notes.txt", "lid.csv"}) (void)folder.write(file, "x\n");
  (void)run_shell(folder, "mkdir results");
  EXPECT_EQ(run_shell(folder, "bash -n ./bash && zsh -n ./zsh && groff -man -Tutf8 -ww -z man 2>&1").out, "");
  EXPECT_EQ(run_shell(folder, "zsh -n ./zsh").status, 0);
  const auto completed = [&](const std::string& words) {
    const Ran ran = run_shell(
        folder, fmt::format("bash -c 'source ./bash; COMP_WORDS=(avrenk {}); COMP_CWORD=$((${{#COMP_WORDS[@]}} - 1)); "
                            "_avrenk; echo \"${{COMPREPLY[@]}}\"'",
                            words));
    EXPECT_EQ(ran.err, "") << words;
    return ran.out;
  };
  EXPECT_EQ(completed("mo"), "modes\n");
  EXPECT_EQ(completed("run --no"), "--no-figures\n");
  EXPECT_EQ(completed("new --au"), "\n");
  EXPECT_EQ(completed("run d"), "deck.yaml\n");
  EXPECT_EQ(completed("run n"), "\n");
  EXPECT_EQ(completed("compare l"), "lid.csv\n");
  EXPECT_EQ(completed("ask r"), "results\n");
  EXPECT_EQ(completed("run deck.yaml --out re"), "results\n");
  EXPECT_EQ(completed("help m"), "man\n");
  const Ran none = run_program(folder, "help fish");
  EXPECT_EQ(none.status, 2);
  EXPECT_THAT(none.err, HasSubstr("help has no page \"fish\""));
  EXPECT_THAT(run_shell(folder, "groff -man -Tascii -P-cbou man").out,
              AllOf(HasSubstr("EXIT STATUS"), HasSubstr("--audit"), Not(HasSubstr("\\(dq"))));
}

}  // namespace
}  // namespace avrenk
