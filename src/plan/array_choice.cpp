#include "plan/array_choice.h"

#include <algorithm>
#include <set>

namespace avrenk {

ArrayChoice::ArrayChoice(const Tree* tree, const std::vector<GridArray>& arrays, const std::string& each,
                         const std::string& subject, Problems& problems) {
  if (!tree) return;
  MapReader map(*tree, subject, problems);
  if (!map.is_map()) return;
  std::vector<std::string> names;
  for (const GridArray& array : arrays) {
    names.push_back(array.name);
    if (const Tree* values = map.optional(array.name); values && array.components == 1) {
      array_ = &array;
      for (const Tree* value : one_or_more(*values)) read_value(*value, subject, problems);
    }
  }
  if (!array_ && tree->entries.size() == 1) {
    problems.add(*tree, subject,
                 fmt::format("the file has no array \"{}\" of one value a {}", tree->entries[0].key, each),
                 names.empty() ? "it has none: leave it out" : suggest_name(tree->entries[0].key, names));
    return;
  }
  if (tree->entries.size() != 1) problems.add(*tree, subject, "one array is due", "write {ARRAY: VALUE}");
}

bool ArrayChoice::takes(std::size_t item) const {
  if (!array_) return true;
  if (!array_->texts.empty()) return std::find(texts_.begin(), texts_.end(), array_->texts[item]) != texts_.end();
  return std::find(numbers_.begin(), numbers_.end(), array_->values[item]) != numbers_.end();
}

std::string ArrayChoice::known() const {
  if (!array_) return "";
  std::set<std::string> values(array_->texts.begin(), array_->texts.end());
  if (array_->texts.empty())
    for (const double value : array_->values) values.insert(fmt::format("{:g}", value));
  std::string list;
  std::size_t shown = 0;
  for (const std::string& value : values) {
    if (shown++ == 12) return list + " …";
    list += (list.empty() ? "" : ", ") + value;
  }
  return list;
}

void ArrayChoice::read_value(const Tree& tree, const std::string& subject, Problems& problems) {
  if (!array_->texts.empty()) {
    if (const auto text = read_text(tree, subject, problems)) texts_.push_back(*text);
  } else if (const auto number = read_quantity(tree, kind::number, subject, problems)) {
    numbers_.push_back(*number);
  }
}

}  // namespace avrenk
