#include "plan/reader.h"

#include <algorithm>
#include <charconv>

namespace avrenk {
namespace {

std::string found_instead(const Tree& tree) {
  if (tree.is_map()) return "a map stands here";
  if (tree.is_list()) return "a list stands here";
  return "nothing stands here";
}

std::string example_of(const Kind& kind) { return fmt::format("write {} such as \"{}\"", kind.name, kind.example); }

// Where else in the same thing a key belongs: "line" of "part strut line" beside "part strut"; empty: nowhere.
std::string home_of(const std::string& key, const std::string& subject,
                    const std::map<std::string, std::vector<std::string>>& known) {
  for (const auto& [other, keys] : known) {
    if (std::find(keys.begin(), keys.end(), key) == keys.end()) continue;
    if (other.starts_with(subject + " ")) return fmt::format("it belongs in {}", other.substr(subject.size() + 1));
    if (subject.starts_with(other + " "))
      return fmt::format("it belongs beside {}, in {}", subject.substr(other.size() + 1), other);
  }
  return "";
}

}  // namespace

void Problems::add_unknown_key(const std::string& key, const Place& place, const std::string& subject,
                               const std::vector<std::string>& keys) {
  unknown_.push_back({list_.size(), key, subject, keys});
  list_.push_back({subject, fmt::format("unknown key \"{}\"", key), "", place});
}

void Problems::finish() {
  for (const auto& [problem, key, subject, keys] : unknown_) {
    std::string& remedy = list_[problem].remedy;
    const auto nearest = nearest_name(key, keys);
    if (!nearest) remedy = home_of(key, subject, known_);
    if (nearest)
      remedy = fmt::format("write \"{}\"", *nearest);
    else if (remedy.empty() && !keys.empty())
      remedy = fmt::format("its keys are {}", fmt::join(keys, ", "));
  }
  unknown_.clear();
}

std::optional<double> read_quantity(const Tree& tree, const Kind& kind, const std::string& subject, Problems& problems,
                                    Sign sign) {
  if (!tree.is_text()) {
    problems.add(tree, subject, found_instead(tree), example_of(kind));
    return std::nullopt;
  }
  try {
    const double value = parse_as(kind, tree.text);
    if (sign == Sign::positive && !(value > 0)) {
      problems.add(tree, subject, fmt::format("\"{}\" is not positive", tree.text), example_of(kind));
      return std::nullopt;
    }
    if (sign == Sign::not_negative && value < 0) {
      problems.add(tree, subject, fmt::format("\"{}\" is negative", tree.text), example_of(kind));
      return std::nullopt;
    }
    return value;
  } catch (const InputError& error) {
    const Problem& problem = error.problems.front();
    problems.add(tree, subject, problem.wrong, problem.remedy);
    return std::nullopt;
  }
}

std::optional<std::string> read_text(const Tree& tree, const std::string& subject, Problems& problems) {
  if (tree.is_text()) return tree.text;
  problems.add(tree, subject, found_instead(tree), "write plain text");
  return std::nullopt;
}

std::optional<int> read_count(const Tree& tree, const std::string& subject, Problems& problems) {
  int value = 0;
  if (tree.is_text()) {
    const auto [end, bad] = std::from_chars(tree.text.data(), tree.text.data() + tree.text.size(), value);
    constexpr int most = 1000000;
    const bool whole = bad != std::errc::invalid_argument && end == tree.text.data() + tree.text.size();
    if (whole && (bad == std::errc::result_out_of_range || value > most) && tree.text[0] != '-') {
      problems.add(tree, subject, fmt::format("{} is more than {}", tree.text, most), "write less");
      return std::nullopt;
    }
    if (whole && value > 0) return value;
  }
  problems.add(tree, subject,
               tree.is_text() ? fmt::format("\"{}\" is not a whole number above zero", tree.text) : found_instead(tree),
               "write, for example, 8");
  return std::nullopt;
}

std::optional<Vector3> read_vector(const Tree& tree, const Kind& kind, const std::string& subject, Problems& problems) {
  if (!tree.is_list() || tree.items.size() != 3) {
    problems.add(tree, subject,
                 tree.is_list() ? fmt::format("{} numbers stand here, three are due", tree.items.size())
                                : "a list of three is due",
                 fmt::format("write [{0}, {0}, {0}]", kind.example));
    return std::nullopt;
  }
  Vector3 vector;
  bool good = true;
  for (std::size_t i = 0; i < 3; ++i) {
    const auto value = read_quantity(tree.items[i], kind, subject, problems);
    vector[static_cast<int>(i)] = value.value_or(0);
    good = good && value.has_value();
  }
  return good ? std::optional(vector) : std::nullopt;
}

std::optional<Vector3> read_direction(const Tree& tree, const std::string& subject, Problems& problems) {
  const auto vector = read_vector(tree, kind::number, subject, problems);
  if (!vector) return std::nullopt;
  if (vector->norm() > 0) return vector->normalized();
  problems.add(tree, subject, "a direction cannot be [0, 0, 0]", "write, for example, [0, 0, 1]");
  return std::nullopt;
}

std::optional<int> read_word(const Tree& tree, const std::vector<std::string>& words, const std::string& subject,
                             Problems& problems) {
  if (tree.is_text()) {
    const auto found = std::find(words.begin(), words.end(), tree.text);
    if (found != words.end()) return static_cast<int>(found - words.begin());
    problems.add(tree, subject, fmt::format("\"{}\" is not known here", tree.text), suggest_name(tree.text, words));
  } else {
    problems.add(tree, subject, found_instead(tree), suggest_name("", words));
  }
  return std::nullopt;
}

std::vector<const Tree*> one_or_more(const Tree& tree) {
  if (!tree.is_list()) return {&tree};
  std::vector<const Tree*> all;
  for (const Tree& item : tree.items) all.push_back(&item);
  return all;
}

MapReader::MapReader(const Tree& tree, std::string subject, Problems& problems, const char* example)
    : tree_(tree), subject_(std::move(subject)), problems_(problems), map_(tree.is_map()) {
  if (!map_)
    problems_.add(tree, subject_,
                  tree.is_text() ? fmt::format("\"{}\" stands where a map is due", tree.text)
                                 : found_instead(tree) + ", a map is due",
                  fmt::format("write {}", example));
}

const Tree* MapReader::optional(const std::string& key) {
  asked_.push_back(key);
  return tree_.find(key);
}

const Tree* MapReader::required(const std::string& key, const std::string& example) {
  const Tree* const found = optional(key);
  if (!found && map_)
    problems_.add(tree_, subject_, fmt::format("\"{}\" is missing", key), fmt::format("write {}: {}", key, example));
  return found;
}

std::pair<std::string, const Tree*> MapReader::one_of(const std::vector<std::string>& keys) {
  std::pair<std::string, const Tree*> found{"", nullptr};
  for (const std::string& key : keys) {
    const Tree* const item = optional(key);
    if (!item) continue;
    if (found.second) {
      problems_.add(*item, subject_, fmt::format("\"{}\" and \"{}\" cannot both be given", found.first, key),
                    "keep one");
      return {"", nullptr};
    }
    found = {key, item};
  }
  if (!found.second && map_) {
    std::string list;
    for (const std::string& key : keys) list += (list.empty() ? "" : ", ") + key;
    problems_.add(tree_, subject_, "nothing says what it is", "give one of: " + list);
  }
  return found;
}

void MapReader::done() {
  problems_.knows(subject_, asked_);
  for (const Tree::Entry& entry : tree_.entries)
    if (std::find(asked_.begin(), asked_.end(), entry.key) == asked_.end())
      problems_.add_unknown_key(entry.key, entry.place, subject_, asked_);
}

std::optional<double> MapReader::quantity(const std::string& key, const Kind& kind, Sign sign) {
  const Tree* const found = optional(key);
  return found ? read_quantity(*found, kind, subject_ + " " + key, problems_, sign) : std::nullopt;
}

std::optional<double> MapReader::required_quantity(const std::string& key, const Kind& kind, Sign sign) {
  const Tree* const found = required(key, std::string(kind.example));
  return found ? read_quantity(*found, kind, subject_ + " " + key, problems_, sign) : std::nullopt;
}

}  // namespace avrenk
