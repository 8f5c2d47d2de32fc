// cross spectra: how two responses of a random case go together.
#include <algorithm>

#include "plan/sections.h"

namespace avrenk {

std::string read_random_case(const Tree& tree, const std::string& subject, Reading& reading) {
  const Environment* const environment = find_environment(tree, subject, reading);
  if (!environment) return "";
  const std::vector<std::string> cases = case_names(*environment);
  if (!environment->is_random() || tree.text.ends_with(".combined"))
    reading.problems.add(tree, subject, fmt::format("{} is no case of random vibration", tree.text),
                         "name a random environment, with its axis where it has several");
  else if (tree.text == environment->name && cases.size() > 1)
    reading.problems.add(tree, subject, fmt::format("{} has several cases", tree.text),
                         fmt::format("write in: {}.{}", tree.text, cases.front()));
  else if (tree.text == environment->name && cases.size() == 1)
    return tree.text + "." + cases.front();
  return tree.text;
}

bool is_watched(const Tree& tree, const std::string& subject, Reading& reading) {
  const auto names = watched_names(reading.plan.watch);
  if (std::find(names.begin(), names.end(), tree.text) != names.end()) return true;
  if (!reading.broken_watches.contains(tree.text.substr(0, tree.text.find('.'))))
    reading.problems.add(tree, subject, fmt::format("\"{}\" is not watched", tree.text),
                         names.empty() ? "declare it under watch:" : suggest_name(tree.text, names));
  return false;
}

void read_cross_spectra(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["cross spectrum " + entry.key] = entry.place;
    MapReader map(entry.value, "cross spectrum " + entry.key, problems);
    if (!map.is_map()) continue;
    CrossRequest request{entry.key, {}, ""};
    const Tree* const of = map.required("of", "[box.acceleration.z, tip.acceleration.z]");
    const Tree* const in = map.required("in", "random.z");
    map.done();
    const std::vector<const Tree*> two = of ? one_or_more(*of) : std::vector<const Tree*>{};
    if (of && two.size() != 2)
      problems.add(*of, map.subject(), "two responses are due", "write of: [box.acceleration.z, tip.acceleration.z]");
    for (std::size_t k = 0; k < two.size() && two.size() == 2; ++k) {
      request.of[k] = two[k]->text;
      if (!is_watched(*two[k], map.subject(), reading)) continue;
      if (const OutputRequest* const watched = find_request(reading.plan.watch, two[k]->text);
          watched && is_length(*watched, two[k]->text))
        problems.add(*two[k], map.subject(),
                     fmt::format("{} is the length of a vector, which has no phase", two[k]->text),
                     fmt::format("name a component, as in {}.z", two[k]->text));
    }
    if (in) request.in = read_random_case(*in, map.subject() + " in", reading);
    reading.plan.cross_spectra.push_back(std::move(request));
  }
}

}  // namespace avrenk
