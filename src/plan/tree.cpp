#include "plan/tree.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/spelling.h"
#include "files/text_file.h"
#include "plan/grammar.h"
#include "plan/yaml_tree.h"

namespace avrenk {
namespace {

std::vector<std::string> keys_of(const Tree& map) {
  std::vector<std::string> keys;
  for (const Tree::Entry& entry : map.entries) keys.push_back(entry.key);
  return keys;
}

constexpr std::size_t most_bytes = 64U << 20U, most_text = 100000, most_files = 1000, most_open = 60;

// Adds the entries of `more` to `plan`: sections of named things are merged (plan/grammar.h), all else must be given
// once.
void merge(Tree& plan, const Tree& more, std::vector<Problem>& problems) {
  const auto twice = [&](const std::string& key, const Place& again, const Place& first) {
    problems.push_back({"", fmt::format("\"{}\" is defined twice", key),
                        fmt::format("the other is at {}:{}:{}", first.file, first.line, first.column), again});
  };
  for (const Tree::Entry& entry : more.entries) {
    if (entry.key == "include") continue;
    Tree* const item = plan.find(entry.key);
    const PlanSection* const section = find_plan_section(entry.key);
    if (!item) {
      plan.entries.push_back(entry);
    } else if (section && section->is_merged() && item->is_map() && entry.value.is_map()) {
      for (const Tree::Entry& named : entry.value.entries) {
        if (const Tree* first = item->find(named.key))
          twice(named.key, named.place, first->place);
        else
          item->entries.push_back(named);
      }
    } else {
      twice(entry.key, entry.place, item->place);
    }
  }
}

Tree read_with_includes(const std::string& file, std::vector<std::string>& open, std::size_t& files,
                        SourceFiles& sources, YamlTrees& yaml, std::vector<Problem>& problems) {
  ++files;
  Tree plan = yaml.parse(sources.read(file, most_bytes, "a plan"), file);
  if (plan.kind == Tree::Kind::empty) plan.kind = Tree::Kind::map;
  if (!plan.is_map())
    throw InputError(Problem{"", "a plan is a map of sections",
                             file.ends_with(".vtu")
                                 ? fmt::format("this is a mesh: avrenk new --mesh {} writes a plan for it", file)
                                 : "write, for example, parts: and materials: at the left edge",
                             plan.place});
  open.push_back(std::filesystem::weakly_canonical(file).string());
  if (const Tree* include = plan.find("include")) {
    std::vector<Tree> names = include->is_list() ? include->items : std::vector<Tree>{*include};
    for (const Tree& name : names) {
      if (!name.is_text()) {
        problems.push_back({"include", "a file name is due", "write include: [alloys.yaml]", name.place});
        continue;
      }
      const auto path = (std::filesystem::path(file).parent_path() / name.text).string();
      if (std::find(open.begin(), open.end(), std::filesystem::weakly_canonical(path).string()) != open.end()) {
        problems.push_back({"include", fmt::format("{} includes itself", name.text), "", name.place});
        continue;
      }
      if (!sources.exists(path)) {
        problems.push_back({"include", fmt::format("there is no file {}", path),
                            "paths start from the file that includes", name.place});
        continue;
      }
      if (files >= most_files || open.size() > most_open)
        throw InputError(Problem{"include",
                                 fmt::format("files are included {} times or {} deep", most_files, most_open),
                                 "include each file once", name.place});
      const Tree more = read_with_includes(path, open, files, sources, yaml, problems);
      merge(plan, more, problems);
    }
  }
  open.pop_back();
  return plan;
}

void apply(const Override& override, Tree& plan, YamlTrees& yaml, std::vector<Problem>& problems) {
  const Place place{"--set " + override.path, 0, 0};
  Tree value;
  try {
    value = yaml.parse(override.value, place.file);
  } catch (const InputError&) {
    value.kind = Tree::Kind::text;  // "%" and its like are no YAML, but may be meant as text
    value.text = override.value;
  }
  const auto set_place = [&](auto&& self, Tree& tree) -> void {
    tree.place = place;
    for (Tree& item : tree.items) self(self, item);
    for (Tree::Entry& entry : tree.entries) {
      entry.place = place;
      self(self, entry.value);
    }
  };
  set_place(set_place, value);
  Tree* at = &plan;
  std::string rest = override.path;
  for (;;) {
    const std::size_t dot = rest.find('.');
    const std::string key = rest.substr(0, dot);
    if (key.empty() || !(at->is_map() || at->kind == Tree::Kind::empty)) {
      problems.push_back({"", fmt::format("there is no \"{}\" to go into", key),
                          "a path leads through maps: parts.mast.material", place});
      return;
    }
    at->kind = Tree::Kind::map;
    if (dot == std::string::npos) {
      if (Tree* old = at->find(key))
        *old = value;
      else
        at->entries.push_back({key, place, value});
      return;
    }
    Tree* next = at->find(key);
    if (!next && at == &plan && find_plan_section(key)) {
      at->entries.push_back({key, place, Tree{}});  // a section that the plan does not have yet
      next = &at->entries.back().value;
      next->kind = Tree::Kind::map;
      next->place = place;
    }
    if (!next) {
      const std::vector<std::string> known = at == &plan ? plan_section_names() : keys_of(*at);
      problems.push_back({"", fmt::format("the plan has no \"{}\"", key), suggest_name(key, known), place});
      return;
    }
    at = next;
    rest = rest.substr(dot + 1);
  }
}

// Puts ${name} in, everywhere but in the values themselves, which may use those written before them.
class Substitution {
 public:
  static void apply(Tree& plan, std::vector<Problem>& problems) {
    Substitution run(problems);
    if (Tree* values = plan.find("values"); values && values->is_map()) {
      for (Tree::Entry& entry : values->entries) {
        run.walk(entry.value);
        run.known_.emplace_back(entry.key, entry.value);
      }
    }
    for (Tree::Entry& entry : plan.entries)
      if (entry.key != "values") run.walk(entry.value);
  }

