// A table of levels in a CSV file, without and with a column of phases.
#include "fuzz/input.h"
#include "plan/sections.h"

namespace {

avrenk::Tree text(const std::string& what) {
  avrenk::Tree tree;
  tree.kind = avrenk::Tree::Kind::text;
  tree.text = what;
  return tree;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  const std::string file = fuzz::file_of("levels.csv", data, size);
  Tree table;
  table.kind = Tree::Kind::map;
  table.entries.push_back({"file", {}, text(file)});
  for (const bool phases : {false, true}) {
    if (phases) table.entries.push_back({"phase column", {}, text("phase")});
    std::vector<Problem> list;
    SourceFiles sources;
    Problems problems(list, sources);
    fuzz::try_to([&] {
      const auto levels = read_csv_table(table, "profile", problems);
      if (levels.has_value() != list.empty()) __builtin_trap();  // a table, or what is wrong with it
    });
  }
  return 0;
}
