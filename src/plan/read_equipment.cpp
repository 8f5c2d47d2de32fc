// equipment levels: responses that become specifications.
#include "core/excitation/envelope.h"
#include "plan/sections.h"

namespace avrenk {

void read_equipment(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["equipment level " + entry.key] = entry.place;
    MapReader map(entry.value, "equipment level " + entry.key, problems);
    if (!map.is_map()) continue;
    EquipmentRequest request;
    request.name = entry.key;
    const Tree* const of = map.required("of", "box.acceleration");
    const Tree* const in = map.required("in", "random");
    request.margin = map.quantity("margin", kind::level).value_or(0);
    const Tree* const average = map.optional("average over");
    const Tree* const points = map.optional("points");
    map.done();
    if (of) {
      request.of = of->text;
      (void)is_watched(*of, map.subject(), reading);
    }
    std::optional<Environment::Type> type;
    for (const Tree* item : in ? one_or_more(*in) : std::vector<const Tree*>{}) {
      const Environment* const environment = find_environment(*item, map.subject() + " in", reading);
      if (!environment) continue;
      if (environment->is_static() || environment->by_speed() || item->text.ends_with(".combined"))
        problems.add(*item, map.subject(), fmt::format("{} has no curve over the frequency of a base", item->text),
                     "name a sine or a random environment, or one of its axes");
      else if (type && *type != environment->type())
        problems.add(*item, map.subject(), "sine amplitudes and PSDs do not go into one envelope",
                     "write an equipment level for each");
      type = environment->type();
      request.environments.push_back(item->text);
    }
    if (average) {
      const std::vector<std::string> words = octave_words();
      if (const auto word = read_word(*average, words, map.subject() + " average over", problems))
        request.octaves = octaves_of(words[static_cast<std::size_t>(*word)]).value_or(0);
      if (type == Environment::Type::sine && request.octaves > 0)
        problems.add(*average, map.subject(), "amplitudes of a sine are not averaged over bands", "leave it out");
    }
    if (points) {
      request.points = read_count(*points, map.subject() + " points", problems).value_or(8);
      constexpr int most = 200;
      if (request.points < 2 || request.points > most)
        problems.add(*points, map.subject(), fmt::format("{} points make no envelope", points->text),
                     fmt::format("write 2 to {}", most));
    }
    reading.plan.equipment.push_back(std::move(request));
  }
}

}  // namespace avrenk
