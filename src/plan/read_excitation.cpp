// modes, profiles, levels and environments: what is applied, and to which modes.
#include <algorithm>
#include <cmath>
#include <set>

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
    const Tree& text = row->is_list() && row->items.size() == 2 ? row->items[1] : *row;  // a map is a file: see below
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
    std::optional<Tree> from_file;
    if (levels->is_map()) {
      from_file = read_csv_table(*levels, subject, problems);
      if (!from_file) continue;
    }
    const Tree& given = from_file ? *from_file : *levels;
    const bool angular = is_angular(given, *form.angular);
    if (profile.stated && angular != profile.angular)
      problems.add(*levels, subject, "rotations and translations are mixed", "give two profiles");
    profile.angular = angular;
    profile.stated = profile.stated ? &(angular ? kind::angular_acceleration : kind::acceleration)
                     : angular      ? form.angular
                                    : form.kind;
    if (levels->is_text())
      constants.emplace_back(levels, &form);
    else if (const auto table = read_table(given, angular ? *form.angular : *form.kind, 20, subject, problems))
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

// "3 dB" or "10 %" both ways, or {above: 3 dB, below: 1.5 dB}.
void read_tolerance(const Tree& tree, const std::string& subject, Profile& profile, Problems& problems) {
  const double decibel_factor = profile.type == Profile::Type::sine ? 20 : 10;
  // The factors up and down.
  const auto factors = [&](const Tree& text) -> std::pair<double, double> {
    bool decibels = false;
    try {
      decibels = text.is_text() && parse_quantity(text.text).dimension == kind::level.dimension;
    } catch (const InputError&) {  // said by read_quantity
    }
    const auto amount = read_quantity(text, decibels ? kind::level : kind::ratio, subject, problems, Sign::positive);
    if (!amount) return {1, 1};
    if (!decibels && *amount >= 1) problems.add(text, subject, "a tolerance of 100 % or more is none", "write 10 %");
    const double up = std::pow(10, *amount / decibel_factor);
    return decibels ? std::pair{up, 1 / up} : std::pair{1 + *amount, 1 - *amount};
  };
  if (!tree.is_map()) {
    std::tie(profile.upper, profile.lower) = factors(tree);
    profile.tolerance = "±" + tree.text;
    return;
  }
  MapReader map(tree, subject, problems);
  const Tree* const above = map.required("above", "3 dB");
  const Tree* const below = map.required("below", "1.5 dB");
  map.done();
  if (!above || !below) return;
  profile.upper = factors(*above).first;
  profile.lower = factors(*below).second;
  profile.tolerance = fmt::format("+{}, −{}", above->text, below->text);
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
    const std::optional<Tree> from_file = what->is_map() ? read_csv_table(*what, subject, problems) : std::nullopt;
    const Tree& given = from_file ? *from_file : *what;
    profile.angular = is_angular(given, kind::angular_acceleration_psd);
    profile.stated = profile.angular ? &kind::angular_acceleration_psd : &kind::acceleration_psd;
    if (!what->is_map() || from_file) table = read_table(given, *profile.stated, 10, subject, problems);
    profile.duration = map.quantity("duration", kind::time, Sign::positive);
  }
  if (const Tree* tolerance = map.optional("tolerance"))
    read_tolerance(*tolerance, subject + " tolerance", profile, problems);
  map.done();
  if (problems.count() > before || !table) return std::nullopt;
  profile.table = *table;
  return profile;
}

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
  for (const double each : grid.at)
    if (each < grid.from * (1 - 1e-9) || each > grid.to * (1 + 1e-9))
      problems.add(*map.tree().find("at"), map.subject(),
                   fmt::format("{:.6g} Hz lies outside {:g} to {:g} Hz", each, grid.from, grid.to),
                   "ask for frequencies inside the band");
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

