// Tables of a profile in a CSV file: a header line with units, "frequency (Hz),level (g^2/Hz)", then numbers;
// amplitudes of loads may have a column of phases beside.
#include <algorithm>
#include <filesystem>
#include <sstream>

#include "core/words.h"
#include "files/csv.h"
#include "files/text_file.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

struct CsvColumns {
  std::size_t frequency = 0, level = 0;
  std::string frequency_unit, level_unit;
  std::optional<std::size_t> phase{};
  std::string phase_unit{};
};

// Which columns the table uses. Without a name: frequency is the first, the level the second.
std::optional<CsvColumns> find_columns(const std::string& header, const Tree* frequency, const Tree* level,
                                       const Tree* phase, const Tree& tree, const std::string& subject,
                                       Problems& problems) {
  std::vector<std::string> names, units;
  for (const auto& [name, unit] : csv_columns(header)) {
    names.push_back(name);
    units.push_back(unit);
  }
  CsvColumns columns;
  const auto find = [&](const Tree* wanted, std::size_t otherwise, std::size_t& column, std::string& unit) {
    column = otherwise;
    if (wanted) {
      const auto found = std::find(names.begin(), names.end(), wanted->text);
      if (found == names.end()) {
        problems.add(*wanted, subject, fmt::format("the file has no column \"{}\"", wanted->text),
                     suggest_name(wanted->text, names));
        return false;
      }
      column = static_cast<std::size_t>(found - names.begin());
    }
    if (column >= names.size()) {
      problems.add(tree, subject, "the file has one column only", "give a frequency and a level in each line");
      return false;
    }
    unit = units[column];
    if (!unit.empty()) return true;
    problems.add(tree, subject, fmt::format("column \"{}\" of the file has no unit", names[column]),
                 "write its header as in: frequency (Hz),level (g^2/Hz)");
    return false;
  };
  if (phase && !find(phase, 0, columns.phase.emplace(), columns.phase_unit)) return std::nullopt;
  const bool good = find(frequency, 0, columns.frequency, columns.frequency_unit) &&
                    find(level, 1, columns.level, columns.level_unit);
  return good ? std::optional(columns) : std::nullopt;
}

}  // namespace

Tree text_at(const std::string& text, const Place& place) {
  Tree tree;
  tree.kind = Tree::Kind::text;
  tree.text = text;
  tree.place = place;
  return tree;
}

std::optional<Tree> read_csv_table(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  const std::size_t before = problems.count();
  const Tree* const file = map.required("file", "levels.csv");
  const Tree* const column = map.optional("column");
  const Tree* const frequency = map.optional("frequency column");
  const Tree* const phase = map.optional("phase column");
  map.done();
  if (!file || problems.count() > before) return std::nullopt;
  const auto path = std::filesystem::path(tree.place.file).parent_path() / file->text;
  constexpr std::size_t most_bytes = 64U << 20U;
  std::istringstream stream;
  try {
    stream.str(problems.sources().read(path, most_bytes, "a table of levels"));
  } catch (const FileError& error) {
    problems.add(*file, subject, error.what(), "paths start from the file of the plan");
    return std::nullopt;
  }
  std::string line;
  if (!std::getline(stream, line)) {
    problems.add(*file, subject, fmt::format("the file {} is empty", path.string()),
                 "write its header as in: frequency (Hz),level (g^2/Hz)");
    return std::nullopt;
  }
  const auto columns = find_columns(line, frequency, column, phase, *file, subject, problems);
  if (!columns) return std::nullopt;
  Tree table;
  table.kind = Tree::Kind::list;
  table.place = tree.place;
  for (int number = 2; std::getline(stream, line); ++number) {
    if (trimmed(line).empty()) continue;
    const std::vector<std::string> fields = csv_fields(line);
    const Place place{path.string(), number, 1};
    if (fields.size() <= std::max({columns->frequency, columns->level, columns->phase.value_or(0)})) {
      problems.add(text_at("", place), subject,
                   fmt::format("the line has {} of the columns named above", fields.size()),
                   "give a frequency and a level in each line");
      return std::nullopt;
    }
    Tree row;
    row.kind = Tree::Kind::list;
    row.place = place;
    row.items = {text_at(fields[columns->frequency] + " " + columns->frequency_unit, place),
                 text_at(fields[columns->level] + " " + columns->level_unit, place)};
    if (columns->phase) row.items.push_back(text_at(fields[*columns->phase] + " " + columns->phase_unit, place));
    table.items.push_back(std::move(row));
  }
  return table;
}

}  // namespace avrenk
