#include "files/table.h"

#include <fmt/compile.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <sstream>

#include "core/words.h"
#include "files/csv.h"

namespace avrenk {
namespace {

// Words of a text; a share such as "3 81 %," is one.
std::vector<std::string> words_and_shares(const std::string& text) {
  std::vector<std::string> words;
  for (std::string word : words_of(text)) {
    if (word[0] != '%') {
      words.push_back(std::move(word));
      continue;
    }
    for (int i = 0; i < 2 && !words.empty(); ++i) {
      if (i == 1 && words.back().ends_with(',')) break;
      word = fmt::format("{} {}", words.back(), word);
      words.pop_back();
    }
    words.push_back(std::move(word));
  }
  return words;
}

std::string terminal_number(double value, const Column& column) {
  if (column.decimals < 0 || !std::isfinite(value)) return format_number(value, column.digits);
  const std::string text = fmt::format("{:.{}f}", value, column.decimals);
  return text.find_first_of("123456789") == std::string::npos && text[0] == '-' ? text.substr(1) : text;  // no "-0.0"
}

}  // namespace

std::string format_number(double value, int digits) {
  if (std::isnan(value)) return "–";
  if (std::isinf(value)) return value > 0 ? "∞" : "−∞";
  if (value == 0) return "0";
  const int exponent = static_cast<int>(std::floor(std::log10(std::abs(value)) + 1e-12));
  if (exponent < -4 || exponent >= std::max(digits, 6)) return fmt::format("{:.{}e}", value, digits - 1);
  return fmt::format("{:.{}f}", value, std::max(0, digits - 1 - exponent));
}

std::string value_text(double si, const DisplayUnit& unit, int digits) {
  return fmt::format("{} {}", format_number(unit.from_si(si), digits), unit.text);
}

std::string cell_text(const Cell& cell, const Column& column) {
  const double* number = std::get_if<double>(&cell);
  return number ? terminal_number(*number, column) : std::get<std::string>(cell);
}

std::optional<std::size_t> column_index(const Table& table, std::string_view name) {
  const auto found = std::find_if(table.columns.begin(), table.columns.end(),
                                  [&](const Column& column) { return column.name == name; });
  if (found == table.columns.end()) return std::nullopt;
  return static_cast<std::size_t>(found - table.columns.begin());
}

Table without_column(Table table, std::string_view name) {
  const auto index = static_cast<std::ptrdiff_t>(column_index(table, name).value());
  table.columns.erase(table.columns.begin() + index);
  for (std::vector<Cell>& row : table.rows) row.erase(row.begin() + index);
  return table;
}

std::string csv_text(const std::string& text) {
  const bool is_formula = !text.empty() && formula_signs.find(text[0]) != std::string_view::npos;
  std::string plain = is_formula ? "'" + text : text;
  if (plain.find_first_of(",\"\n\r") == std::string::npos) return plain;
  std::string quoted = "\"";
  for (const char c : plain) quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
  return quoted + "\"";
}

std::string to_csv(const Table& table) {
  std::string text;
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    const Column& column = table.columns[c];
    text +=
        (c ? "," : "") + csv_text(column.unit.empty() ? column.name : fmt::format("{} ({})", column.name, column.unit));
  }
  text += '\n';
  for (const auto& row : table.rows) {
    for (std::size_t c = 0; c < row.size(); ++c) {
      if (c) text += ',';
      if (const double* number = std::get_if<double>(&row[c])) {
        if (!std::isfinite(*number)) continue;
        fmt::format_to(std::back_inserter(text), FMT_COMPILE("{:.9g}"), *number);
      } else {
        text += csv_text(std::get<std::string>(row[c]));
      }
    }
    text += '\n';
  }
  return text;
}

std::string to_text(const Table& table, std::size_t width) {
  std::vector<std::size_t> shown;
  for (std::size_t c = 0; c < table.columns.size(); ++c)
    if (table.columns[c].terminal) shown.push_back(c);
  std::vector<std::vector<std::string>> cells;
  std::vector<std::size_t> widths;
  std::vector<bool> numeric;
  for (const std::size_t c : shown) {
    widths.push_back(std::max(display_width(table.columns[c].name), display_width(table.columns[c].unit)));
    numeric.push_back(!table.rows.empty() && std::holds_alternative<double>(table.rows.front()[c]));
  }
  for (const auto& row : table.rows) {
    std::vector<std::string> line;
    for (std::size_t k = 0; k < shown.size(); ++k) {
      const Cell& cell = row[shown[k]];
      line.push_back(cell_text(cell, table.columns[shown[k]]));
      widths[k] = std::max(widths[k], display_width(line.back()));
    }
    cells.push_back(std::move(line));
  }
  std::size_t total = 0;
  for (const std::size_t w : widths) total += w + 2;
  total -= 2;
  constexpr std::size_t least = 12;  // of the last column
  if (total > width && !numeric.back() && widths.back() > least) {
    const std::size_t less = std::min(total - width, widths.back() - least);
    widths.back() -= less;
    total -= less;
  }
  const auto line = [&](auto&& text_of) {
    std::string text;
    for (std::size_t k = 0; k < shown.size(); ++k) {
      const std::string field = text_of(k);
      const std::string space(widths[k] - std::min(widths[k], display_width(field)), ' ');
      text += (k ? "  " : "") + (numeric[k] ? space + field : field + space);
    }
    text.erase(text.find_last_not_of(' ') + 1);
    return text + "\n";
  };
  std::string text = table.title.empty() ? "" : table.title + "\n";
  text += line([&](std::size_t k) { return table.columns[shown[k]].name; });
  if (std::any_of(shown.begin(), shown.end(), [&](std::size_t c) { return !table.columns[c].unit.empty(); }))
    text += line([&](std::size_t k) { return table.columns[shown[k]].unit; });
  for (std::size_t i = 0; i < total; ++i) text += "─";
  text += '\n';
  for (const auto& row : cells) {
    const std::vector<std::string> ends =
        lines_of_words(words_and_shares(row.back()), static_cast<double>(widths.back()));
    for (std::size_t i = 0; i < ends.size(); ++i)
      text += line([&](std::size_t k) { return k + 1 == row.size() ? ends[i] : i == 0 ? row[k] : std::string(); });
  }
  return text;
}

}  // namespace avrenk
