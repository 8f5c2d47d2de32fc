// environments: what is applied, where and how much of it.
#include <algorithm>
#include <cmath>
#include <set>

#include "plan/sections.h"

namespace avrenk {
namespace {

// "0 dB", "+3 dB", "-3 dB"
std::string decibels_text(double level) { return level == 0 ? "0 dB" : fmt::format("{:+g} dB", level); }

// A named level or decibels written in place: name for headings and dB.
std::optional<std::pair<std::string, double>> read_level(const Tree& tree, const std::string& subject,
                                                         Reading& reading) {
  if (tree.is_text() && reading.levels.knows(tree.text)) {
    const double* const level = reading.levels.find(tree, subject, reading.problems);
    return level ? std::optional(std::pair(fmt::format("{} ({})", tree.text, decibels_text(*level)), *level))
                 : std::nullopt;
  }
  const bool number = tree.is_text() && tree.text.find_first_of("0123456789") != std::string::npos;
  if (!number) {
    (void)reading.levels.find(tree, subject, reading.problems);
    return std::nullopt;
  }
  const auto level = read_quantity(tree, kind::level, subject, reading.problems);
  return level ? std::optional(std::pair(decibels_text(*level), *level)) : std::nullopt;
}

std::string with_dashes(std::string name) {
  std::replace(name.begin(), name.end(), '.', '-');
  return name;
}

std::vector<int> read_axes(const Tree& tree, const std::string& subject, Problems& problems) {
  const std::vector<std::string> names(axis_names.begin(), axis_names.end());
  std::vector<int> axes;
  for (const Tree* each : one_or_more(tree)) {
    const auto axis = read_word(*each, names, subject + " axes", problems);
    if (axis && std::find(axes.begin(), axes.end(), *axis) != axes.end())
      problems.add(*each, subject, fmt::format("axis {} is given twice", each->text), "");
    else if (axis)
      axes.push_back(*axis);
  }
  return axes;
}

// Where all tables that act together say something; empty where none does.
struct Band {
  double from = 0, to = HUGE_VAL;
  [[nodiscard]] bool stated() const { return to < HUGE_VAL; }
  void narrow(double first, double last) {
    from = std::max(from, first);
    to = std::min(to, last);
  }
};
Band band_of(const Environment& environment) {
  Band band;
  if (environment.type == Environment::Type::random) {  // what has no level somewhere does nothing there
    band = {HUGE_VAL, 0};
    const auto widen = [&](const LogLogTable& table) {
      if (table.stretches().empty()) return;
      band.from = std::min(band.from, table.from());
      band.to = std::max(band.to, table.to());
    };
    widen(environment.input);
    for (const LoadCase& loads : environment.load_cases)
      for (const DrivenLoad& driven : loads.loads) widen(driven.spectrum);
    return band;
  }
  if (!environment.input.stretches().empty()) band.narrow(environment.input.from(), environment.input.to());
  for (const LoadCase& loads : environment.load_cases)
    for (const DrivenLoad& driven : loads.loads)
      if (!driven.amplitude.empty()) band.narrow(driven.amplitude.from(), driven.amplitude.to());
  return band;
}

// 63 Hz, mode 4, or modes: all of them.
void read_asked(const Tree& tree, const std::string& subject, Environment& environment, Problems& problems) {
  constexpr std::string_view mode = "mode ";
  if (tree.is_text() && tree.text == "modes") {
    environment.at_all_modes = true;
  } else if (tree.is_text() && tree.text.starts_with(mode)) {
    Tree number = tree;
    number.text = tree.text.substr(mode.size());
    if (const auto r = read_count(number, subject + " mode", problems)) environment.at_modes.push_back(*r);
  } else if (const auto f = read_quantity(tree, kind::frequency, subject, problems, Sign::positive)) {
    environment.grid.at.push_back(*f);
  }
}

// @param given  what the environment says under frequencies, or nullptr
void read_grid(const Tree* given, const std::string& subject, Environment& environment, const Tree& whole,
               Problems& problems) {
  GridRequest& grid = environment.grid;
  const Band band = band_of(environment);
  grid.from = band.from;
  grid.to = band.to;
  if (!(band.from < band.to))
    problems.add(whole, subject,
                 fmt::format("its tables have no frequencies in common: one begins at {:g} Hz, another ends at {:g} Hz",
                             band.from, band.to),
                 "let them overlap, or write two environments");
  if (!given) {
    if (!band.stated())
      problems.add(whole, subject, "no table says from which frequency to which it acts",
                   environment.by_speed() ? "write speeds: {from: 300 rpm, to: 6000 rpm}"
                                          : "write frequencies: {from: 5 Hz, to: 200 Hz}");
    return;
  }
  const Tree& tree = *given;
  MapReader map(tree, subject + (environment.by_speed() ? " speeds" : " frequencies"), problems);
  if (!map.is_map()) return;
  const double from = band.from, to = band.to;
  if (!band.stated()) {
    grid.from = map.required_quantity("from", kind::frequency, Sign::positive).value_or(1);
    grid.to = map.required_quantity("to", kind::frequency, Sign::positive).value_or(2);
  } else {
    grid.from = map.quantity("from", kind::frequency, Sign::positive).value_or(from);
    grid.to = map.quantity("to", kind::frequency, Sign::positive).value_or(to);
  }
  if (const Tree* beside = map.optional("beside modes"))
    for (const Tree* each : one_or_more(*beside))
      if (const auto part = read_quantity(*each, kind::ratio, map.subject() + " beside modes", problems)) {
        if (!(std::abs(*part) < 0.5))
          problems.add(*each, map.subject(), fmt::format("{} is not beside a natural frequency", each->text),
                       "write less than 50 %");
        grid.beside.push_back(*part);
      }
  grid.every = map.quantity("every", kind::frequency, Sign::positive).value_or(0);
  constexpr double most_steps = 1e5;
  if (grid.every > 0 && (grid.to - grid.from) / grid.every > most_steps)
    problems.add(*tree.find("every"), map.subject(), fmt::format("more than {:g} steps fit into the band", most_steps),
                 "write a longer step");
  if (const Tree* density = map.optional("per octave")) {
    constexpr int most = 10000;
    grid.per_octave = read_count(*density, map.subject() + " per octave", problems).value_or(24);
    if (grid.per_octave > most)
      problems.add(*density, map.subject(), fmt::format("{} points an octave are more than {}", density->text, most),
                   "write per octave: 24; resonances and peaks have points of their own");
  }
  if (const Tree* points = map.optional("points per resonance")) {
    grid.points_per_resonance = read_count(*points, map.subject() + " points per resonance", problems).value_or(21);
    constexpr int most_a_resonance = 10001;
    if (grid.points_per_resonance > most_a_resonance)
      problems.add(*points, map.subject(),
                   fmt::format("{} points per resonance are more than {}", points->text, most_a_resonance),
                   "write points per resonance: 21; peaks do not depend on it");
    if (grid.points_per_resonance % 2 == 0)
      problems.add(*points, map.subject(), "points per resonance must be odd",
                   fmt::format("write {}", grid.points_per_resonance + 1));
  }
  if (const Tree* at = map.optional("at"))
    for (const Tree* each : one_or_more(*at)) read_asked(*each, map.subject() + " at", environment, problems);
  map.done();
  for (const double each : grid.at)
    if (each < grid.from * (1 - 1e-9) || each > grid.to * (1 + 1e-9))
      problems.add(*map.tree().find("at"), map.subject(),
                   fmt::format("{:.6g} Hz lies outside {:g} to {:g} Hz", each, grid.from, grid.to),
                   "ask for frequencies inside the band");
  if (!(grid.from < grid.to))
    problems.add(tree, map.subject(), fmt::format("{:g} Hz to {:g} Hz is no range", grid.from, grid.to),
                 "let `from` lie below `to`");
  if (band.stated() && (grid.from < from * (1 - 1e-12) || grid.to > to * (1 + 1e-12)))
    problems.add(tree, map.subject(), fmt::format("the profile reaches from {:g} to {:g} Hz only", from, to),
                 "stay inside it");
  if (environment.type == Environment::Type::random && (grid.from > from || grid.to < to))
    problems.add(tree, map.subject(), "a random environment uses its whole profile",
                 "leave `from` and `to` out, or cut the profile");
}

// Which bases move, how much of the profile and with what phase.
void read_motions(MapReader& map, Environment& environment, Reading& reading) {
  Problems& problems = reading.problems;
  const Tree* const at = map.optional("at");
  const Tree* const motion = map.optional("motion");
  if (at && motion) problems.add(*motion, map.subject(), "\"at\" and \"motion\" cannot both be given", "keep one");
  if (at) {
    std::set<int> bases;
    for (const Tree* each : one_or_more(*at))
      if (const int base = find_base(*each, map.subject(), reading); base >= 0) bases.insert(base);
    if (bases.size() < reading.plan.assembly.bases.size())
      for (const int base : bases) environment.motions.push_back({base, 1});
  }
  if (!motion) return;
  if (!motion->is_map() || motion->entries.empty()) {
    problems.add(*motion, map.subject(), "a map of bases is due",
                 "write motion: {left: {amplitude: 1}, right: {amplitude: 0.5, phase: 90 deg}}");
    return;
  }
  for (const Tree::Entry& entry : motion->entries) {
    Tree name;
    name.kind = Tree::Kind::text;
    name.text = entry.key;
    name.place = entry.place;
    const int base = find_base(name, map.subject(), reading);
    MapReader own(entry.value, fmt::format("{} motion {}", map.subject(), entry.key), problems);
    if (!own.is_map()) continue;
    const double amplitude = own.quantity("amplitude", kind::number).value_or(1);
    const double phase = own.quantity("phase", kind::angle).value_or(0);
    own.done();
    if (base >= 0) environment.motions.push_back({base, std::polar(1.0, phase) * amplitude});
  }
}

// Components x, y, z of an acceleration.
std::optional<Vector3> read_field(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject, problems);
  if (!map.is_map()) return std::nullopt;
  Vector3 field = Vector3::Zero();
  for (int axis = 0; axis < 3; ++axis)
    field[axis] = map.quantity(std::string(1, "xyz"[axis]), kind::acceleration).value_or(0);
  map.done();
  if (field.isZero(0)) problems.add(tree, subject, "nothing acts", "write {z: -1 g}");
  return field;
}

// {left: {x: 1 mm, rz: 2 mrad}}: bases out of place.
void read_displacement(const Tree& tree, const std::string& subject, Environment& environment, Reading& reading) {
  if (!tree.is_map() || tree.entries.empty()) {
    reading.problems.add(tree, subject, "a map of bases is due", "write displacement: {left: {x: 1 mm}}");
    return;
  }
  for (const Tree::Entry& entry : tree.entries) {
    const int base = find_base(text_at(entry.key, entry.place), subject, reading);
    MapReader own(entry.value, subject + " " + entry.key, reading.problems);
    if (!own.is_map()) continue;
    Vector6 motion = Vector6::Zero();
    for (int i = 0; i < 6; ++i)
      motion[i] = own.quantity(std::string(axis_names[static_cast<std::size_t>(i)]), i < 3 ? kind::length : kind::angle)
                      .value_or(0);
    own.done();
    if (motion.isZero(0))
      reading.problems.add(entry.value, own.subject(), "it stays where it is", "write {x: 1 mm}, or leave it out");
    if (base >= 0) environment.displaced[base] = motion;
  }
}

std::optional<Environment> read_static(const Tree& tree, const std::string& name, MapReader& map, Reading& reading) {
  Problems& problems = reading.problems;
  const std::size_t before = problems.count();
  map.done();
  MapReader own(tree, map.subject() + " static", problems);
  if (!own.is_map()) return std::nullopt;
  Environment environment;
  environment.name = name;
  environment.type = Environment::Type::constant;
  const Tree* const loads = own.optional("loads");
  const Tree *const displaced = own.optional("displacement"), *const bolts = own.optional("bolts");
  if (displaced) read_displacement(*displaced, own.subject() + " displacement", environment, reading);
  if (const Tree* field =
          loads || displaced || bolts ? own.optional("acceleration") : own.required("acceleration", "{z: -1 g}"))
    environment.acceleration = read_field(*field, own.subject() + " acceleration", problems).value_or(Vector3::Zero());
  if (loads) environment.load_cases = read_load_cases(*loads, own, true, reading);
  if (bolts) read_tightening(*bolts, own.subject() + " bolts", environment, reading);
  own.done();
  return problems.count() > before ? std::nullopt : std::optional(environment);
}

// {first: 12}, {numbers: [1, 3]}, or {from: 20 Hz, to: 80 Hz}; residual vectors: no.
std::optional<ModeChoice> read_choice(const Tree& tree, const std::string& subject, Problems& problems) {
  MapReader map(tree, subject + " modes", problems);
  if (!map.is_map()) return std::nullopt;
  ModeChoice choice;
  const Tree *const first = map.optional("first"), *const numbers = map.optional("numbers");
  const auto from = map.quantity("from", kind::frequency, Sign::not_negative),
             to = map.quantity("to", kind::frequency, Sign::positive);
  if (const Tree* residual = map.optional("residual vectors"))
    choice.residual_vectors =
        read_word(*residual, {"no", "yes"}, map.subject() + " residual vectors", problems).value_or(1) == 1;
  map.done();
  if (first) choice.first = read_count(*first, map.subject() + " first", problems);
  for (const Tree* each : numbers ? one_or_more(*numbers) : std::vector<const Tree*>{})
    if (const auto number = read_count(*each, map.subject() + " numbers", problems)) choice.numbers.push_back(*number);
  choice.from = from.value_or(0);
  choice.to = to.value_or(from ? HUGE_VAL : 0);
  if ((first ? 1 : 0) + (numbers ? 1 : 0) + (from || to ? 1 : 0) != 1)
    problems.add(tree, map.subject(), "one choice is due",
                 "write {first: 12}, {numbers: [1, 3]}, or {from: 20 Hz, to: 80 Hz}");
  if (numbers && choice.numbers.empty())
    problems.add(*numbers, map.subject(), "no mode is named", "write numbers: [1, 3]");
  return choice;
}

void take_profile(const Profile& profile, double decibels, Environment& environment) {
  environment.type = profile.type == Profile::Type::sine ? Environment::Type::sine : Environment::Type::random;
  environment.profile = profile.name;
  environment.sweep_rate = profile.sweep_rate;
  environment.duration = profile.duration;
  // Of a PSD the response follows the root.
  environment.upper = environment.type == Environment::Type::sine ? profile.upper : std::sqrt(profile.upper);
  environment.angular = profile.angular;
  environment.input =
      profile.table.scaled(std::pow(10, decibels / (environment.type == Environment::Type::sine ? 20 : 10)));
}

// Amplitudes over the band: tables with their level and phase, amounts that are the same everywhere, and what is out of
// balance and grows with the square of the speed.
void drive_loads(const Assembly& assembly, double decibels, Environment& environment) {
  const GridRequest& grid = environment.grid;
  if (!(grid.from > 0 && grid.from < grid.to && grid.to < HUGE_VAL)) return;  // which has been said
  for (LoadCase& loads : environment.load_cases)
    for (DrivenLoad& driven : loads.loads) {
      if (environment.type == Environment::Type::random) {
        driven.spectrum = driven.spectrum.scaled(std::pow(10, decibels / 10));
        environment.upper = std::max(environment.upper, std::sqrt(driven.upper));  // the response follows the root
        if (!environment.duration) environment.duration = driven.duration;
        continue;
      }
      const Load& load = assembly.loads[static_cast<std::size_t>(driven.load)];
      if (driven.amplitude.empty())
        driven.amplitude = Amplitude::constant(std::abs(driven.amount), grid.from, grid.to)
                               .times(driven.amount < 0 ? -1 : 1, load.unbalance ? 2 : 0);
      if (loads.order > 0) driven.amplitude = driven.amplitude.stretched(loads.order);
      driven.amplitude = driven.amplitude.times(std::polar(std::pow(10, decibels / 20), driven.phase));
      environment.upper = std::max(environment.upper, driven.upper);
      if (!environment.sweep_rate) environment.sweep_rate = driven.sweep_rate;
    }
}

// Loads are random where their profiles are: all of them, and the base with them.
bool type_of_loads(const Tree& tree, bool by_base, Environment& environment, Reading& reading) {
  const std::string subject = "environment " + environment.name;
  const bool base_is_random = by_base && environment.type == Environment::Type::random;
  bool any = base_is_random;
  for (const LoadCase& loads : environment.load_cases)
    for (const DrivenLoad& driven : loads.loads) any = any || !driven.spectrum.stretches().empty();
  if (!any) return true;
  if (by_base && !base_is_random) {
    reading.problems.add(tree, subject, "a load is random, and the base moves in a sine",
                         "write an environment for each");
    return false;
  }
  environment.type = Environment::Type::random;
  for (const LoadCase& loads : environment.load_cases)
    for (const DrivenLoad& driven : loads.loads) {
      const std::string& name = reading.plan.assembly.loads[static_cast<std::size_t>(driven.load)].name;
      if (driven.spectrum.stretches().empty()) {
        reading.problems.add(tree, subject, fmt::format("{} is no random load, and what acts with it is random", name),
                             "name a random profile beside it, or write an environment for each");
        return false;
      }
      if (driven.phase != 0) {
        reading.problems.add(tree, subject, fmt::format("{} is random and has no phase of its own", name),
                             "leave phase out; coherence says how two random inputs go together");
        return false;
      }
    }
  return true;
}

// What acts at once in a random environment, by name.
std::vector<Input> inputs_at_once(const Environment& environment, const Assembly& assembly) {
  std::vector<int> axes = environment.axes;
  if (!environment.simultaneous && axes.size() > 1) axes.resize(1);
  return inputs_of(environment, axes, environment.load_cases.empty() ? LoadCase{} : environment.load_cases.front(),
                   &assembly);
}

// Each costs its own columns of states at every frequency.
void refuse_too_many(const Environment& environment, const Tree& tree, const std::string& subject, Reading& reading) {
  constexpr std::size_t most = 60;
  if (environment.type != Environment::Type::random) return;
  if (const std::size_t count = inputs_at_once(environment, reading.plan.assembly).size(); count > most)
    reading.problems.add(tree, subject,
                         fmt::format("{} random inputs act at once, and no more than {} may", count, most),
                         "let some of them move as one");
}

void read_bases_apart(const Tree& tree, Environment& environment, const std::string& subject, Reading& reading) {
  const bool apart = read_word(tree, {"together", "apart"}, subject + " bases", reading.problems).value_or(0) == 1;
  if (apart && (environment.type != Environment::Type::random || environment.axes.empty()))
    reading.problems.add(tree, subject, "bases are inputs of their own under random base motion only",
                         "leave bases out; motion gives each base its amplitude and phase");
  else
    environment.bases_apart = apart;
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
    MapReader own(*wave, subject + " wave", problems);
    if (own.is_map()) {
      const Tree* const direction = own.required("direction", "x");
      const auto speed = own.required_quantity("speed", kind::velocity, Sign::positive);
      const auto along =
          direction ? read_named_direction(*direction, subject + " wave direction", problems) : std::nullopt;
      if (along && speed) rule.slowness = *along / *speed;
      own.done();
    }
  }
  rule.length = map.quantity("decay length", kind::length, Sign::positive).value_or(0);
  if (const Tree* decay = map.optional("decay")) {
    MapReader own(*decay, subject + " decay", problems);
    if (own.is_map()) {
      const auto constant = own.required_quantity("constant", kind::number, Sign::positive);
      const auto speed = own.required_quantity("speed", kind::velocity, Sign::positive);
      if (constant && speed) rule.decay = *constant / *speed;
      own.done();
    }
  }
  map.done();
  if (!value && !table && !rule.has_distance())
    problems.add(tree, subject, "nothing says how much two inputs go together",
                 "write {value: 0.8}, a table, or {wave: {direction: x, speed: 300 m/s}}");
  environment.coherences.push_back(std::move(rule));
}

