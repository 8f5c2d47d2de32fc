// limits: of a frequency, a mass, a life, and of several limits together.
#include <algorithm>

#include "core/assess/formula.h"
#include "core/model/mass_properties.h"
#include "plan/limit_parts.h"

namespace avrenk {
namespace {

// above: or below: a bound; whether it is the latter.
bool read_bounds(MapReader& map, const Kind& kind, Limit& limit) {
  const auto above = map.quantity("above", kind, Sign::positive), below = map.quantity("below", kind, Sign::positive);
  limit.allowable = above.value_or(below.value_or(1));
  if (!map.tree().find("above") == !map.tree().find("below"))
    map.problems().add(map.tree(), map.subject(), "one bound is due",
                       fmt::format("write above: {0}, or below: {0}", kind.example));
  return below.has_value();
}

}  // namespace

void read_frequency_limit(MapReader& map, Limit& limit) {
  FrequencyLimit& wanted = limit.kind.emplace<FrequencyLimit>();
  if (const Tree* along = map.required("along", "z"))
    wanted.direction =
        read_word(*along, {axis_names.begin(), axis_names.end()}, map.subject() + " along", map.problems()).value_or(2);
  wanted.effective_mass_above = map.quantity("effective mass above", kind::ratio, Sign::not_negative).value_or(0);
  wanted.below = read_bounds(map, kind::frequency, limit);
}

void read_mass_limit(MapReader& map, Limit& limit, Reading& reading) {
  MassLimit& wanted = limit.kind.emplace<MassLimit>();
  wanted.below = read_bounds(map, kind::mass, limit);
  const Tree* const part = map.optional("part");
  if (!part) return;
  std::vector<std::string> names;
  for (const auto& [name, properties] : mass_breakdown(reading.plan.assembly)) names.push_back(name);
  wanted.part = part->text;
  if (part->is_text() && reading.parts.knows(part->text)) return;
  if (!part->is_text() || std::find(names.begin(), names.end(), part->text) == names.end())
    reading.problems.add(*part, map.subject(), fmt::format("no part or mass \"{}\"", part->text),
                         suggest_name(part->text, names));
}

void read_life_limit(MapReader& map, bool of_damage, Limit& limit, Reading& reading) {
  LifeLimit& wanted = limit.kind.emplace<LifeLimit>();
  wanted.below = read_bounds(map, kind::number, limit);
  wanted.of_damage = of_damage;
  const Tree* const in = map.required("in", "qualification");
  std::vector<std::string> names;
  for (const LifeRequest& each : reading.plan.lives) names.push_back(each.name);
  for (const Tree* item : in ? one_or_more(*in) : std::vector<const Tree*>{}) {
    wanted.lives.push_back(item->text);
    if (!item->is_text() || std::find(names.begin(), names.end(), item->text) == names.end())
      reading.problems.add(*item, map.subject() + " in", fmt::format("no life \"{}\"", item->text),
                           names.empty() ? "declare it under life:" : suggest_name(item->text, names));
  }
}

void read_interaction(MapReader& map, Limit& limit, Reading& reading) {
  InteractionLimit& wanted = limit.kind.emplace<InteractionLimit>();
  limit.allowable = 1;
  const Tree* const formula = map.required("formula", "R1^2 + R2");
  const Tree* const ratios = map.required("ratios", "{R1: bolt-tension, R2: bolt-shear}");
  if (!formula || !ratios) return;
  if (!MapReader(*ratios, map.subject() + " ratios", reading.problems).is_map()) return;
  std::vector<std::string> known;
  for (const Tree::Entry& entry : ratios->entries) {
    wanted.ratios.emplace_back(entry.key, entry.value.text);
    known.push_back(entry.key);
  }
  wanted.formula = formula->text;
  try {
    const Formula read(wanted.formula, known);
    for (const Tree::Entry& entry : ratios->entries)
      if (!read.uses(entry.key))
        reading.problems.add(entry.value, map.subject(), fmt::format("{} does not stand in the formula", entry.key),
                             "leave it out");
  } catch (const InputError& error) {
    reading.problems.add(*formula, map.subject(), error.problems.front().wrong, error.problems.front().remedy);
  }
}

void check_interactions(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const Tree* const of = entry.value.is_map() ? entry.value.find("of") : nullptr;
    const Tree* const ratios = of && of->text == "interaction" ? entry.value.find("ratios") : nullptr;
    if (!ratios) continue;
    std::vector<std::string> names;
    for (const Limit& each : reading.plan.limits)
      if (!std::holds_alternative<InteractionLimit>(each.kind)) names.push_back(each.name);
    for (const Tree::Entry& ratio : ratios->entries)
      if (!ratio.value.is_text() || std::find(names.begin(), names.end(), ratio.value.text) == names.end())
        reading.problems.add(ratio.value, "limit " + entry.key,
                             fmt::format("no limit \"{}\" by itself", ratio.value.text),
                             suggest_name(ratio.value.text, names));
  }
}

}  // namespace avrenk