 private:
  explicit Substitution(std::vector<Problem>& problems) : problems_(problems) {}

  void walk(Tree& tree) {
    if (tree.is_text()) replace(tree);
    for (Tree& item : tree.items) walk(item);
    for (Tree::Entry& entry : tree.entries) walk(entry.value);
  }

  void replace(Tree& tree) {
    std::size_t from = 0;
    while ((from = tree.text.find("${", from)) != std::string::npos) {
      const std::size_t end = tree.text.find('}', from);
      const std::string name = tree.text.substr(from + 2, end == std::string::npos ? end : end - from - 2);
      const auto found =
          std::find_if(known_.begin(), known_.end(), [&](const auto& pair) { return pair.first == name; });
      if (end == std::string::npos || found == known_.end()) {
        std::vector<std::string> names;
        for (const auto& [known, value] : known_) names.push_back(known);
        problems_.push_back({"", fmt::format("no value \"{}\"", name),
                             names.empty() ? "declare it under values:" : suggest_name(name, names), tree.place});
        tree.kind = Tree::Kind::broken;
        return;
      }
      if (from == 0 && end + 1 == tree.text.size() &&
          !found->second.is_text()) {  // the whole text: a list or map may stand there
        const Place place = tree.place;
        values_ += extent_of(found->second).values;
        if (values_ > most_values)
          throw InputError(Problem{"", fmt::format("the plan grows beyond {} values here", most_values),
                                   "take out values that multiply one another", place});
        tree = found->second;
        tree.place = place;
        return;
      }
      tree.text.replace(from, end + 1 - from, found->second.text);
      if (tree.text.size() > most_text)
        throw InputError(Problem{"",
                                 fmt::format("with its values put in, this text is longer than {} letters", most_text),
                                 "take out values that multiply one another", tree.place});
      from += found->second.text.size();
    }
  }

  std::vector<std::pair<std::string, Tree>> known_;
  std::size_t values_ = 0;
  std::vector<Problem>& problems_;
};

}  // namespace

Tree* Tree::find(std::string_view key) {
  for (Entry& entry : entries)
    if (entry.key == key) return &entry.value;
  return nullptr;
}

const Tree* Tree::find(std::string_view key) const { return const_cast<Tree*>(this)->find(key); }

Extent extent_of(const Tree& tree) {
  Extent extent;
  const auto add = [&](const Tree& inner) {
    const Extent own = extent_of(inner);
    extent.values += own.values;
    extent.depth = std::max(extent.depth, own.depth + 1);
  };
  for (const Tree& item : tree.items) add(item);
  for (const Tree::Entry& entry : tree.entries) add(entry.value);
  return extent;
}

Override parse_override(const std::string& text) {
  const std::size_t equals = text.find('=');
  if (equals == std::string::npos || equals == 0)
    throw InputError(Problem{"--set " + text, "there is no value",
                             "write --set path.to.key=VALUE, as in --set values.wall=\"2 mm\"", std::nullopt});
  return {text.substr(0, equals), text.substr(equals + 1)};
}

Tree read_tree(const std::string& file, const std::vector<Override>& overrides, std::vector<Problem>& problems,
               SourceFiles& sources) {
  std::vector<std::string> open;
  std::size_t files = 0;
  YamlTrees yaml(problems);
  Tree plan = read_with_includes(file, open, files, sources, yaml, problems);
  if (plan.entries.empty() && problems.empty())
    throw InputError(Problem{"", "the plan is empty", "write one, or begin with avrenk new PLAN.yaml", plan.place});
  for (const Override& each : overrides) apply(each, plan, yaml, problems);
  Substitution::apply(plan, problems);
  return plan;
}

}  // namespace avrenk
