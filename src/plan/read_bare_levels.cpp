// A table of levels that stands in a file by itself: each of its columns is a profile, whose unit says of what.
#include <algorithm>
#include <sstream>

#include "files/csv.h"
#include "files/text_file.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

Tree map_of(std::vector<Tree::Entry> entries, const Place& place) {
  Tree tree;
  tree.kind = Tree::Kind::map;
  tree.place = place;
  tree.entries = std::move(entries);
  return tree;
}

}  // namespace

void read_bare_levels(const std::string& file, Reading& reading) {
  Problems& problems = reading.problems;
  const Place place{file, 1, 1};
  constexpr std::size_t most_bytes = 64U << 20U;
  std::istringstream stream(problems.sources().read(file, most_bytes, "a table of levels"));
  std::string line;
  const char* const example = "write its header as in: frequency (Hz),level (g^2/Hz)";
  if (!std::getline(stream, line)) {
    problems.add(text_at("", place), "", "the file is empty", example);
    return;
  }
  const std::filesystem::path path(file);
  const auto columns = csv_columns(line);
  std::vector<std::string> names;
  for (std::size_t k = 1; k < columns.size(); ++k) {
    const auto& [column, unit] = columns[k];
    if (std::find(names.begin(), names.end(), column) != names.end()) {
      problems.add(text_at("", place), "", fmt::format("two columns are called \"{}\"", column),
                   "give each its own name");
      return;
    }
    names.push_back(column);
    // What it is of: a PSD by its kind, else an amplitude; without a unit nothing can be said.
    Dimension dimension{};
    try {
      dimension = unit.empty() ? kind::frequency.dimension : parse_quantity("1 " + unit).dimension;
    } catch (const InputError& error) {
      problems.add(text_at("", place), "", error.problems.front().wrong, error.problems.front().remedy);
      return;
    }
    const auto form = form_of_levels(dimension);
    if (unit.empty() || !form) {
      problems.add(text_at("", place), "",
                   unit.empty() ? fmt::format("column \"{}\" of the file has no unit", column)
                                : fmt::format("column \"{}\" is in {}, which is no level of a profile", column, unit),
                   example);
      return;
    }
    Tree levels = map_of(
        {{"file", place, text_at(path.filename().string(), place)}, {"column", place, text_at(column, place)}}, place);
    if (!form->key.empty()) levels = map_of({{form->key, place, std::move(levels)}}, place);
    const std::string name = columns.size() == 2 ? path.stem().string() : column;
    Tree profile = map_of({{form->random ? "random" : "sine", place, std::move(levels)}}, place);
    read_profiles(map_of({{name, place, std::move(profile)}}, place), reading);
  }
  if (columns.size() < 2)
    problems.add(text_at("", place), "", "the file has one column only", "give a frequency and a level in each line");
}

}  // namespace avrenk
