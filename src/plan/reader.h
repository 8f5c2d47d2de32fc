/// plan/reader.h: reads typed values out of the tree and gathers every problem on the way, so that one reading reports
/// all that is wrong. A value that cannot be read is nullopt (or empty), and its problem has been noted.
#pragma once

#include <fmt/format.h>

#include <filesystem>
#include <map>
#include <optional>
#include <set>

#include "core/model/assembly.h"
#include "core/quantity/quantity.h"
#include "core/spelling.h"
#include "files/source_files.h"
#include "plan/tree.h"

namespace avrenk {

class Problems {
 public:
  /// Files that the plan names are read from `sources`.
  Problems(std::vector<Problem>& list, SourceFiles& sources) : list_(list), sources_(sources) {}
  void add(const Tree& at, std::string subject, std::string wrong, std::string remedy = "") {
    const bool said = at.kind == Tree::Kind::broken;
    if (!said) list_.push_back({std::move(subject), std::move(wrong), std::move(remedy), at.place});
    noted_ += said ? 1 : 0;
  }
  /// A key that the map of this subject does not have; what to write instead is said by `finish`.
  /// @param keys  those that the map has
  void add_unknown_key(const std::string& key, const Place& place, const std::string& subject,
                       const std::vector<std::string>& keys);
  /// A map was read that knows these keys.
  void knows(const std::string& subject, const std::vector<std::string>& keys) { known_[subject] = keys; }
  /// Says of each unknown key the nearest known one, else the map of the same thing that has it, else all keys.
  void finish();
  [[nodiscard]] std::size_t count() const { return list_.size() + noted_; }
  [[nodiscard]] SourceFiles& sources() { return sources_; }

 private:
  struct UnknownKey {
    std::size_t problem;  // in the list
    std::string key, subject;
    std::vector<std::string> keys;
  };
  std::vector<Problem>& list_;
  std::size_t noted_ = 0;  // said before, and still a reason not to go on
  std::vector<UnknownKey> unknown_;
  std::map<std::string, std::vector<std::string>> known_;  // keys of every map that was read, by its subject
  SourceFiles& sources_;
};

enum class Sign { any, positive, not_negative };

/// A quantity of one kind, in SI.
[[nodiscard]] std::optional<double> read_quantity(const Tree& tree, const Kind& kind, const std::string& subject,
                                                  Problems& problems, Sign sign = Sign::any);
[[nodiscard]] std::optional<std::string> read_text(const Tree& tree, const std::string& subject, Problems& problems);
[[nodiscard]] std::optional<int> read_count(const Tree& tree, const std::string& subject, Problems& problems);
/// [x, y, z], each of the kind.
[[nodiscard]] std::optional<Vector3> read_vector(const Tree& tree, const Kind& kind, const std::string& subject,
                                                 Problems& problems);
/// A direction: three plain numbers, not all zero; normalised.
[[nodiscard]] std::optional<Vector3> read_direction(const Tree& tree, const std::string& subject, Problems& problems);
/// One of some words; the index.
[[nodiscard]] std::optional<int> read_word(const Tree& tree, const std::vector<std::string>& words,
                                           const std::string& subject, Problems& problems);
/// A list may stand wherever one value may.
[[nodiscard]] std::vector<const Tree*> one_or_more(const Tree& tree);

/// Reads a map key by key; done() reports the keys nobody asked for, with the nearest valid one.
class MapReader {
 public:
  /// @param example  what to write instead of something that is no map
  MapReader(const Tree& tree, std::string subject, Problems& problems, const char* example = "{key: value, …}");
  [[nodiscard]] bool is_map() const { return map_; }
  /// nullptr if absent.
  [[nodiscard]] const Tree* optional(const std::string& key);
  /// nullptr if absent, which is a problem.
  [[nodiscard]] const Tree* required(const std::string& key, const std::string& example);
  /// Exactly one of these keys must be there: its name and value.
  [[nodiscard]] std::pair<std::string, const Tree*> one_of(const std::vector<std::string>& keys);
  void done();

  [[nodiscard]] std::optional<double> quantity(const std::string& key, const Kind& kind, Sign sign = Sign::any);
  [[nodiscard]] std::optional<double> required_quantity(const std::string& key, const Kind& kind,
                                                        Sign sign = Sign::any);
  [[nodiscard]] const std::string& subject() const { return subject_; }
  [[nodiscard]] const Tree& tree() const { return tree_; }
  [[nodiscard]] Problems& problems() { return problems_; }

 private:
  const Tree& tree_;
  std::string subject_;
  Problems& problems_;
  bool map_;
  std::vector<std::string> asked_;
};

/// Names that one section of the plan declares. A name whose declaration is broken is known too, so that one mistake is
/// reported once.
template <typename Value>
class Declared {
 public:
  explicit Declared(std::string what) : what_(std::move(what)) {}
  void declare(const std::string& name, std::optional<Value> value) {
    values_.insert_or_assign(name, std::move(value));
    order_.push_back(name);
  }
  /// The value, or nullptr; an unknown name is a problem, a broken one has been reported already.
  [[nodiscard]] const Value* find(const Tree& name, const std::string& subject, Problems& problems,
                                  const std::vector<std::string>& also_valid = {}) const {
    if (!name.is_text()) {
      problems.add(name, subject, "the name of a " + what_ + " is due", suggest_name("", order_));
      return nullptr;
    }
    const auto found = values_.find(name.text);
    if (found == values_.end()) {
      // A name of another section that is broken has been reported there.
      if (problems.count() > 0 && std::find(also_valid.begin(), also_valid.end(), name.text) != also_valid.end())
        return nullptr;
      std::vector<std::string> valid = order_;
      valid.insert(valid.end(), also_valid.begin(), also_valid.end());
      problems.add(name, subject, fmt::format("no {} \"{}\"", what_, name.text),
                   valid.empty() ? fmt::format("the plan declares no {}", what_) : suggest_name(name.text, valid));
      return nullptr;
    }
    return found->second ? &*found->second : nullptr;
  }
  [[nodiscard]] bool knows(const std::string& name) const { return values_.contains(name); }
  [[nodiscard]] const std::vector<std::string>& names() const { return order_; }

 private:
  std::string what_;
  std::map<std::string, std::optional<Value>> values_;
  std::vector<std::string> order_;
};

}  // namespace avrenk
