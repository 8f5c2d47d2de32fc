#include "plan/plan_numbers.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>

#include "core/spelling.h"

namespace avrenk {
namespace {

// Of the model itself, in the order in which they are looked through.
constexpr std::string_view model_sections[] = {"materials", "parts", "masses", "joints", "damping"};
// Sizes of elements, and tolerances within which something is found.
constexpr std::string_view of_the_mesh[] = {"element", "within", "divisions", "layers", "weighed"};

std::optional<PlanNumber> number_in(const Tree& tree, const std::string& path) {
  if (!tree.is_text()) return std::nullopt;
  try {
    if (const Quantity quantity = parse_quantity(tree.text); quantity.bare || !(quantity.value > 0))
      return std::nullopt;
  } catch (const InputError&) {
    return std::nullopt;
  }
  const char* const begin = tree.text.c_str();
  char* end = nullptr;
  PlanNumber number{path, std::strtod(begin, &end), "", tree.place};
  number.unit = tree.text.substr(static_cast<std::size_t>(end - begin));
  number.unit.erase(0, number.unit.find_first_not_of(' '));
  return number;
}

void collect(const Tree& tree, const std::string& path, std::vector<PlanNumber>& all) {
  if (auto number = number_in(tree, path)) all.push_back(std::move(*number));
  for (const Tree::Entry& entry : tree.entries) {
    if (entry.key.find('.') != std::string::npos) continue;  // no path leads there
    if (std::find(std::begin(of_the_mesh), std::end(of_the_mesh), entry.key) != std::end(of_the_mesh)) continue;
    collect(entry.value, path.empty() ? entry.key : path + "." + entry.key, all);
  }
}

}  // namespace

Override PlanNumber::times(double factor) const { return {path, fmt::format("{:.15g} {}", factor * value, unit)}; }

std::vector<PlanNumber> changeable_numbers(const std::string& file, const std::vector<Override>& overrides,
                                           const std::vector<std::string>& paths) {
  std::vector<Problem> problems;
  SourceFiles sources;
  const Tree tree = read_tree(file, overrides, problems, sources);
  std::vector<PlanNumber> plan_numbers;
  collect(tree, "", plan_numbers);
  std::vector<PlanNumber> chosen;
  if (paths.empty()) {
    for (const std::string_view section : model_sections)
      for (const PlanNumber& each : plan_numbers)
        if (each.path.starts_with(fmt::format("{}.", section))) chosen.push_back(each);
    return chosen;
  }
  for (const std::string& path : paths) {
    const std::size_t before = chosen.size();
    for (const PlanNumber& each : plan_numbers)
      if (each.path == path || each.path.starts_with(path + ".")) chosen.push_back(each);
    if (chosen.size() > before) continue;
    std::vector<std::string> valid;
    valid.reserve(plan_numbers.size());
    for (const PlanNumber& each : plan_numbers) valid.push_back(each.path);
    throw InputError(Problem{"", fmt::format("the plan has no number with a unit at \"{}\"", path),
                             suggest_name(path, valid), Place{file, 0, 0}});
  }
  return chosen;
}

}  // namespace avrenk
