/// plan/yaml_tree.h: YAML as a tree, made while it is parsed, so that nothing grows beyond its bounds first.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "plan/tree.h"

namespace avrenk {

/// What a plan may hold at most, that nothing it is made of by aliases and values takes all memory.
inline constexpr std::size_t most_values = 1000000;

/// Trees of one plan, all of its files and overrides together. Of a map only the first value of a key stays; what the
/// file says besides is noted as a problem, and so are control characters.
class YamlTrees {
 public:
  explicit YamlTrees(std::vector<Problem>& problems) : problems_(problems) {}
  /// @param file  for the places
  /// @throws InputError  it is not YAML, is nested too deep, or grows beyond most_values
  [[nodiscard]] Tree parse(const std::string& text, const std::string& file);

 private:
  class Builder;
  std::vector<Problem>& problems_;
  std::size_t values_ = 0;
};

}  // namespace avrenk
