/// files/table.h: the one table of results: printed on the terminal, written as CSV and into summary.json.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "core/quantity/quantity.h"

namespace avrenk {

inline constexpr double degrees = 180 / pi;  ///< in a radian

struct Column {
  std::string name;
  std::string unit;      ///< empty for text and plain numbers
  int digits = 4;        ///< significant digits on the terminal; CSV and JSON carry nine
  bool terminal = true;  ///< false: in CSV and JSON only
  int decimals = -1;     ///< fixed decimals on the terminal instead of significant digits; −1: none
};

using Cell = std::variant<std::string, double>;

struct Table {
  std::string name;   ///< file name without ending, key in summary.json
  std::string title;  ///< heading on the terminal
  std::vector<Column> columns;
  std::vector<std::vector<Cell>> rows;
};

/// Index of a column by its name; absent if there is none.
[[nodiscard]] std::optional<std::size_t> column_index(const Table& table, std::string_view name);

/// A table without one of its columns.
[[nodiscard]] Table without_column(Table table, std::string_view name);

/// A text as a field of comma-separated values: quoted where it must be. One that a spreadsheet would take for a
/// formula gets an apostrophe before it, which csv_fields() takes away.
[[nodiscard]] std::string csv_text(const std::string& text);

/// Comma-separated values (RFC 4180): one header line with units, then the rows; numbers with nine significant digits.
[[nodiscard]] std::string to_csv(const Table& table);

/// A number as the terminal shows it: `digits` significant, plain notation where it reads well, no "-0".
[[nodiscard]] std::string format_number(double value, int digits);

/// "12.3 mm": an SI value in a unit, with `digits` significant digits.
[[nodiscard]] std::string value_text(double si, const DisplayUnit& unit, int digits);

/// A cell as the terminal and the report show it.
[[nodiscard]] std::string cell_text(const Cell& cell, const Column& column);

/// Text for a terminal: heading, column names, units, a rule, rows; numbers right, text left; two spaces between
/// columns. The last text column goes on in further lines where the line would pass `width`.
[[nodiscard]] std::string to_text(const Table& table, std::size_t width = 100);

}  // namespace avrenk
