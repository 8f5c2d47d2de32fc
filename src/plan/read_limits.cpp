// factors, scatter and limits: what must be met.
#include "plan/limit_parts.h"

namespace avrenk {

std::pair<double, std::string> read_factors_named(const Tree& tree, const std::string& subject, Reading& reading) {
  std::pair<double, std::string> all{1, ""};
  for (const Tree* item : one_or_more(tree)) {
    const double* const factor = reading.factors.find(*item, subject + " factors", reading.problems);
    if (!factor) continue;
    all.first *= *factor;
    all.second += fmt::format("{}{} {:g}", all.second.empty() ? "" : " × ", item->text, *factor);
  }
  return all;
}

void read_factors(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const std::string subject = "factor " + entry.key;
    auto factor = read_quantity(entry.value, kind::number, subject, reading.problems, Sign::positive);
    if (factor && *factor < 1) {
      reading.problems.add(entry.value, subject, fmt::format("a factor of {:g} makes limits easier to meet", *factor),
                           "write 1 or more");
      factor.reset();
    }
    reading.factors.declare(entry.key, factor);
  }
}

void read_scatter(const Tree& section, Reading& reading) {
  Scatter& scatter = reading.plan.scatter;
  MapReader map(section, "scatter", reading.problems);
  if (!map.is_map()) return;
  const Tree* const frequencies = map.optional("frequencies");
  const Tree* const damping = map.optional("damping");
  map.done();
  if (!frequencies && !damping)
    reading.problems.add(section, "scatter", "nothing is said to scatter",
                         "write frequencies: 5 %, or damping: [1 %, 3 %]");
  if (frequencies) {
    constexpr double widest = 0.5;
    scatter.frequencies =
        read_quantity(*frequencies, kind::ratio, "scatter frequencies", reading.problems, Sign::positive).value_or(0);
    if (scatter.frequencies > widest)
      reading.problems.add(*frequencies, "scatter",
                           fmt::format("frequencies that are off by {} say nothing", frequencies->text),
                           "write up to 50 %");
  }
  for (const Tree* each : damping ? one_or_more(*damping) : std::vector<const Tree*>{})
    if (const auto ratio = read_quantity(*each, kind::ratio, "scatter damping", reading.problems, Sign::positive))
      scatter.damping.push_back(*ratio);
}

void read_limits(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    MapReader map(entry.value, "limit " + entry.key, reading.problems);
    if (!map.is_map()) continue;
    Limit limit;
    limit.name = entry.key;
    const Tree* const of = map.required("of", "tip.acceleration");
    const std::string subject = of ? of->text : "";
    if (subject == "frequency")
      read_frequency_limit(map, limit);
    else if (subject == "mass")
      read_mass_limit(map, limit, reading);
    else if (subject == "life" || subject == "damage")
      read_life_limit(map, subject == "damage", limit, reading);
    else if (subject == "interaction")
      read_interaction(map, limit, reading);
    else if (of)
      read_response_limit(map, *of, limit, reading);
    if (const Tree* requirement = map.optional("requirement"))
      limit.requirement = read_text(*requirement, map.subject() + " requirement", reading.problems).value_or("");
    map.done();
    reading.plan.limits.push_back(limit);
  }
  check_interactions(section, reading);
}

}  // namespace avrenk
