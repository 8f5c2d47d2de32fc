/// Plans written into a temporary folder, and what is wrong with them. What is read satisfies the schema.
#pragma once

#include <map>
#include <regex>

#include <gtest/gtest.h>

#include "plan/plan.h"
#include "support/schema.h"
#include "support/temporary.h"

namespace avrenk::test {

inline Plan plan_in(const TemporaryFolder& folder, const std::string& text, const Files& files = {}) {
  for (const auto& [name, content] : files) (void)folder.write(name, content);
  Plan plan = read_plan(folder.write("plan.yaml", text), {});
  EXPECT_EQ(complaints_of_plan(json_of_yaml(text)), "");
  return plan;
}

/// All that a refused plan is told, without its folder; empty if it is read.
inline std::string problem_of(const std::string& text, const Files& files = {}) {
  const TemporaryFolder folder;
  try {
    (void)plan_in(folder, text, files);
  } catch (const InputError& error) {
    return std::regex_replace(error.what(), std::regex(folder.path().string() + "/"), "");
  }
  return "";
}

}  // namespace avrenk::test