void read_coherences(const Tree& tree, Environment& environment, const std::string& environment_subject,
                     Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = environment_subject + " coherence";
  const std::size_t before = problems.count();
  if (environment.type != Environment::Type::random) {
    problems.add(tree, environment_subject, "a coherence is that of random inputs", "leave it out");
    return;
  }
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
      environment.coherences.push_back({{}, {{1, *gamma, 0}}});
  } else {
    for (const Tree* each : one_or_more(tree)) read_coherence_rule(*each, inputs, subject, environment, problems);
  }
  if (problems.count() > before) return;
  try {
    (void)spectrum_of(environment, inputs);
  } catch (const InputError& error) {
    problems.add(tree, environment_subject, error.problems.front().wrong, error.problems.front().instead);
  }
}

// [[20 Hz, 100 Hz], [100 Hz, 500 Hz]], or one of them.
void read_bands(const Tree& tree, Environment& environment, const std::string& subject, Problems& problems) {
  if (environment.type != Environment::Type::random) {
    problems.add(tree, subject, "an RMS over a band is that of a random response", "leave bands out");
    return;
  }
  if (tree.is_list() && tree.items.empty()) problems.add(tree, subject, "no band is named", "leave bands out");
  const bool single = tree.is_list() && !tree.items.empty() && !tree.items.front().is_list();
  for (const Tree* each : single ? std::vector<const Tree*>{&tree} : one_or_more(tree)) {
    if (!each->is_list() || each->items.size() != 2) {
      problems.add(*each, subject, "a band is two frequencies", "write bands: [[20 Hz, 100 Hz], [100 Hz, 500 Hz]]");
      continue;
    }
    const auto from = read_quantity(each->items[0], kind::frequency, subject + " bands", problems, Sign::positive),
               to = read_quantity(each->items[1], kind::frequency, subject + " bands", problems, Sign::positive);
    if (!from || !to) continue;
    if (!(*from < *to) || *to <= environment.grid.from || *from >= environment.grid.to)
      problems.add(*each, subject,
                   fmt::format("{:g} to {:g} Hz is no band between {:g} and {:g} Hz", *from, *to, environment.grid.from,
                               environment.grid.to),
                   "write the lower frequency first, inside the profile");
    environment.bands.emplace_back(*from, *to);
  }
}

