#include "files/unit_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>

#include "core/element/kinds.h"
#include "core/error.h"
#include "core/quantity/meant.h"
#include "core/spelling.h"
#include "core/words.h"
#include "files/csv.h"

namespace avrenk {
namespace {

std::string without_return(std::string line) {
  if (!line.empty() && line.back() == '\r') line.pop_back();
  return line;
}

}  // namespace

UnitTable::UnitTable(const std::string& text, std::string name, const std::vector<Column>& columns)
    : name_(std::move(name)) {
  const auto refuse_file = [&](std::size_t line, const std::string& why) {
    throw FileError(fmt::format("{}:{}: {}", name_, line, why));
  };
  std::istringstream stream(text);
  std::string line;
  if (!std::getline(stream, line)) throw FileError(fmt::format("{}: the file is empty", name_));
  std::vector<std::string> names;
  names.reserve(columns.size());
  for (const Column& each : columns) names.push_back(each.name);
  std::size_t at = 0;
  for (const auto& [own, unit] : csv_columns(without_return(line))) {
    const auto found =
        std::find_if(columns.begin(), columns.end(), [&, &own = own](const Column& each) { return each.name == own; });
    if (found == columns.end())
      refuse_file(1, fmt::format("no column is called \"{}\"; {}", own, suggest_name(own, names)));
    if (!place_.emplace(own, at).second) refuse_file(1, fmt::format("column \"{}\" stands there twice", own));
    if (found->kind) {
      const bool plain = found->kind == &kind::number || found->kind == &kind::ratio;
      if (unit.empty() && !plain)
        refuse_file(1, fmt::format("column \"{}\" has no unit; write its header as in: {} ({})", own, own,
                                   found->kind->display));
      Unit read;
      try {
        if (!unit.empty()) read = parse_unit(unit);
      } catch (const InputError& error) {
        refuse_file(1, fmt::format("column \"{}\": {}", own, error.problems.front().wrong));
      }
      if (read.dimension != found->kind->dimension)
        refuse_file(1, fmt::format("column \"{}\" is in {}, {} is due, as in {} ({})", own, describe(read.dimension),
                                   found->kind->name, own, found->kind->display));
      factor_[own] = read.factor;
    }
    ++at;
  }
  for (const Column& column : columns)
    if (column.required && !place_.contains(column.name))
      refuse_file(
          1, fmt::format("column \"{}\" is missing{}", column.name,
                         column.kind ? fmt::format("; write it as {} ({})", column.name, column.kind->display) : ""));
  for (std::size_t number = 2; std::getline(stream, line); ++number) {
    line = without_return(line);
    if (trimmed(line).empty()) continue;
    std::vector<std::string> fields = csv_fields(line);
    if (fields.size() > at)
      refuse_file(number, fmt::format("the line has {} fields, and the header {}", fields.size(), at));
    fields.resize(at);
    rows_.emplace_back(*this, std::move(fields), number);
  }
}

std::string UnitTable::Row::text(const std::string& column) const {
  const auto found = table_.place_.find(column);
  return found == table_.place_.end() ? std::string() : fields_[found->second];
}

std::optional<double> UnitTable::Row::optional_value(const std::string& column) const {
  const std::string field = text(column);
  if (field.empty()) return std::nullopt;
  const char* begin = field.data();
  const char* const end = begin + field.size();
  if (*begin == '+') ++begin;
  double value = 0;
  const auto [rest, bad] = std::from_chars(begin, end, value);
  if (bad != std::errc{} || rest != end || !std::isfinite(value))
    throw FileError(fmt::format("{}:{}: {}: \"{}\" is no finite number", table_.name_, line_, column, field));
  const double size = std::abs(value * table_.factor_.at(column));
  if (size > most_meant || (size > 0 && size < least_meant))
    throw FileError(fmt::format("{}:{}: {}: \"{}\" is too {} to be meant", table_.name_, line_, column, field,
                                size > most_meant ? "much" : "little"));
  return value * table_.factor_.at(column);
}

double UnitTable::Row::value(const std::string& column) const {
  if (const auto found = optional_value(column)) return *found;
  throw FileError(fmt::format("{}:{}: {} is empty, a number is due", table_.name_, line_, column));
}

}  // namespace avrenk
