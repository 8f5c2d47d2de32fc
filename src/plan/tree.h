/// plan/tree.h: the plan file as a tree of texts, each with its place; includes merged, overrides applied, values put
/// in.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/error.h"
#include "files/source_files.h"

namespace avrenk {

struct Tree {
  /// broken: its problem has been noted; whoever reads it adds no other.
  enum class Kind { empty, text, list, map, broken };
  struct Entry;
  Kind kind = Kind::empty;
  std::string text;
  std::vector<Tree> items;     ///< of a list
  std::vector<Entry> entries;  ///< of a map, in the order written
  Place place;

  [[nodiscard]] bool is_map() const { return kind == Kind::map; }
  [[nodiscard]] bool is_list() const { return kind == Kind::list; }
  [[nodiscard]] bool is_text() const { return kind == Kind::text; }
  [[nodiscard]] Tree* find(std::string_view key);
  [[nodiscard]] const Tree* find(std::string_view key) const;
};
struct Tree::Entry {
  std::string key;
  Place place;  ///< of the key
  Tree value;
};

/// Values in a tree, itself included, and how deep they lie: 1 of a text.
struct Extent {
  std::size_t values = 1, depth = 1;
};
[[nodiscard]] Extent extent_of(const Tree& tree);

/// "materials.deck-alloy.E" and the text to put there.
struct Override {
  std::string path, value;
};

/// Splits "path.to.key=VALUE". @throws InputError  no "="
[[nodiscard]] Override parse_override(const std::string& text);

/// Reads a plan file with all its includes. Problems that leave a tree to go on with are added to `problems`.
/// @throws FileError   the file cannot be read
/// @throws InputError  it is not YAML
[[nodiscard]] Tree read_tree(const std::string& file, const std::vector<Override>& overrides,
                             std::vector<Problem>& problems, SourceFiles& sources);

}  // namespace avrenk
