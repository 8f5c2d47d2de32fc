/// The summary.json of a run, and its numbers.
#pragma once

#include <nlohmann/json.hpp>
#include <stdexcept>

#include "support/temporary.h"

namespace avrenk::test {

inline nlohmann::json summary_of(const TemporaryFolder& folder, const std::string& results) {
  return nlohmann::json::parse(read_all(folder / (results + "/summary.json")));
}

/// A cell of a table by the first cell of its row and the name of its column.
inline double cell(const nlohmann::json& summary, const std::string& table, const std::string& row,
                   const std::string& column) {
  const nlohmann::json& found = summary.at("tables").at(table);
  std::size_t c = 0;
  while (found.at("columns").at(c).at("name") != column) ++c;
  for (const nlohmann::json& cells : found.at("rows"))
    if (cells.at(0) == row) return cells.at(c).get<double>();
  throw std::out_of_range(table + " has no " + row);
}

}  // namespace avrenk::test
