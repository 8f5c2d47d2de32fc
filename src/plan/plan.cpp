#include "plan/plan.h"

#include <algorithm>

#include "core/modes/completeness.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

void read_title(const Tree& section, Reading& reading) {
  reading.plan.title = read_text(section, "title", reading.problems).value_or("");
}

using SectionReader = void (*)(const Tree&, Reading&);
struct Section {
  std::string_view key;
  SectionReader read;  // nullptr: used elsewhere
  bool named;          // a map of the user's names
  bool required;
};
// In the order in which they build on one another; the plan may hold them in any order.
constexpr Section sections[] = {
    {"title", read_title, false, false},        {"include", nullptr, false, false},
    {"values", nullptr, true, false},           {"show", read_show, false, false},
    {"materials", read_materials, true, false}, {"parts", read_parts, true, false},
    {"places", read_places, true, false},       {"masses", read_masses, true, false},
    {"base", read_base, false, true},           {"joints", read_joints, true, false},
    {"modes", read_modes, false, false},        {"damping", read_damping, false, false},
    {"watch", read_watch, true, false},         {"profiles", read_profiles, true, false},
    {"levels", read_levels, true, false},       {"environments", read_environments, true, false},
    {"factors", read_factors, true, false},     {"limits", read_limits, true, false}};

static_assert(std::equal(std::begin(sections), std::end(sections), std::begin(section_names), std::end(section_names),
                         [](const Section& section, std::string_view name) { return section.key == name; }));

void read_section(const Section& section, const Tree& value, Reading& reading) {
  if (section.named && !value.is_map()) {
    reading.problems.add(value, std::string(section.key),
                         value.kind == Tree::Kind::empty ? "the section is empty" : "a map of names is due",
                         fmt::format("write {}: {{NAME: …}}, or leave it out", section.key));
    return;
  }
  section.read(value, reading);
}

// A model whose free motions are meant needs no base.
bool may_be_free(const Tree& tree) {
  const Tree* const modes = tree.find("modes");
  const Tree* const free = modes ? modes->find("free") : nullptr;
  return free && free->text == "yes";
}

// All problems of one reading, in the order of the text.
void refuse_if_wrong(std::vector<Problem>& list) {
  if (list.empty()) return;
  const auto key = [](const Problem& p) {
    return p.place ? std::tuple(p.place->file, p.place->line, p.place->column) : std::tuple(std::string(), 0, 0);
  };
  std::stable_sort(list.begin(), list.end(), [&](const Problem& a, const Problem& b) { return key(a) < key(b); });
  throw InputError(std::move(list));
}

// Reads the tree of a file and lets `read` take sections from it; refuses with all that was found wrong.
template <typename Read>
Plan read_from(const std::string& file, const std::vector<Override>& overrides, const Read& read) {
  std::vector<Problem> list;
  Plan plan;
  plan.file = file;
  Problems problems(list);
  const Tree tree = read_tree(file, overrides, list);
  Reading reading{plan, problems};
  read(tree, reading);
  problems.finish();
  refuse_if_wrong(list);
  return plan;
}

// Modes up to 1.5 times the highest frequency that is excited or limited.
void fill_in_modes(Plan& plan) {
  if (plan.modes.up_to || plan.modes.count) return;
  double highest = highest_excited(plan.environments);
  for (const Limit& limit : plan.limits)
    if (limit.subject == Limit::Of::frequency) highest = std::max(highest, limit.allowable);
  plan.modes_defaulted = true;
  if (highest > 0) {
    plan.modes.up_to = reach_asked * highest;
    plan.notes.push_back(
        fmt::format("modes: up to {:g} Hz, {:g} times the highest frequency excited or limited (default)",
                    *plan.modes.up_to, reach_asked));
  } else {
    plan.modes.count = 20;
    plan.notes.push_back("modes: the lowest 20 (default)");
  }
}

}  // namespace

InputError Plan::located(const InputError& error) const {
  std::vector<Problem> problems = error.problems;
  for (Problem& problem : problems) {
    const auto found = subjects.find(problem.subject);
    if (problem.place) continue;
    problem.place = found != subjects.end() ? found->second : Place{file, 0, 0};
  }
  return InputError(problems);
}

Plan read_plan(const std::string& file, const std::vector<Override>& overrides) {
  Plan plan = read_from(file, overrides, [](const Tree& tree, Reading& reading) {
    MapReader map(tree, "", reading.problems);
    for (const Section& section : sections) {
      const Tree* const value = section.required && !may_be_free(tree)
                                    ? map.required(std::string(section.key), "{fixture: {place: feet}}")
                                    : map.optional(std::string(section.key));
      if (!value) continue;
      reading.plan.subjects.try_emplace(std::string(section.key), value->place);
      if (section.read) read_section(section, *value, reading);
      if (section.read != read_parts) continue;
      if (const Tree* joints = tree.find("joints")) read_merges(*joints, reading);
    }
    map.done();
  });
  fill_in_modes(plan);
  return plan;
}

Plan read_profiles_only(const std::string& file, const std::vector<Override>& overrides) {
  return read_from(file, overrides, [](const Tree& tree, Reading& reading) {
    for (const Section& section : sections) {
      const bool wanted = section.read == read_title || section.read == read_show || section.read == read_profiles;
      const Tree* const value = tree.find(section.key);
      if (value && wanted) read_section(section, *value, reading);
    }
  });
}

}  // namespace avrenk
