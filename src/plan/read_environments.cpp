// environments: what is applied, where and how much of it.
#include <algorithm>
#include <cmath>
#include <set>

#include "plan/environment_parts.h"

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
  for (const Tree* item : one_or_more(tree)) {
    const auto axis = read_word(*item, names, subject + " axes", problems);
    if (axis && std::find(axes.begin(), axes.end(), *axis) != axes.end())
      problems.add(*item, subject, fmt::format("axis {} is given twice", item->text), "");
    else if (axis)
      axes.push_back(*axis);
  }
  return axes;
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
    MapReader map_reader(entry.value, fmt::format("{} motion {}", map.subject(), entry.key), problems);
    if (!map_reader.is_map()) continue;
    const double amplitude = map_reader.quantity("amplitude", kind::number).value_or(1);
    const double phase = map_reader.quantity("phase", kind::angle).value_or(0);
    map_reader.done();
    if (base >= 0) environment.motions.push_back({base, std::polar(1.0, phase) * amplitude});
  }
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
  if (profile.is_random())
    environment.form = RandomInput{};
  else
    environment.form = SineInput{profile.sweep_rate};
  environment.profile = profile.name;
  environment.duration = profile.duration;
  // Of a PSD the response follows the root.
  environment.upper = environment.is_sine() ? profile.upper : std::sqrt(profile.upper);
  environment.angular = profile.angular;
  environment.input = profile.table.scaled(std::pow(10, decibels / (environment.is_sine() ? 20 : 10)));
}

