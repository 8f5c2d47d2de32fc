/// Runs the built program as a user does: arguments, folder, exit status, both outputs.
#pragma once

#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cstdlib>
#include <sstream>

#include "support/example.h"
#include "support/schema.h"
#include "support/temporary.h"

namespace avrenk::test {

struct Ran {
  int status;
  std::string out, err;
};

/// Plans that a command line names satisfy the schema of plans, and what it wrote that of summaries.
inline void expect_valid_files(const TemporaryFolder& folder, const std::string& arguments,
                               std::filesystem::file_time_type since) {
  std::istringstream words(arguments);
  for (std::string word; words >> word;) {
    const std::filesystem::path file = folder / word.substr(0, word.rfind(".yaml") + 5);
    if (word.find(".yaml") != std::string::npos && std::filesystem::is_regular_file(file)) {
      EXPECT_EQ(complaints_of_plan_file(file), "") << read_all(file);
    }
  }
  for (const auto& entry : std::filesystem::directory_iterator(folder.path())) {
    const auto summary = entry.path() / "summary.json";
    if (std::filesystem::is_regular_file(summary) && std::filesystem::last_write_time(summary) >= since) {
      EXPECT_EQ(complaints_of_summary(nlohmann::json::parse(read_all(summary))), "");
    }
  }
}

inline Ran run_program(const TemporaryFolder& folder, const std::string& arguments,
                       const std::string& environment = "") {
  const auto begin = std::filesystem::file_time_type::clock::now();
  const auto out = folder / ".stdout", err = folder / ".stderr";
  const std::string command = "cd '" + folder.path().string() + "' && " + environment + " '" + AVRENK_PROGRAM + "' " +
                              arguments + " >'" + out.string() + "' 2>'" + err.string() + "' </dev/null";
  const int status = std::system(command.c_str());
  Ran ran{WIFEXITED(status) ? WEXITSTATUS(status) : -1, read_all(out), read_all(err)};
  std::filesystem::remove(out);
  std::filesystem::remove(err);
  if (ran.status == 0 || ran.status == 1) expect_valid_files(folder, arguments, begin);
  return ran;
}

/// What the program refuses a plan with; empty if it is taken.
inline std::string refusal_of(const std::string& plan, const Files& files = {}) {
  const TemporaryFolder folder;
  (void)folder.write("plan.yaml", plan);
  for (const auto& [name, content] : files) (void)folder.write(name, content);
  const Ran ran = run_program(folder, "check plan.yaml --no-figures --quiet");
  EXPECT_TRUE(ran.status == 0 || ran.status == 2) << ran.err;
  return ran.status == 0 ? "" : ran.err;
}

/// A command line in the folder: status and both outputs.
inline Ran run_shell(const TemporaryFolder& folder, const std::string& command) {
  const int status = std::system(("cd '" + folder.path().string() + "' && { " + command + "; } >.o 2>.e").c_str());
  return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, read_all(folder / ".o"), read_all(folder / ".e")};
}

/// Names of everything in a folder, sorted, one a line.
inline std::string listing(const std::filesystem::path& folder) {
  std::vector<std::string> names;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder))
    if (entry.is_regular_file()) names.push_back(std::filesystem::relative(entry.path(), folder).string());
  std::sort(names.begin(), names.end());
  std::string text;
  for (const std::string& name : names) text += name + "\n";
  return text;
}

}  // namespace avrenk::test