// The random environment that acts at the same time, tones that are fixed, the width of a band that sweeps.
struct Acting {
  const Tree *on = nullptr, *tones = nullptr, *sweeping = nullptr;
};

void read_acting(const Acting& given, const std::string& subject, Environment& environment, Reading& reading) {
  Problems& problems = reading.problems;
  const bool sine = environment.type == Environment::Type::sine;
  if (given.on) {
    const int* const index = reading.environments.find(*given.on, subject + " on", reading.problems);
    if (index && reading.plan.environments[static_cast<std::size_t>(*index)].type != Environment::Type::random)
      problems.add(*given.on, subject, fmt::format("environment \"{}\" is not random", given.on->text),
                   "name the broad-band environment that acts at the same time");
    else if (index && environment.by_speed())
      problems.add(*given.on, subject, "orders of a shaft do not act on a random environment",
                   "write frequencies in place of speeds");
    if (index) environment.superposed_on = given.on->text;
  }
  for (const Tree* other : {given.tones, given.sweeping})
    if (other && !given.on)
      problems.add(*other, subject, "tones and bands act on a random environment, and none is named",
                   "write on: random");
  if (given.tones && !sine) problems.add(*given.tones, subject, "a tone is a sine", "name a sine profile");
  for (const Tree* each : given.tones ? one_or_more(*given.tones) : std::vector<const Tree*>{}) {
    const auto f = read_quantity(*each, kind::frequency, subject + " tones", problems, Sign::positive);
    if (!f) continue;
    if (*f < environment.grid.from || *f > environment.grid.to)
      problems.add(*each, subject,
                   fmt::format("{:g} Hz lies outside {:g} to {:g} Hz", *f, environment.grid.from, environment.grid.to),
                   "name tones inside the profile");
    environment.tones.push_back(*f);
    environment.grid.at.push_back(*f);
  }
  if (given.tones && given.tones->is_list() && given.tones->items.empty())
    problems.add(*given.tones, subject, "no tone is named",
                 "leave tones out: one tone then sweeps through the profile");
  if (given.sweeping) {
    if (sine)
      problems.add(*given.sweeping, subject, "a band is random",
                   "name a random profile; a tone that sweeps needs no more than on");
    MapReader own(*given.sweeping, subject + " sweeping", problems);
    if (own.is_map()) environment.band_width = own.required_quantity("width", kind::frequency, Sign::positive);
    own.done();
    if (environment.band_width && *environment.band_width >= environment.grid.to - environment.grid.from)
      problems.add(*given.sweeping, subject, "the band is as wide as the whole profile", "leave sweeping out");
  } else if (given.on && !sine) {
    problems.add(*given.on, subject, "two random environments act at the same time as one: add their profiles",
                 "write sweeping: {width: 20 Hz} if only a band of it acts at a time, else leave on out");
  }
}

