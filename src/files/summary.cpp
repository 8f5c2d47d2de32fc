#include "files/summary.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/error.h"
#include "files/text_file.h"

namespace avrenk {
namespace {

using Json = nlohmann::ordered_json;

Json cell_value(const Cell& cell) {
  if (const double* number = std::get_if<double>(&cell)) return std::isfinite(*number) ? Json(*number) : Json(nullptr);
  return std::get<std::string>(cell);
}

Cell cell_of(const Json& value) {
  if (value.is_string()) return value.get<std::string>();
  return value.is_number() ? value.get<double>() : std::nan("");
}

}  // namespace

Summary read_summary(const std::filesystem::path& file) {
  constexpr std::size_t most_bytes = 512U << 20U;
  const Json json = Json::parse(read_text_file(file.string(), most_bytes, "a summary"), nullptr, false);
  const auto refuse_file = [&](const std::string& why) -> FileError {
    return FileError(fmt::format("{}: {}; run the plan again with this version", file.string(), why));
  };
  if (!json.is_object() || !json.contains("layout") || !json.contains("tables"))
    throw refuse_file("this is no summary of a run");
  if (json["layout"] != summary_layout)
    throw refuse_file(fmt::format("this is a summary of layout {}, not {}", json["layout"].dump(), summary_layout));
  Summary summary;
  try {
    summary.program_version = json.at("version").get<std::string>();
    summary.command = json.at("command").get<std::string>();
    summary.plan = json.at("plan").get<std::string>();
    summary.title = json.at("title").get<std::string>();
    summary.verdict = json.at("verdict").get<std::string>();
    for (const auto& [name, fact] : json.at("facts").items())
      summary.facts.push_back({name, cell_of(fact.at("value")), fact.at("unit").get<std::string>()});
    for (const auto& [name, own] : json.at("tables").items()) {
      Table& table = summary.tables.emplace_back(Table{name, "", {}, {}});
      for (const Json& column : own.at("columns"))
        table.columns.push_back({column.at("name").get<std::string>(), column.at("unit").get<std::string>()});
      for (const Json& row : own.at("rows")) {
        std::vector<Cell>& cells = table.rows.emplace_back();
        for (const Json& value : row) cells.push_back(cell_of(value));
        if (cells.size() != table.columns.size()) throw refuse_file(fmt::format("table {} is not whole", name));
      }
    }
  } catch (const Json::exception&) {
    throw refuse_file("this is no whole summary of a run");
  }
  return summary;
}

const Table* find_table(const Summary& summary, std::string_view name) {
  const auto found =
      std::find_if(summary.tables.begin(), summary.tables.end(), [&](const Table& each) { return each.name == name; });
  return found == summary.tables.end() ? nullptr : &*found;
}

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
