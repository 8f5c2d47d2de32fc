/// files/summary.h: summary.json, every number of a run with its unit. Layout: docs/results.md; `layout` counts its
/// versions.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "files/table.h"

namespace avrenk {

inline constexpr int summary_layout = 1;

struct Fact {
  std::string name;
  Cell value;
  std::string unit;
};

struct Summary {
  std::string program_version, command, plan, title, verdict;
  std::vector<std::string> notes, warnings;
  std::vector<Fact> facts;
  std::vector<Table> tables;
};

/// JSON: facts by name as {value, unit}; tables by name as {columns: [{name, unit}], rows: [[…]]}. A number that is not
/// finite is null.
[[nodiscard]] std::string to_json(const Summary& summary);

/// A summary that was written, without its notes and warnings; null is not a number again.
/// @throws FileError  there is none, or it is no summary of this layout
[[nodiscard]] Summary read_summary(const std::filesystem::path& file);

/// Its table of that name; nullptr: it has none.
[[nodiscard]] const Table* find_table(const Summary& summary, std::string_view name);

}  // namespace avrenk