std::optional<Environment> read_static(const Tree& tree, const std::string& name, MapReader& map, Problems& problems) {
  const std::size_t before = problems.count();
  map.done();
  MapReader own(tree, map.subject() + " static", problems);
  if (!own.is_map()) return std::nullopt;
  Environment environment;
  environment.name = name;
  environment.type = Environment::Type::steady;
  if (const Tree* field = own.required("acceleration", "{z: -1 g}"))
    environment.acceleration = read_field(*field, own.subject() + " acceleration", problems).value_or(Vector3::Zero());
  own.done();
  return problems.count() > before ? std::nullopt : std::optional(environment);
}

std::optional<Environment> read_environment(const Tree::Entry& entry, Reading& reading) {
  Problems& problems = reading.problems;
  const std::string subject = "environment " + entry.key;
  const std::size_t before = problems.count();
  MapReader map(entry.value, subject, problems);
  if (!map.is_map()) return std::nullopt;
  if (const Tree* still = map.optional("static")) return read_static(*still, entry.key, map, problems);
  Environment environment;
  environment.name = entry.key;
  const Tree* const profile_tree =
      map.required("profile", reading.profiles.names().empty() ? "NAME" : reading.profiles.names().front());
  const Profile* const profile = profile_tree ? reading.profiles.find(*profile_tree, subject, problems) : nullptr;
  read_motions(map, environment, reading);
  if (const Tree* axes = map.required("axes", "[x, y, z]")) environment.axes = read_axes(*axes, subject, problems);
  double decibels = 0;
  environment.level = "+0 dB";
  if (const Tree* level = map.optional("level"))
    if (const auto found = read_level(*level, subject + " level", reading))
      std::tie(environment.level, decibels) = *found;
  const Tree* const frequencies = map.optional("frequencies");
  if (const Tree* combine = map.optional("combine"))
    environment.combination = static_cast<Environment::Combination>(
        1 + read_word(*combine, {"envelope", "root sum of squares"}, subject + " combine", problems).value_or(0));
  const Tree* const simultaneous = map.optional("simultaneous");
  const bool together =
      simultaneous && read_word(*simultaneous, {"no", "yes"}, subject + " simultaneous", problems).value_or(0) == 1;
  if (environment.combination == Environment::Combination::root_sum_of_squares && !together)
    problems.add(*entry.value.find("combine"), subject,
                 "a root sum of squares is for axes that are shaken at the same time",
                 "write simultaneous: yes if they are, else combine: envelope");
  if (const Tree* after = map.optional("after")) {
    const int* const index = reading.environments.find(*after, subject + " after", problems);
    if (index && reading.plan.environments[static_cast<std::size_t>(*index)].type != Environment::Type::steady)
      problems.add(*after, subject, fmt::format("environment \"{}\" is not static", after->text),
                   "name one that is written as {static: {acceleration: {z: -1 g}}}");
    if (index) environment.after = after->text;
  }
  map.done();
  if (!profile) return std::nullopt;
  environment.type = profile->type == Profile::Type::sine ? Environment::Type::sine : Environment::Type::random;
  environment.profile = profile->name;
  environment.sweep_rate = profile->sweep_rate;
  environment.duration = profile->duration;
  // Of a PSD the response follows the root.
  environment.upper = environment.type == Environment::Type::sine ? profile->upper : std::sqrt(profile->upper);
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
  if (const Tree* near = map.optional("near")) {
    if (section.find("up to") || section.find("free"))
      reading.problems.add(*near, "modes", "\"near\" cannot be given beside \"up to\" or \"free\"", "keep one");
    else if (!section.find("count"))
      reading.problems.add(*near, "modes", "\"near\" needs a number of modes", "write {near: 1150 rpm, count: 6}");
    modes.near = read_quantity(*near, kind::frequency, "modes near", reading.problems, Sign::positive);
  }
  if (const Tree* residual = map.optional("residual vectors"))
    modes.residual_vectors =
        read_word(*residual, {"no", "yes"}, "modes residual vectors", reading.problems).value_or(1) == 1;
  if (const Tree* free = map.optional("free"))
    modes.free_motions = read_word(*free, {"no", "yes"}, "modes free", reading.problems).value_or(0) == 1;
  map.done();
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