// Amplitudes over the band: tables with their level and phase, amounts that are the same everywhere, and what is out of
// balance and grows with the square of the speed.
void drive_loads(const Assembly& assembly, double decibels, Environment& environment) {
  const GridRequest& grid = environment.grid;
  if (!(grid.from > 0 && grid.from < grid.to && grid.to < HUGE_VAL)) return;  // which has been said
  for (LoadCase& loads : environment.load_cases)
    for (DrivenLoad& driven : loads.loads) {
      if (environment.is_random()) {
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
      if (!environment.sine().sweep_rate) environment.sine().sweep_rate = driven.sweep_rate;
    }
}

// Loads are random where their profiles are: all of them, and the base with them.
bool type_of_loads(const Tree& tree, bool by_base, Environment& environment, Reading& reading) {
  const std::string subject = "environment " + environment.name;
  const bool base_is_random = by_base && environment.is_random();
  bool any = base_is_random;
  for (const LoadCase& loads : environment.load_cases)
    for (const DrivenLoad& driven : loads.loads) any = any || !driven.spectrum.stretches().empty();
  if (!any) return true;
  if (by_base && !base_is_random) {
    reading.problems.add(tree, subject, "a load is random, and the base moves in a sine",
                         "write an environment for each");
    return false;
  }
  if (!environment.is_random()) environment.form = RandomInput{};
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

// The random environment that acts at the same time, tones that are fixed, the width of a band that sweeps.
struct Acting {
  const Tree *on = nullptr, *tones = nullptr, *sweeping = nullptr;
};

void read_acting(const Acting& given, const std::string& subject, Environment& environment, Reading& reading) {
  Problems& problems = reading.problems;
  const bool sine = environment.is_sine();
  if (given.on) {
    const int* const index = reading.environments.find(*given.on, subject + " on", reading.problems);
    if (index && !reading.plan.environments[static_cast<std::size_t>(*index)].is_random())
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
  for (const Tree* item : given.tones ? one_or_more(*given.tones) : std::vector<const Tree*>{}) {
    const auto f = read_quantity(*item, kind::frequency, subject + " tones", problems, Sign::positive);
    if (!f) continue;
    if (*f < environment.grid.from || *f > environment.grid.to)
      problems.add(*item, subject,
                   fmt::format("{:g} Hz lies outside {:g} to {:g} Hz", *f, environment.grid.from, environment.grid.to),
                   "name tones inside the profile");
    if (sine) environment.sine().tones.push_back(*f);
    environment.grid.at.push_back(*f);
  }
  if (given.tones && given.tones->is_list() && given.tones->items.empty())
    problems.add(*given.tones, subject, "no tone is named",
                 "leave tones out: one tone then sweeps through the profile");
  if (given.sweeping) {
    if (sine)
      problems.add(*given.sweeping, subject, "a band is random",
                   "name a random profile; a tone that sweeps needs no more than on");
    MapReader map_reader(*given.sweeping, subject + " sweeping", problems);
    std::optional<double> width;
    if (map_reader.is_map()) width = map_reader.required_quantity("width", kind::frequency, Sign::positive);
    map_reader.done();
    if (width && *width >= environment.grid.to - environment.grid.from)
      problems.add(*given.sweeping, subject, "the band is as wide as the whole profile", "leave sweeping out");
    if (!sine) environment.random().band_width = width;
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
  if (const Tree* still = map.optional("static")) return read_static_environment(*still, entry.key, map, reading);
  Environment environment;
  environment.name = entry.key;
  const Tree* const loads = map.optional("loads");
  const std::string some_profile = reading.profiles.names().empty() ? "NAME" : reading.profiles.names().front();
  const bool by_base = !loads || entry.value.find("profile");
  const Tree* const profile_tree = by_base ? map.required("profile", some_profile) : nullptr;
  const Profile* profile = profile_tree ? reading.profiles.find(*profile_tree, subject, problems) : nullptr;
  if (profile && profile->of_load()) {
    problems.add(
        *profile_tree, subject,
        fmt::format("profile {} is {}{}, which drives a load and no base", profile->name, profile->stated->name,
                    profile->stated == &kind::acceleration ? " with phases or a law between points" : ""),
        profile->stated == &kind::acceleration
            ? "leave them out: levels of base motion follow straight lines on log-log paper"
            : fmt::format("write loads: [{{LOAD: {}}}]", profile->name));
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
  const Tree* const method = map.optional("method");
  const bool direct = method && read_word(*method, {"modes", "direct"}, subject + " method", problems).value_or(0) == 1;
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
  RandomKeys keys;
  keys.coherence = map.optional("coherence");
  keys.bases = map.optional("bases");
  keys.bands = map.optional("bands");
  keys.combine = entry.value.find("combine");
  const Acting acting{map.optional("on"), map.optional("tones"), map.optional("sweeping")};
  const Tree* const simultaneous = map.optional("simultaneous");
  keys.simultaneous =
      simultaneous && read_word(*simultaneous, {"no", "yes"}, subject + " simultaneous", problems).value_or(0) == 1;
  if (environment.combination == Environment::Combination::root_sum_of_squares && !keys.simultaneous)
    problems.add(*entry.value.find("combine"), subject,
                 "a root sum of squares is for axes that are shaken at the same time",
                 "write simultaneous: yes if they are, else combine: envelope");
  if (const Tree* after = map.optional("after")) {
    const int* const index = reading.environments.find(*after, subject + " after", problems);
    if (index && !reading.plan.environments[static_cast<std::size_t>(*index)].is_static())
      problems.add(*after, subject, fmt::format("environment \"{}\" is not static", after->text),
                   "name one that is written as {static: {acceleration: {z: -1 g}}}");
    if (index) environment.after = after->text;
  }
  map.done();
  if ((by_base && !profile) || (loads && environment.load_cases.empty())) return std::nullopt;
  if (profile) take_profile(*profile, decibels, environment);
  if (loads && !type_of_loads(*loads, profile != nullptr, environment, reading)) return std::nullopt;
  if (environment.is_random() && environment.by_speed()) {
    problems.add(*entry.value.find("speeds"), subject, "orders of a shaft are sines, and these loads are random",
                 "write frequencies in place of speeds, or leave it out");
    return std::nullopt;
  }
  if (direct && environment.is_random()) {
    problems.add(*method, subject, "a direct method solves sines only", "leave method out, or name a sine profile");
    return std::nullopt;
  }
  if (environment.is_sine()) environment.sine().direct = direct;
  read_grid(frequencies, subject, environment, entry.value, problems);
  drive_loads(reading.plan.assembly, decibels, environment);
  read_acting(acting, subject, environment, reading);
  read_random_input(keys, environment, entry.value, subject, reading);
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

Environment* find_environment(const Tree& tree, const std::string& subject, Reading& reading) {
  Tree name = tree;
  std::string axis;
  if (const std::size_t dot = tree.text.find('.');
      tree.is_text() && dot != std::string::npos && !reading.environments.knows(tree.text)) {
    name.text = tree.text.substr(0, dot);
    axis = tree.text.substr(dot + 1);
  }
  const int* const index = reading.environments.find(name, subject, reading.problems);
  if (!index) return nullptr;
  Environment& environment = reading.plan.environments[static_cast<std::size_t>(*index)];
  std::vector<std::string> axes = case_names(environment);
  if (environment.combination != Environment::Combination::none) axes.emplace_back("combined");
  if (!axis.empty() && std::find(axes.begin(), axes.end(), axis) == axes.end()) {
    reading.problems.add(tree, subject,
                         fmt::format("environment {} has no {} \"{}\"", environment.name,
                                     environment.load_cases.empty() ? "axis" : "case", axis),
                         suggest_name(axis, axes));
    return nullptr;
  }
  return &environment;
}

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
