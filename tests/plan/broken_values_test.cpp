// Plans in which one value is another: each is refused with the place and what is wrong there, or it is a plan. With
// AVRENK_ALL_VALUES (scripts/night) every value takes every form, and what is a plan is run: it is answered in numbers.
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cstdlib>
#include <nlohmann/json.hpp>

#include "plan/tree.h"
#include "support/example.h"
#include "support/plans.h"

namespace avrenk {
namespace {

// Paths of all that stands in a plan, as --set takes them: what is in a list is one with its list.
void add_paths(const Tree& tree, const std::string& path, std::vector<std::string>& all) {
  if (!path.empty()) all.push_back(path);
  for (const Tree::Entry& entry : tree.entries)
    if (entry.key.find('.') == std::string::npos)
      add_paths(entry.value, path.empty() ? entry.key : path + "." + entry.key, all);
}

const char* const forms[] = {"\"\"",
                             "[]",
                             "{}",
                             "0",
                             "-1",
                             "nan",
                             "1e300 kg",
                             "-1e-40 mm",
                             "nobody",
                             "[1, 2]",
                             "{a: b}",
                             "3 mm",
                             "1e5 Hz",
                             "2.5 s",
                             "50 %",
                             "all",
                             "[[1 Hz, 1 g], [2 Hz, 2 g]]",
                             "{random: x}",
                             "[x, y]",
                             "1000000",
                             "[[]]",
                             "{x: {}}",
                             "400 dB",
                             "1e30 N"};

// What is wrong with a plan that was refused, or with a run of one that was not; empty: nothing.
std::string complaint_of(const test::TemporaryFolder& folder, const std::string& name, const Override& change,
                         bool run) {
  try {
    (void)read_plan((folder / name).string(), {change});
  } catch (const InputError& error) {
    for (const Problem& problem : error.problems) {
      if (problem.wrong.empty()) return "a refusal says nothing";
      if (!problem.place) return "no place: " + problem.sentence();
    }
    return "";
  }
  if (!run) return "";
  const std::string command = "cd '" + folder.path().string() + "' && timeout 300 '" + AVRENK_PROGRAM + "' run " +
                              name + " --no-figures --audit 0 --out results --set '" + change.path + "=" +
                              change.value + "' >out 2>err";
  const int status = std::system(command.c_str());
  if (!WIFEXITED(status) || WEXITSTATUS(status) > 4) return "status " + std::to_string(status);
  if (WEXITSTATUS(status) > 1) return test::read_all(folder / "err").empty() ? "it failed without a word" : "";
  const auto summary = nlohmann::json::parse(test::read_all(folder / "results/summary.json"));
  for (const auto& row : summary["tables"].value("limits", nlohmann::json{{"rows", nlohmann::json::array()}})["rows"])
    if (row[1] == "met" && row[4].is_null()) return "met without a value: " + row.dump();
  return "";
}

TEST(BrokenValues, AreRefusedWithTheirPlaceOrAnswered) {
  const bool all_forms = std::getenv("AVRENK_ALL_VALUES") != nullptr;
  const test::TemporaryFolder folder;
  std::size_t tried = 0, turn = 0;
  for (const std::string name :
       {"mast.yaml", "isolated-box.yaml", "strut-between-fixtures.yaml", "strut-pushed.yaml", "strut-receptance.yaml",
        "wheel-out-of-balance.yaml", "box-on-rubber.yaml", "barrel-on-ring.yaml"}) {
    (void)folder.write(name, test::example(name));
    std::vector<Problem> list;
    SourceFiles sources;
    const Tree tree = read_tree((folder / name).string(), {}, list, sources);
    ASSERT_TRUE(list.empty());
    std::vector<std::string> paths;
    add_paths(tree, "", paths);
    EXPECT_GT(paths.size(), 20U);
    for (const std::string& path : paths) {
      ++turn;
      for (std::size_t f = 0; f < std::size(forms); ++f) {
        if (!all_forms && (f + turn) % 16 != 0) continue;  // one or two of them each, in turn
        const std::string change = path + "=" + forms[f];
        SCOPED_TRACE(name + " " + change);
        EXPECT_EQ(complaint_of(folder, name, parse_override(change), all_forms), "");
        ++tried;
      }
    }
  }
  EXPECT_GT(tried, 500U);
}

}  // namespace
}  // namespace avrenk