std::optional<Environment> read_environment(const Tree::Entry& entry, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = "environment " + entry.key;
  const std::size_t before = problems.count();
  if (entry.key.find('.') != std::string::npos)
    problems.add(entry.value, subject, "a dot parts the name of an environment from its axis",
                 fmt::format("write {}", with_dashes(entry.key)));
  MapReader map(entry.value, subject, problems);
  if (!map.is_map()) return std::nullopt;
  if (const Tree* still = map.optional("static")) return read_static(*still, entry.key, map, reading);
  Environment environment;
  environment.name = entry.key;
  const Tree* const loads = map.optional("loads");
  const std::string some_profile = reading.profiles.names().empty() ? "NAME" : reading.profiles.names().front();
  const bool by_base = !loads || entry.value.find("profile");
  const Tree* const profile_tree = by_base ? map.required("profile", some_profile) : nullptr;
  const Profile* profile = profile_tree ? reading.profiles.find(*profile_tree, subject, problems) : nullptr;
  if (profile && profile->of_load()) {
    problems.add(*profile_tree, subject,
                 fmt::format("profile {} is {}, which drives a load and no base", profile->name, profile->stated->name),
                 fmt::format("write loads: [{{LOAD: {}}}]", profile->name));
    profile = nullptr;
  }
  read_motions(map, environment, reading);
  if (loads) environment.load_cases = read_load_cases(*loads, map, false, reading);
  if (const Tree* axes = by_base ? map.required("axes", "[x, y, z]") : map.optional("axes")) {
    if (!by_base)
      problems.add(*axes, subject, "axes are those of base motion, and no profile moves the base",
                   fmt::format("leave axes out, or write profile: {}", some_profile));
    environment.axes = read_axes(*axes, subject, problems);
    if (axes->is_list() && axes->items.empty())
      problems.add(*axes, subject, "no axis is named, so nothing is shaken", "write axes: [x, y, z]");
  }
  double decibels = 0;
  environment.level = "+0 dB";
  if (const Tree* level = map.optional("level"))
    if (const auto found = read_level(*level, subject + " level", reading))
      std::tie(environment.level, decibels) = *found;
  if (const Tree* modes = map.optional("modes")) environment.modes = read_choice(*modes, subject, problems);
  if (environment.modes && entry.value.find("method"))
    problems.add(*entry.value.find("method"), subject, "a direct method has no modes to choose",
                 "leave modes or method out");
  if (const Tree* method = map.optional("method"))
    environment.direct = read_word(*method, {"modes", "direct"}, subject + " method", problems).value_or(0) == 1;
  const Tree* frequencies = map.optional("frequencies");
  if (const Tree* speeds = map.optional("speeds")) {
    if (frequencies || by_base)
      problems.add(*speeds, subject, "speeds are those of a shaft whose loads act by themselves",
                   frequencies ? "leave frequencies or speeds out" : "write an environment of loads alone");
    frequencies = speeds;
  }
  if (const Tree* combine = map.optional("combine"))
    environment.combination = static_cast<Environment::Combination>(
        1 + read_word(*combine, {"envelope", "root sum of squares"}, subject + " combine", problems).value_or(0));
  const Tree* const coherence = map.optional("coherence");
  const Tree* const bases = map.optional("bases");
  const Tree* const bands = map.optional("bands");
  const Acting acting{map.optional("on"), map.optional("tones"), map.optional("sweeping")};
  const Tree* const simultaneous = map.optional("simultaneous");
  const bool together =
      simultaneous && read_word(*simultaneous, {"no", "yes"}, subject + " simultaneous", problems).value_or(0) == 1;
  if (environment.combination == Environment::Combination::root_sum_of_squares && !together)
    problems.add(*entry.value.find("combine"), subject,
                 "a root sum of squares is for axes that are shaken at the same time",
                 "write simultaneous: yes if they are, else combine: envelope");
  if (const Tree* after = map.optional("after")) {
    const int* const index = reading.environments.find(*after, subject + " after", problems);
    if (index && reading.plan.environments[static_cast<std::size_t>(*index)].type != Environment::Type::constant)
      problems.add(*after, subject, fmt::format("environment \"{}\" is not static", after->text),
                   "name one that is written as {static: {acceleration: {z: -1 g}}}");
    if (index) environment.after = after->text;
  }
  map.done();
  if ((by_base && !profile) || (loads && environment.load_cases.empty())) return std::nullopt;
  if (profile) take_profile(*profile, decibels, environment);
  if (loads && !type_of_loads(*loads, profile != nullptr, environment, reading)) return std::nullopt;
  if (environment.type == Environment::Type::random && environment.by_speed()) {
    problems.add(*entry.value.find("speeds"), subject, "orders of a shaft are sines, and these loads are random",
                 "write frequencies in place of speeds, or leave it out");
    return std::nullopt;
  }
  if (environment.direct && environment.type == Environment::Type::random) {
    problems.add(*entry.value.find("method"), subject, "a direct method solves sines only",
                 "leave method out, or name a sine profile");
    return std::nullopt;
  }
  read_grid(frequencies, subject, environment, entry.value, problems);
  drive_loads(reading.plan.assembly, decibels, environment);
  read_acting(acting, subject, environment, reading);
  if (together && environment.type == Environment::Type::random &&
      environment.combination == Environment::Combination::envelope)
    problems.add(*entry.value.find("combine"), subject,
                 "axes that act at once are one result: there is nothing to combine",
                 "leave combine or simultaneous out");
  environment.simultaneous = together && environment.type == Environment::Type::random &&
                             environment.combination == Environment::Combination::none;
  if (bands) read_bands(*bands, environment, subject, problems);
  if (bases) read_bases_apart(*bases, environment, subject, reading);
  refuse_too_many(environment, entry.value, subject, reading);
  if (coherence) read_coherences(*coherence, environment, subject, reading);
  for (const int axis : profile ? environment.axes : std::vector<int>{})
    if ((axis > 2) != environment.angular)
      problems.add(*entry.value.find("axes"), subject,
                   fmt::format("axis {} is a {}, profile {} is given in {}", axis_names[static_cast<std::size_t>(axis)],
                               axis > 2 ? "rotation" : "translation", profile->name,
                               environment.angular ? "rotations" : "translations"),
                   environment.angular ? "use rx, ry, rz" : "use x, y, z");
  return problems.count() > before ? std::nullopt : std::optional(environment);
}

}  // namespace

void read_environments(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    reading.plan.subjects["environment " + entry.key] = entry.place;
    const auto environment = read_environment(entry, reading);
    if (environment) reading.plan.environments.push_back(*environment);
    reading.environments.declare(
        entry.key, environment ? std::optional(static_cast<int>(reading.plan.environments.size()) - 1) : std::nullopt);
  }
}

}  // namespace avrenk
