/// plan/array_choice.h: cells or points of a mesh file by the values of one of its arrays.
#pragma once

#include "files/vtu.h"
#include "plan/reader.h"

namespace avrenk {

/// {ARRAY: VALUE} or {ARRAY: [VALUE, VALUE]}: those whose array has one of the values; all if nothing is written.
class ArrayChoice {
 public:
  /// @param each  what has one value of an array: "cell" or "point"
  ArrayChoice(const Tree* tree, const std::vector<GridArray>& arrays, const std::string& each,
              const std::string& subject, Problems& problems);
  [[nodiscard]] bool takes(std::size_t item) const;
  /// The values that the array has, for a message.
  [[nodiscard]] std::string known() const;

 private:
  void read_value(const Tree& tree, const std::string& subject, Problems& problems);
  const GridArray* array_ = nullptr;
  std::vector<std::string> texts_;
  std::vector<double> numbers_;
};

}  // namespace avrenk
