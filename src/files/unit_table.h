/// files/unit_table.h: tables of comma-separated values whose header names columns with their units, read into SI.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.h"

namespace avrenk {

class UnitTable {
 public:
  /// A column that the table may have: of text, or of quantities of one kind.
  struct Column {
    std::string name;
    const Kind* kind = nullptr;  ///< nullptr: text
    bool required = true;
  };
  class Row {
   public:
    Row(const UnitTable& table, std::vector<std::string> fields, std::size_t line)
        : table_(table), fields_(std::move(fields)), line_(line) {}
    [[nodiscard]] std::size_t line() const { return line_; }
    /// Empty where the column or the field is not there.
    [[nodiscard]] std::string text(const std::string& column) const;
    /// In SI. @throws FileError  file:line: no number stands there
    [[nodiscard]] double value(const std::string& column) const;
    /// The same; absent where the column or the field is not there.
    [[nodiscard]] std::optional<double> optional_value(const std::string& column) const;

   private:
    const UnitTable& table_;
    std::vector<std::string> fields_;
    std::size_t line_;
  };

  /// @throws FileError  a column is missing, unknown, or has a unit of another kind: says which, and the nearest name
  UnitTable(const std::string& text, std::string name, const std::vector<Column>& columns);
  UnitTable(const UnitTable&) = delete;  // rows refer to it
  UnitTable& operator=(const UnitTable&) = delete;
  ~UnitTable() = default;
  [[nodiscard]] const std::vector<Row>& rows() const { return rows_; }
  [[nodiscard]] bool has(const std::string& column) const { return place_.contains(column); }
  [[nodiscard]] const std::string& name() const { return name_; }

 private:
  std::string name_;
  std::map<std::string, std::size_t> place_;
  std::map<std::string, double> factor_;  // to SI, of quantities
  std::vector<Row> rows_;
};

}  // namespace avrenk
