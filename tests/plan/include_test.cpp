// What a file that is included may hold beside the plan that includes it.
#include <gmock/gmock.h>

#include <set>

#include "plan/grammar.h"
#include "plan/tree.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

// The tree and what is wrong with it, of a plan and a file that it includes.
std::pair<Tree, std::vector<Problem>> merged(const std::string& plan, const std::string& included) {
  const test::TemporaryFolder folder;
  folder.write("more.yaml", included);
  const std::string file = folder.write("plan.yaml", "include: more.yaml\n" + plan);
  std::vector<Problem> problems;
  SourceFiles sources;
  Tree tree = read_tree(file, {}, problems, sources);
  return {std::move(tree), std::move(problems)};
}

// Every section: what both files have of it is put together where it holds names, and a name that both have, or a
// section that is no map of names, is told with both places.
TEST(Include, PutsSectionsOfNamesTogetherAndTellsOfAllElse) {
  const std::set<std::string_view> single{"title", "base", "modes", "damping", "scatter", "vibrator", "test sheets"};
  for (const PlanSection& section : plan_sections) {
    if (section.name == "include") continue;
    const std::string name(section.name);
    SCOPED_TRACE(name);
    const auto [tree, problems] = merged(name + ": {one: 1}\n", name + ": {two: 2}\n");
    if (single.contains(section.name)) {
      ASSERT_EQ(problems.size(), 1U);
      EXPECT_EQ(problems[0].wrong, "\"" + name + "\" is defined twice");
      EXPECT_THAT(problems[0].remedy, testing::HasSubstr("plan.yaml:2:"));
      continue;
    }
    EXPECT_TRUE(problems.empty()) << problems[0].wrong;
    const Tree* const both = tree.find(name);
    ASSERT_TRUE(both && both->find("one") && both->find("two"));
    EXPECT_EQ(both->entries.size(), 2U);
    const auto [again, clash] = merged(name + ": {one: 1}\n", name + ": {one: 2}\n");
    ASSERT_EQ(clash.size(), 1U);
    EXPECT_EQ(clash[0].wrong, "\"one\" is defined twice");
    EXPECT_EQ(again.find(name)->find("one")->text, "1");
  }
}

}  // namespace
}  // namespace avrenk
