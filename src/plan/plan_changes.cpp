#include "plan/plan_changes.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "plan/tree.h"

namespace avrenk {
namespace {

using Leaves = std::vector<std::pair<std::string, std::string>>;

// Texts of a tree with their paths; a list of texts is one of them: "[1 mm, 2 mm]".
void add_leaves(const Tree& tree, const std::string& path, Leaves& leaves) {
  if (tree.is_map()) {
    for (const Tree::Entry& entry : tree.entries)
      add_leaves(entry.value, path.empty() ? entry.key : path + "." + entry.key, leaves);
    return;
  }
  const auto is_text = [](const Tree& item) { return item.is_text(); };
  if (tree.is_list() && !std::all_of(tree.items.begin(), tree.items.end(), is_text)) {
    for (std::size_t i = 0; i < tree.items.size(); ++i)
      add_leaves(tree.items[i], fmt::format("{}[{}]", path, i + 1), leaves);
    return;
  }
  std::string text = tree.text;
  if (tree.is_list()) {
    std::vector<std::string> items;
    for (const Tree& item : tree.items) items.push_back(item.text);
    text = fmt::format("[{}]", fmt::join(items, ", "));
  }
  leaves.emplace_back(path, std::move(text));
}

Leaves leaves_of(KeptPlan& kept) {
  std::vector<Override> overrides;
  for (const std::string& text : kept.overrides) overrides.push_back(parse_override(text));
  std::vector<Problem> problems;
  const Tree tree = read_tree(kept.plan, overrides, problems, kept.sources);
  if (!problems.empty()) throw InputError(std::move(problems));
  Leaves leaves;
  add_leaves(tree, "", leaves);
  return leaves;
}

// Contents of the other files, by their names.
std::map<std::string, const std::string*> files_of(KeptPlan& kept) {
  std::map<std::string, const std::string*> files;
  for (const std::filesystem::path& path : kept.sources.paths())
    if (path.extension() != ".yaml" && path.extension() != ".yml")
      files[path.filename().string()] = &kept.sources.read(path, SIZE_MAX, "a file of the plan");
  return files;
}

}  // namespace

std::vector<PlanChange> plan_changes(KeptPlan& first, KeptPlan& second) {
  const Leaves before = leaves_of(first), after = leaves_of(second);
  const std::map<std::string, std::string> old(before.begin(), before.end()), now(after.begin(), after.end());
  std::vector<PlanChange> changes;
  for (const auto& [path, text] : before) {
    const auto other = now.find(path);
    if (other == now.end())
      changes.push_back({path, text, ""});
    else if (other->second != text)
      changes.push_back({path, text, other->second});
  }
  for (const auto& [path, text] : after)
    if (!old.contains(path)) changes.push_back({path, "", text});

  const auto files = files_of(first), others = files_of(second);
  const auto size = [](const std::string* content) { return fmt::format("{} bytes", content->size()); };
  for (const auto& [name, content] : files) {
    const auto other = others.find(name);
    if (other == others.end())
      changes.push_back({"file " + name, size(content), ""});
    else if (*other->second != *content)
      changes.push_back({"file " + name, size(content), size(other->second) + ", another content"});
  }
  for (const auto& [name, content] : others)
    if (!files.contains(name)) changes.push_back({"file " + name, "", size(content)});
  return changes;
}

}  // namespace avrenk
