#include "plan/plan.h"

#include <algorithm>
#include <map>

#include "core/error.h"
#include "core/modes/completeness.h"
#include "core/modes/spring_variation.h"
#include "core/words.h"
#include "plan/grammar.h"
#include "plan/sections.h"

namespace avrenk {
namespace {

void read_title(const Tree& section, Reading& reading) {
  reading.plan.title = read_text(section, "title", reading.problems).value_or("");
}

// What the user's own documents carry: number, issue, author, …, by names of his own.
void read_document(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries)
    if (auto text = read_text(entry.value, "document " + entry.key, reading.problems))
      reading.plan.document.emplace_back(entry.key, std::move(*text));
}

using SectionReader = void (*)(const Tree&, Reading&);
// One for each of plan_sections, in its order; nullptr: used elsewhere.
constexpr std::array<SectionReader, plan_sections.size()> section_readers{
    read_title,   read_document, nullptr,        nullptr,       read_show,         read_materials, read_fatigue_lines,
    read_parts,   read_places,   read_masses,    read_base,     read_joints,       read_loads,     read_modes,
    read_damping, read_watch,    read_profiles,  read_levels,   read_environments, read_factors,   read_scatter,
    read_lives,   read_limits,   read_equipment, read_vibrator, read_test_sheets,  read_histories, read_cross_spectra,
    read_figures};

// Names become names of files, which some file systems tell apart by their letters only.
void refuse_other_capitals(const PlanSection& section, const Tree& value, Problems& problems) {
  std::map<std::string, const Tree::Entry*> known;
  for (const Tree::Entry& entry : value.entries) {
    const auto [first, fresh] = known.try_emplace(in_small_letters(entry.key), &entry);
    if (fresh) continue;
    const Tree::Entry& other = *first->second;
    Tree at;
    at.place = entry.place;
    problems.add(at, std::string(section.name),
                 fmt::format("\"{}\" differs from \"{}\" in line {} by capitals alone, and where files are told apart "
                             "by their letters only, their results would be one file",
                             entry.key, other.key, other.place.line),
                 "choose another name");
  }
}

void read_section(const PlanSection& section, SectionReader read, const Tree& value, Reading& reading) {
  if (section.is_map_of_names && !value.is_map()) {
    reading.problems.add(value, std::string(section.name),
                         value.kind == Tree::Kind::empty ? "the section is empty" : "a map of names is due",
                         fmt::format("write {}: {{NAME: …}}, or leave it out", section.name));
    return;
  }
  if (section.names_are_files) refuse_other_capitals(section, value, reading.problems);
  read(value, reading);
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

// A plan from somebody else may name any file: what lies outside its own folder is told.
void tell_of_files_elsewhere(Plan& plan, const SourceFiles& sources) {
  if (sources.are_kept()) return;
  std::error_code ignored;
  const auto whole = [&](const std::filesystem::path& path) {
    return std::filesystem::weakly_canonical(path, ignored);
  };
  const std::filesystem::path folder = whole(plan.file).parent_path();
  for (const std::filesystem::path& file : sources.paths()) {
    const std::filesystem::path path = whole(file);
    if (std::mismatch(folder.begin(), folder.end(), path.begin(), path.end()).first != folder.end())
      plan.notes.push_back(fmt::format("the plan reads {}, which lies outside its folder", path.string()));
  }
}

// A list of nothing says nothing, wherever it stands: what would be left out for it is not left out in silence.
void refuse_empty_lists(const Tree& tree, const std::string& subject, Problems& problems) {
  if (tree.is_list() && tree.items.empty())
    problems.add(tree, subject, "the list is empty", "write what belongs there, or leave the key out");
  for (const Tree& item : tree.items) refuse_empty_lists(item, subject, problems);
  for (const Tree::Entry& entry : tree.entries)
    refuse_empty_lists(entry.value, subject.empty() ? entry.key : subject + " " + entry.key, problems);
}

// Reads the tree of a file and lets `read` take sections from it; refuses with all that was found wrong.
template <typename Read>
Plan read_from(const std::string& file, const std::vector<Override>& overrides, SourceFiles& sources,
               const Read& read) {
  std::vector<Problem> list;
  Plan plan;
  plan.file = file;
  Problems problems(list, sources);
  const Tree tree = read_tree(file, overrides, list, sources);
  Reading reading{plan, problems};
  reading.root = &tree;
  read(tree, reading);
  tell_of_files_elsewhere(plan, sources);
  problems.finish();
  if (list.empty()) refuse_empty_lists(tree, "", problems);
  refuse_if_wrong(list);
  return plan;
}

void read_all_sections(const Tree& tree, Reading& reading) {
  MapReader map(tree, "", reading.problems);
  for (std::size_t i = 0; i < plan_sections.size(); ++i) {
    const PlanSection& section = plan_sections[i];
    const SectionReader read = section_readers[i];
    const Tree* const value = section.is_required && !may_be_free(tree)
                                  ? map.required(std::string(section.name), "{fixture: {place: feet}}")
                                  : map.optional(std::string(section.name));
    if (!value) continue;
    reading.plan.subjects.try_emplace(std::string(section.name), value->place);
    if (read) read_section(section, read, *value, reading);
    if (read != read_parts) continue;
    if (const Tree* joints = tree.find("joints")) read_merges(*joints, reading);
  }
  map.done();
  check_about(reading);
  settle_what_opens(reading);
  weigh_by_loads(reading.plan);
  add_columns_of_springs(reading.plan.assembly);
}

// Modes up to 1.5 times the highest frequency that is excited or limited.
void fill_in_modes(Plan& plan) {
  if (plan.modes.up_to || plan.modes.count) return;
  double highest = highest_excited(plan.environments);
  for (const Limit& limit : plan.limits)
    if (std::holds_alternative<FrequencyLimit>(limit.kind)) highest = std::max(highest, limit.allowable);
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

Plan read_plan(const std::string& file, const std::vector<Override>& overrides, SourceFiles& sources) {
  Plan plan = read_from(file, overrides, sources, read_all_sections);
  fill_in_modes(plan);
  return plan;
}

Plan read_plan(const std::string& file, const std::vector<Override>& overrides) {
  SourceFiles sources;
  return read_plan(file, overrides, sources);
}

AskedPlan read_asked_plan(KeptPlan& kept, const std::vector<std::string>& questions) {
  std::vector<Override> overrides;
  overrides.reserve(kept.overrides.size());
  for (const std::string& each : kept.overrides) overrides.push_back(parse_override(each));
  AskedPlan asked;
  asked.plan = read_from(kept.plan, overrides, kept.sources, [&](const Tree& tree, Reading& reading) {
    read_all_sections(tree, reading);
    reading.plan.watch.clear();
    asked.questions = read_questions(questions, tree, reading);
  });
  fill_in_modes(asked.plan);
  return asked;
}

Plan read_profiles_only(const std::string& file, const std::vector<Override>& overrides) {
  if (in_small_letters(std::filesystem::path(file).extension().string()) == ".csv") {
    if (!overrides.empty())
      throw_input_error("",
                        fmt::format("--set {} changes a plan, and {} is a bare table", overrides.front().path, file),
                        "leave it out");
    std::vector<Problem> list;
    Plan plan;
    plan.file = file;
    SourceFiles sources;
    Problems problems(list, sources);
    Reading reading{plan, problems};
    read_bare_levels(file, reading);
    refuse_if_wrong(list);
    return plan;
  }
  SourceFiles sources;
  return read_from(file, overrides, sources, [](const Tree& tree, Reading& reading) {
    for (std::size_t i = 0; i < plan_sections.size(); ++i) {
      const SectionReader read = section_readers[i];
      const bool wanted = read == read_title || read == read_show || read == read_profiles || read == read_vibrator;
      const Tree* const value = tree.find(plan_sections[i].name);
      if (value && wanted) read_section(plan_sections[i], read, *value, reading);
    }
  });
}

}  // namespace avrenk
