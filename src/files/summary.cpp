#include "files/summary.h"

#include <nlohmann/json.hpp>

namespace avrenk {
namespace {

using Json = nlohmann::ordered_json;

Json cell_value(const Cell& cell) {
  if (const double* number = std::get_if<double>(&cell)) return std::isfinite(*number) ? Json(*number) : Json(nullptr);
  return std::get<std::string>(cell);
}

}  // namespace

std::string to_json(const Summary& summary) {
  Json json;
  json["program"] = "avrenk";
  json["version"] = summary.program_version;
  json["layout"] = summary_layout;
  json["command"] = summary.command;
  json["plan"] = summary.plan;
  json["title"] = summary.title;
  json["verdict"] = summary.verdict;
  json["notes"] = summary.notes;
  json["warnings"] = summary.warnings;
  json["facts"] = Json::object();
  for (const Fact& fact : summary.facts)
    json["facts"][fact.name] = {{"value", cell_value(fact.value)}, {"unit", fact.unit}};
  json["tables"] = Json::object();
  for (const Table& table : summary.tables) {
    Json columns = Json::array(), rows = Json::array();
    for (const Column& column : table.columns) columns.push_back({{"name", column.name}, {"unit", column.unit}});
    for (const auto& row : table.rows) {
      Json cells = Json::array();
      for (const Cell& cell : row) cells.push_back(cell_value(cell));
      rows.push_back(std::move(cells));
    }
    json["tables"][table.name] = {{"columns", std::move(columns)}, {"rows", std::move(rows)}};
  }
  return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

}  // namespace avrenk
