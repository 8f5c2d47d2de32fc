// A table of levels in a CSV file.
#include "fuzz/input.h"
#include "plan/sections.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace avrenk;
  const std::string file = fuzz::file_of("levels.csv", data, size);
  Tree name;
  name.kind = Tree::Kind::text;
  name.text = file;
  Tree table;
  table.kind = Tree::Kind::map;
  table.entries.push_back({"file", {}, name});
  std::vector<Problem> list;
  Problems problems(list);
  fuzz::try_to([&] {
    const auto levels = read_csv_table(table, "profile", problems);
    if (levels.has_value() != list.empty()) __builtin_trap();  // a table, or what is wrong with it
  });
  return 0;
}
