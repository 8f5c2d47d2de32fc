/// files/csv.h: lines of comma-separated values (RFC 4180) whose header names columns with their units.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace avrenk {

/// What a spreadsheet takes for the beginning of a formula.
inline constexpr std::string_view formula_signs = "=+-@\t\r";

/// Fields of one line, white space around them removed; a field may stand in double quotes.
[[nodiscard]] std::vector<std::string> csv_fields(const std::string& line);

/// Names and units of a header: "frequency (Hz)" gives "frequency" and "Hz"; without brackets the unit is empty.
[[nodiscard]] std::vector<std::pair<std::string, std::string>> csv_columns(const std::string& header);

}  // namespace avrenk
