// environments: what a random one has besides: bands, bases that move apart, coherence.
#include <algorithm>
#include <cmath>

#include "plan/environment_parts.h"

namespace avrenk {
namespace {

// What acts at once in a random environment, by name.
std::vector<Input> inputs_at_once(const Environment& environment, const Assembly& assembly) {
  std::vector<int> axes = environment.axes;
  if (!environment.is_simultaneous() && axes.size() > 1) axes.resize(1);
  return inputs_of(environment, axes, environment.load_cases.empty() ? LoadCase{} : environment.load_cases.front(),
                   &assembly);
}

// Each costs its own columns of states at every frequency.
void refuse_too_many(const Environment& environment, const Tree& tree, const std::string& subject, Reading& reading) {
  constexpr std::size_t most = 60;
  if (const std::size_t count = inputs_at_once(environment, reading.plan.assembly).size(); count > most)
    reading.problems.add(tree, subject,
                         fmt::format("{} random inputs act at once, and no more than {} may", count, most),
                         "let some of them move as one");
}

bool read_apart(const Tree& tree, const std::string& subject, Problems& problems) {
  return read_word(tree, {"together", "apart"}, subject + " bases", problems).value_or(0) == 1;
}

void refuse_apart(const Tree& tree, const std::string& subject, Problems& problems) {
  problems.add(tree, subject, "bases are inputs of their own under random base motion only",
               "leave bases out; motion gives each base its amplitude and phase");
}

// none, full, or γ² between 0 and 1.
std::optional<double> read_coherence_value(const Tree& tree, const std::string& subject, Problems& problems) {
  if (tree.is_text() && (tree.text == "none" || tree.text == "full")) return tree.text == "full" ? 1 : 0;
  const auto value = read_quantity(tree, kind::ratio, subject, problems, Sign::not_negative);
  if (value && *value > 1) {
    problems.add(tree, subject, fmt::format("a coherence of {} is more than 1", tree.text), "write full, or 0.8");
    return std::nullopt;
  }
  return value ? std::optional(std::sqrt(*value)) : std::nullopt;
}

// [20 Hz, 0.8] or [20 Hz, 0.8, 30 deg]
std::optional<Coherence::Point> read_coherence_point(const Tree& row, const std::string& subject, Problems& problems) {
  if (!row.is_list() || row.items.size() < 2 || row.items.size() > 3) {
    problems.add(row, subject, "a point is a frequency, a coherence and, if there is one, a phase",
                 "write [20 Hz, 0.8] or [20 Hz, 0.8, 30 deg]");
    return std::nullopt;
  }
  const auto f = read_quantity(row.items[0], kind::frequency, subject, problems, Sign::positive);
  const auto value = read_coherence_value(row.items[1], subject, problems);
  const auto phase =
      row.items.size() == 3 ? read_quantity(row.items[2], kind::angle, subject, problems) : std::optional(0.0);
  if (!f || !value || !phase) return std::nullopt;
  return Coherence::Point{*f, *value, *phase};
}

// How much two inputs go together: {between: [x, y], table: [...]}, {value: 0.8, phase: 30 deg}, {wave: {...}}.
void read_coherence_rule(const Tree& tree, const std::vector<Input>& inputs, const std::string& subject,
                         Environment& environment, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return;
  CoherenceRule rule;
  if (const Tree* between = map.optional("between")) {
    std::vector<std::string> names;
    names.reserve(inputs.size());
    for (const Input& each : inputs) names.push_back(each.name);
    const auto two = one_or_more(*between);
    if (two.size() != 2 || two[0]->text == two[1]->text)
      problems.add(*between, subject, "two inputs are due", fmt::format("write between: [{}]", fmt::join(names, ", ")));
    for (std::size_t k = 0; k < 2 && two.size() == 2; ++k) {
      rule.between[k] = two[k]->text;
      if (std::find(names.begin(), names.end(), two[k]->text) == names.end())
        problems.add(*two[k], subject, fmt::format("no input \"{}\" acts", two[k]->text),
                     suggest_name(two[k]->text, names));
    }
  }
  const Tree *const value = map.optional("value"), *const table = map.optional("table");
  const auto phase = map.quantity("phase", kind::angle);
  if (value && table) problems.add(*table, subject, "\"value\" and \"table\" cannot both be given", "keep one");
  if (table && phase) problems.add(tree, subject, "the phase stands in the table", "leave phase out");
  if (table) {
    if (!table->is_list() || table->items.empty())
      problems.add(*table, subject, "a table is due", "write [[20 Hz, 0.9], [200 Hz, 0.1, 30 deg]]");
    for (const Tree& row : table->is_list() ? table->items : std::vector<Tree>{})
      if (const auto point = read_coherence_point(row, subject, problems)) {
        if (!rule.points.empty() && !(point->frequency > rule.points.back().frequency))
          problems.add(row, subject, "frequencies do not rise", "write them in rising order");
        rule.points.push_back(*point);
      }
  } else {
    // What travels or falls with distance goes fully together where nothing else is said.
    const double gamma = value ? read_coherence_value(*value, subject, problems).value_or(0) : 1;
    rule.points = {{1, gamma, phase.value_or(0)}};
  }
  if (const Tree* wave = map.optional("wave")) {
    MapReader map_reader(*wave, subject + " wave", problems);
    if (map_reader.is_map()) {
      const Tree* const direction = map_reader.required("direction", "x");
      const auto speed = map_reader.required_quantity("speed", kind::velocity, Sign::positive);
      const auto along =
          direction ? read_signed_direction(*direction, subject + " wave direction", problems) : std::nullopt;
      if (along && speed) rule.slowness = *along / *speed;
      map_reader.done();
    }
  }
  rule.length = map.quantity("decay length", kind::length, Sign::positive).value_or(0);
  if (const Tree* decay = map.optional("decay")) {
    MapReader map_reader(*decay, subject + " decay", problems);
    if (map_reader.is_map()) {
      const auto constant = map_reader.required_quantity("constant", kind::number, Sign::positive);
      const auto speed = map_reader.required_quantity("speed", kind::velocity, Sign::positive);
      if (constant && speed) rule.decay = *constant / *speed;
      map_reader.done();
    }
  }
  map.done();
  if (!value && !table && !rule.has_distance())
    problems.add(tree, subject, "nothing says how much two inputs go together",
                 "write {value: 0.8}, a table, or {wave: {direction: x, speed: 300 m/s}}");
  environment.random().coherences.push_back(std::move(rule));
}

void read_coherences(const Tree& tree, Environment& environment, const std::string& environment_subject,
                     Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = environment_subject + " coherence";
  const std::size_t before = problems.count();
  const std::vector<Input> inputs = inputs_at_once(environment, reading.plan.assembly);
  if (inputs.size() < 2) {
    problems.add(tree, environment_subject, "only one input acts at a time, so there is nothing that it goes with",
                 "write simultaneous: yes where all axes act at once, or bases: apart where each base moves by itself");
    return;
  }
  if (tree.is_list() && tree.items.empty())
    problems.add(tree, environment_subject, "no coherence is given", "write coherence: none, or leave it out");
  if (tree.is_text()) {
    if (const auto gamma = read_coherence_value(tree, subject, problems))
      environment.random().coherences.push_back({{}, {{1, *gamma, 0}}});
  } else {
    for (const Tree* each : one_or_more(tree)) read_coherence_rule(*each, inputs, subject, environment, problems);
  }
  if (problems.count() > before) return;
  try {
    (void)spectrum_of(environment, inputs);
  } catch (const InputError& error) {
    problems.add(tree, environment_subject, error.problems.front().wrong, error.problems.front().remedy);
  }
}

// [[20 Hz, 100 Hz], [100 Hz, 500 Hz]], or one of them.
void read_bands(const Tree& tree, Environment& environment, const std::string& subject, Problems& problems) {
  if (tree.is_list() && tree.items.empty()) problems.add(tree, subject, "no band is named", "leave bands out");
  const bool single = tree.is_list() && !tree.items.empty() && !tree.items.front().is_list();
  for (const Tree* item : single ? std::vector<const Tree*>{&tree} : one_or_more(tree)) {
    if (!item->is_list() || item->items.size() != 2) {
      problems.add(*item, subject, "a band is two frequencies", "write bands: [[20 Hz, 100 Hz], [100 Hz, 500 Hz]]");
      continue;
    }
    const auto from = read_quantity(item->items[0], kind::frequency, subject + " bands", problems, Sign::positive),
               to = read_quantity(item->items[1], kind::frequency, subject + " bands", problems, Sign::positive);
    if (!from || !to) continue;
    if (!(*from < *to) || *to <= environment.grid.from || *from >= environment.grid.to)
      problems.add(*item, subject,
                   fmt::format("{:g} to {:g} Hz is no band between {:g} and {:g} Hz", *from, *to, environment.grid.from,
                               environment.grid.to),
                   "write the lower frequency first, inside the profile");
    environment.random().bands.emplace_back(*from, *to);
  }
}

}  // namespace

void read_random_input(const RandomKeys& keys, Environment& environment, const Tree& whole, const std::string& subject,
                       Reading& reading) {
  Problems& problems = reading.problems;
  if (!environment.is_random()) {
    if (keys.bands)
      problems.add(*keys.bands, subject, "an RMS over a band is that of a random response", "leave bands out");
    if (keys.bases && read_apart(*keys.bases, subject, problems)) refuse_apart(*keys.bases, subject, problems);
    if (keys.coherence) problems.add(*keys.coherence, subject, "a coherence is that of random inputs", "leave it out");
    return;
  }
  if (keys.simultaneous && environment.combination == Environment::Combination::envelope)
    problems.add(*keys.combine, subject, "axes that act at once are one result: there is nothing to combine",
                 "leave combine or simultaneous out");
  environment.random().simultaneous = keys.simultaneous && environment.combination == Environment::Combination::none;
  if (keys.bands) read_bands(*keys.bands, environment, subject, problems);
  if (keys.bases && read_apart(*keys.bases, subject, problems)) {
    if (environment.axes.empty())
      refuse_apart(*keys.bases, subject, problems);
    else
      environment.random().bases_apart = true;
  }
  refuse_too_many(environment, whole, subject, reading);
  if (keys.coherence) read_coherences(*keys.coherence, environment, subject, reading);
}

}  // namespace avrenk
