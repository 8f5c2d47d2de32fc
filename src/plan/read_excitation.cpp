// modes, damping, profiles, levels and environments: what is applied, and to which modes.
#include <algorithm>
#include <cmath>

#include "plan/sections.h"

namespace avrenk {
namespace {

// What a sine profile may be stated in, with the power of ω that makes it an acceleration.
struct SineForm {
  const char* key;
  const Kind* kind;
  const Kind* angular;
  int omega_power;
};
constexpr SineForm sine_forms[] = {{"acceleration", &kind::acceleration, &kind::angular_acceleration, 0},
                                   {"velocity", &kind::velocity, &kind::angular_velocity, 1},
                                   {"displacement", &kind::length, &kind::angle, 2}};

// True if the first level of a table is an angle's: the whole table then is.
bool is_angular(const Tree& table, const Kind& angular) {
  for (const Tree* row : one_or_more(table)) {
    const Tree& text = row->is_list() && row->items.size() == 2 ? row->items[1] : *row;
    if (!text.is_text()) continue;
    try {
      const Quantity level = parse_quantity(text.text);
      if (level.dimension == kind::slope.dimension) continue;
      return level.dimension == angular.dimension;
    } catch (const InputError&) {
      return false;
    }
  }
  return false;
}

std::optional<Breakpoint> read_breakpoint(const Tree& row, const Kind& kind, const std::string& subject,
                                          Problems& problems) {
  if (!row.is_list() || row.items.size() != 2) {
    problems.add(row, subject, "a point is a frequency and a level",
                 fmt::format("write [20 Hz, {}] or [20 Hz, +6 dB/oct]", kind.example));
    return std::nullopt;
  }
  Breakpoint point;
  const auto frequency = read_quantity(row.items[0], kind::frequency, subject, problems, Sign::positive);
  bool slope = false;
  try {
    slope = row.items[1].is_text() && parse_quantity(row.items[1].text).dimension == kind::slope.dimension;
  } catch (const InputError&) {  // said below, where the level is read
  }
  if (slope)
    point.slope = read_quantity(row.items[1], kind::slope, subject, problems);
  else
    point.level = read_quantity(row.items[1], kind, subject, problems, Sign::positive);
  if (!frequency || (!point.level && !point.slope)) return std::nullopt;
  point.frequency = *frequency;
  return point;
}

std::optional<LogLogTable> read_table(const Tree& tree, const Kind& kind, double decibel_factor,
                                      const std::string& subject, Problems& problems) {
  if (!tree.is_list()) {
    problems.add(tree, subject, "a table is due", fmt::format("write [[20 Hz, {0}], [200 Hz, {0}]]", kind.example));
    return std::nullopt;
  }
  std::vector<Breakpoint> points;
  bool good = true;
  for (const Tree& row : tree.items) {
    const auto point = read_breakpoint(row, kind, subject, problems);
    if (point && !points.empty() && point->frequency < points.back().frequency) {
      problems.add(row, subject,
                   fmt::format("frequencies fall from {:g} to {:g} Hz", points.back().frequency, point->frequency),
                   "write them in rising order");
      good = false;
    } else if (point) {
      points.push_back(*point);
    }
    good = good && point.has_value();
  }
  if (!good) return std::nullopt;
  try {
    return LogLogTable(points, decibel_factor);
  } catch (const InputError& error) {
    problems.add(tree, subject, error.problems.front().wrong, error.problems.front().instead);
    return std::nullopt;
  }
}

// Branches of a sine profile: tables, and constants that hold over the frequencies of the tables; the lowest governs.
std::optional<LogLogTable> read_branches(const Tree& tree, const std::string& subject, Profile& profile,
                                         Problems& problems) {
  MapReader sine(tree, subject + " sine", problems);
  if (!sine.is_map()) return std::nullopt;
  const std::size_t before = problems.count();
  std::vector<LogLogTable> branches;
  std::vector<std::pair<const Tree*, const SineForm*>> constants;
  for (const SineForm& form : sine_forms) {
    const Tree* const levels = sine.optional(form.key);
    if (!levels) continue;
    const bool angular = is_angular(*levels, *form.angular);
    if (profile.stated && angular != profile.angular)
      problems.add(*levels, subject, "rotations and translations are mixed", "give two profiles");
    profile.angular = angular;
    profile.stated = profile.stated ? &(angular ? kind::angular_acceleration : kind::acceleration)
                     : angular      ? form.angular
                                    : form.kind;
    if (levels->is_text())
      constants.emplace_back(levels, &form);
    else if (const auto table = read_table(*levels, angular ? *form.angular : *form.kind, 20, subject, problems))
      branches.push_back(table->times_omega(form.omega_power));
  }
  sine.done();
  if (problems.count() == before && branches.empty())
    problems.add(tree, subject,
                 constants.empty() ? "nothing says what it is" : "no branch says from which frequency to which",
                 "write one as a table: acceleration: [[5 Hz, 4 g], [100 Hz, 4 g]]");
  if (problems.count() > before) return std::nullopt;
  double from = branches.front().from(), to = branches.front().to();
  for (const LogLogTable& branch : branches) {
    from = std::min(from, branch.from());
    to = std::max(to, branch.to());
  }
  for (const auto& [levels, form] : constants) {
    const auto level =
        read_quantity(*levels, profile.angular ? *form->angular : *form->kind, subject, problems, Sign::positive);
    if (!level) return std::nullopt;
    branches.push_back(LogLogTable({{from, *level, {}}, {to, *level, {}}}, 20).times_omega(form->omega_power));
  }
  return LogLogTable::lowest_of(branches);
}

std::optional<double> read_sweep_rate(const Tree& tree, const std::string& subject, Problems& problems) {
  constexpr Kind rate{"a sweep rate", {{0, 0, -1, 0, 0, 1}}, "2 oct/min", "oct/min"};
  const auto per_second = read_quantity(tree, rate, subject, problems, Sign::positive);
  return per_second ? std::optional(60 * *per_second) : std::nullopt;
}

std::optional<Profile> read_profile(const Tree::Entry& entry, Problems& problems) {
  const std::string subject = "profile " + entry.key;
  const std::size_t before = problems.count();
  MapReader map(entry.value, subject, problems);
  if (!map.is_map()) return std::nullopt;
  Profile profile;
  profile.name = entry.key;
  const auto [type, what] = map.one_of({"sine", "random"});
  std::optional<LogLogTable> table;
  if (type == "sine") {
    profile.type = Profile::Type::sine;
    table = read_branches(*what, subject, profile, problems);
    if (const Tree* rate = map.optional("sweep"))
      profile.sweep_rate = read_sweep_rate(*rate, subject + " sweep", problems);
  } else if (type == "random") {
    profile.type = Profile::Type::random;
    profile.angular = is_angular(*what, kind::angular_acceleration_psd);
    profile.stated = profile.angular ? &kind::angular_acceleration_psd : &kind::acceleration_psd;
    table = read_table(*what, *profile.stated, 10, subject, problems);
    profile.duration = map.quantity("duration", kind::time, Sign::positive);
  }
  map.done();
  if (problems.count() > before || !table) return std::nullopt;
  profile.table = *table;
  return profile;
}

// A named level or decibels written in place: name for headings and dB.
std::optional<std::pair<std::string, double>> read_level(const Tree& tree, const std::string& subject,
                                                         Reading& reading) {
  if (tree.is_text() && reading.levels.knows(tree.text)) {
    const double* const level = reading.levels.find(tree, subject, reading.problems);
    return level ? std::optional(std::pair(fmt::format("{} ({:+g} dB)", tree.text, *level), *level)) : std::nullopt;
  }
  const bool number = tree.is_text() && tree.text.find_first_of("0123456789") != std::string::npos;
  if (!number) {
    (void)reading.levels.find(tree, subject, reading.problems);
    return std::nullopt;
  }
  const auto level = read_quantity(tree, kind::level, subject, reading.problems);
  return level ? std::optional(std::pair(fmt::format("{:+g} dB", *level), *level)) : std::nullopt;
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

void read_grid(const Tree& tree, const std::string& subject, Environment& environment, Problems& problems) {
  GridRequest& grid = environment.grid;
  MapReader map(tree, subject + " frequencies", problems);
  if (!map.is_map()) return;
  const double from = environment.input.from(), to = environment.input.to();
  grid.from = map.quantity("from", kind::frequency, Sign::positive).value_or(from);
  grid.to = map.quantity("to", kind::frequency, Sign::positive).value_or(to);
  if (const Tree* density = map.optional("per octave"))
    grid.per_octave = read_count(*density, map.subject() + " per octave", problems).value_or(24);
  if (const Tree* points = map.optional("points per resonance")) {
    grid.points_per_resonance = read_count(*points, map.subject() + " points per resonance", problems).value_or(21);
    if (grid.points_per_resonance % 2 == 0)
      problems.add(*points, map.subject(), "points per resonance must be odd",
                   fmt::format("write {}", grid.points_per_resonance + 1));
  }
  if (const Tree* at = map.optional("at"))
    for (const Tree* each : one_or_more(*at))
      if (const auto f = read_quantity(*each, kind::frequency, map.subject() + " at", problems, Sign::positive))
        grid.at.push_back(*f);
  map.done();
  if (!(grid.from < grid.to))
    problems.add(tree, map.subject(), fmt::format("{:g} Hz to {:g} Hz is no range", grid.from, grid.to),
                 "let `from` lie below `to`");
  if (grid.from < from * (1 - 1e-12) || grid.to > to * (1 + 1e-12))
    problems.add(tree, map.subject(), fmt::format("the profile reaches from {:g} to {:g} Hz only", from, to),
                 "stay inside it");
  if (environment.type == Environment::Type::random && (grid.from > from || grid.to < to))
    problems.add(tree, map.subject(), "a random environment uses its whole profile",
                 "leave `from` and `to` out, or cut the profile");
}

std::optional<Environment> read_environment(const Tree::Entry& entry, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = "environment " + entry.key;
  const std::size_t before = problems.count();
  MapReader map(entry.value, subject, problems);
  if (!map.is_map()) return std::nullopt;
  Environment environment;
  environment.name = entry.key;
  const Tree* const profile_tree =
      map.required("profile", reading.profiles.names().empty() ? "NAME" : reading.profiles.names().front());
  const Profile* const profile = profile_tree ? reading.profiles.find(*profile_tree, subject, problems) : nullptr;
  if (const Tree* at = map.optional("at");
      at && !reading.plan.assembly.base.name.empty() && !(at->is_text() && at->text == reading.plan.assembly.base.name))
    problems.add(*at, subject, fmt::format("\"{}\" is not the base", at->text),
                 fmt::format("write \"{}\"", reading.plan.assembly.base.name));
  if (const Tree* axes = map.required("axes", "[x, y, z]")) environment.axes = read_axes(*axes, subject, problems);
  double decibels = 0;
  environment.level = "+0 dB";
  if (const Tree* level = map.optional("level"))
    if (const auto found = read_level(*level, subject + " level", reading))
      std::tie(environment.level, decibels) = *found;
  const Tree* const frequencies = map.optional("frequencies");
  map.done();
  if (!profile) return std::nullopt;
  environment.type = profile->type == Profile::Type::sine ? Environment::Type::sine : Environment::Type::random;
  environment.profile = profile->name;
  environment.angular = profile->angular;
  environment.input =
      profile->table.scaled(std::pow(10, decibels / (environment.type == Environment::Type::sine ? 20 : 10)));
  environment.grid.from = environment.input.from();
  environment.grid.to = environment.input.to();
  if (frequencies) read_grid(*frequencies, subject, environment, problems);
  for (const int axis : environment.axes)
    if ((axis > 2) != environment.angular)
      problems.add(*entry.value.find("axes"), subject,
                   fmt::format("axis {} is a {}, profile {} is given in {}", axis_names[static_cast<std::size_t>(axis)],
                               axis > 2 ? "rotation" : "translation", profile->name,
                               environment.angular ? "rotations" : "translations"),
                   environment.angular ? "use rx, ry, rz" : "use x, y, z");
  return problems.count() > before ? std::nullopt : std::optional(environment);
}

}  // namespace

void read_modes(const Tree& section, Reading& reading) {
  MapReader map(section, "modes", reading.problems);
  if (!map.is_map()) return;
  ModeRequest& modes = reading.plan.modes;
  modes.up_to = map.quantity("up to", kind::frequency, Sign::positive);
  if (const Tree* count = map.optional("count")) {
    if (section.find("up to"))
      reading.problems.add(*count, "modes", "\"up to\" and \"count\" cannot both be given", "keep one");
    modes.count = read_count(*count, "modes count", reading.problems);
  }
  if (const Tree* residual = map.optional("residual vectors"))
    modes.residual_vectors =
        read_word(*residual, {"no", "yes"}, "modes residual vectors", reading.problems).value_or(1) == 1;
  map.done();
}

void read_damping(const Tree& section, Reading& reading) {
  Problems& problems = reading.problems;
  MapReader map(section, "damping", problems);
  if (!map.is_map()) return;
  const Tree* const otherwise = map.required("otherwise", "1.5 %");
  map.done();
  if (!otherwise) return;
  DampingRule& rule = reading.plan.damping;
  const auto ratio = [&](const Tree& tree) {
    const auto value = read_quantity(tree, kind::ratio, "damping", problems, Sign::not_negative);
    if (value && *value >= 1)
      problems.add(tree, "damping", fmt::format("a damping ratio of {:g} is beyond critical", *value),
                   fmt::format("did you mean {:g} %?", *value));
    return value;
  };
  if (otherwise->is_list()) {
    rule.form = DampingRule::Form::table;
    for (const Tree& row : otherwise->items) {
      if (!row.is_list() || row.items.size() != 2) {
        problems.add(row, "damping", "a point is a frequency and a ratio", "write [20 Hz, 1 %]");
        continue;
      }
      const auto frequency = read_quantity(row.items[0], kind::frequency, "damping", problems, Sign::positive);
      const auto value = ratio(row.items[1]);
      if (!frequency || !value) continue;
      if (!rule.table.empty() && *frequency <= rule.table.back().first)
        problems.add(row, "damping",
                     fmt::format("frequencies do not rise from {:g} to {:g} Hz", rule.table.back().first, *frequency),
                     "write them in rising order");
      rule.table.emplace_back(*frequency, *value);
    }
    if (otherwise->items.empty())
      problems.add(*otherwise, "damping", "the table is empty", "write [[20 Hz, 1 %], [2000 Hz, 2 %]]");
  } else if (otherwise->is_map()) {
    MapReader form(*otherwise, "damping otherwise", problems);
    const auto [name, value] = form.one_of({"loss factor", "Q"});
    form.done();
    if (name == "loss factor") {
      rule.form = DampingRule::Form::loss_factor;
      rule.value = read_quantity(*value, kind::ratio, "damping loss factor", problems, Sign::not_negative).value_or(0);
    } else if (name == "Q") {
      rule.form = DampingRule::Form::ratio;
      rule.value = 0.5 / read_quantity(*value, kind::number, "damping Q", problems, Sign::positive).value_or(1);
      if (rule.value >= 1)
        problems.add(*value, "damping Q", "Q below 0.5 is beyond critical", "write, for example, {Q: 25}");
    }
  } else {
    rule.form = DampingRule::Form::ratio;
    rule.value = ratio(*otherwise).value_or(0);
  }
}

void read_profiles(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries) {
    const auto profile = read_profile(entry, reading.problems);
    if (profile) reading.plan.profiles.push_back(*profile);
    reading.profiles.declare(entry.key, profile);
  }
}

void read_levels(const Tree& section, Reading& reading) {
  for (const Tree::Entry& entry : section.entries)
    reading.levels.declare(entry.key, read_quantity(entry.value, kind::level, "level " + entry.key, reading.problems));
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
