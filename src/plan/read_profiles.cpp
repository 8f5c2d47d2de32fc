// profiles and levels: what the specification says.
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

// What a profile of a load may be stated in.
struct LoadForm {
  const char* key;
  const Kind* kind;
  const Kind* psd;
};
constexpr LoadForm load_forms[] = {{"force", &kind::force, &kind::force_psd},
                                   {"moment", &kind::moment, &kind::moment_psd},
                                   {"pressure", &kind::pressure, &kind::pressure_psd},
                                   {"force per length", &kind::line_load, &kind::line_load_psd}};
// An acceleration that acts on all mass, where it has phases or another law between points than log-log.
constexpr LoadForm acceleration_field{"acceleration", &kind::acceleration, &kind::acceleration_psd};

// What a PSD of base motion may be stated in, with the power of ω that makes it one of acceleration.
struct RandomForm {
  const char* key;
  const Kind* psd;
  const Kind* angular;
  int omega_power;
};
constexpr RandomForm random_forms[] = {{"acceleration", &kind::acceleration_psd, &kind::angular_acceleration_psd, 0},
                                       {"velocity", &kind::velocity_psd, &kind::angular_velocity_psd, 2},
                                       {"displacement", &kind::displacement_psd, &kind::angle_psd, 4}};

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

std::optional<LogLogTable> table_of(const std::vector<Breakpoint>& points, double decibel_factor, const Tree& tree,
                                    const std::string& subject, Problems& problems) {
  try {
    return LogLogTable(points, decibel_factor);
  } catch (const InputError& error) {
    problems.add(tree, subject, error.problems.front().wrong, error.problems.front().remedy);
    return std::nullopt;
  }
}

}  // namespace

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
  return good ? table_of(points, decibel_factor, tree, subject, problems) : std::nullopt;
}

namespace {

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

// [600 rpm, 4 N] or [600 rpm, 4 N, 30 deg].
std::optional<AmplitudePoint> read_amplitude(const Tree& row, const Kind& kind, const std::string& subject,
                                             Problems& problems) {
  if (!row.is_list() || row.items.size() < 2 || row.items.size() > 3) {
    problems.add(row, subject, "a point is a frequency or speed, an amplitude and, if there is one, a phase",
                 fmt::format("write [600 rpm, {0}] or [600 rpm, {0}, 30 deg]", kind.example));
    return std::nullopt;
  }
  const auto frequency = read_quantity(row.items[0], kind::frequency, subject, problems, Sign::positive);
  const auto level = read_quantity(row.items[1], kind, subject, problems, Sign::not_negative);
  const auto phase =
      row.items.size() == 3 ? read_quantity(row.items[2], kind::angle, subject, problems) : std::optional(0.0);
  if (!frequency || !level || !phase) return std::nullopt;
  return AmplitudePoint{*frequency, *level, *phase};
}

// The amplitudes of a load.
void read_load_profile(const LoadForm& form, const Tree& levels, const Tree* between, const std::string& subject,
                       Profile& profile, Problems& problems) {
  profile.stated = profile.drives = form.kind;
  if (between) {
    const auto law = read_word(*between, {"log-log", "linear", "steps"}, subject + " between points", problems);
    profile.between = static_cast<BetweenPoints>(law.value_or(0));
  }
  const std::optional<Tree> from_file =
      levels.is_map() ? read_csv_table(levels, subject, problems) : std::optional<Tree>();
  if (levels.is_map() && !from_file) return;
  const Tree& given = from_file ? *from_file : levels;
  if (!given.is_list()) {
    problems.add(given, subject, "a table is due",
                 fmt::format("write [[600 rpm, {0}], [3000 rpm, {0}]]; an amplitude that is always the same stands "
                             "beside the load in the environment",
                             form.kind->example));
    return;
  }
  const std::size_t before = problems.count();
  std::vector<AmplitudePoint> points;
  for (const Tree& row : given.items)
    if (const auto point = read_amplitude(row, *form.kind, subject, problems)) points.push_back(*point);
  if (problems.count() == before && points.size() > 1 &&
      std::all_of(points.begin(), points.end(), [](const AmplitudePoint& each) { return each.level == 0; }))
    problems.add(levels, subject, "all amplitudes are zero, so nothing acts", "give one that is not");
  if (problems.count() > before) return;
  try {
    (void)Amplitude(points, profile.between);
  } catch (const InputError& error) {
    const Problem& problem = error.problems.front();
    const bool zero = profile.between == BetweenPoints::power_law &&
                      std::any_of(points.begin(), points.end(), [](const auto& p) { return p.level == 0; });
    problems.add(levels, subject, problem.wrong, zero ? "write between points: linear" : problem.remedy);
    return;
  }
  const AmplitudePoint &last = points.back(), &before_it = points[points.size() - 2];
  if (profile.between == BetweenPoints::steps && (last.level != before_it.level || last.phase != before_it.phase))
    problems.add(given.items.back(), subject, "each step holds until the next point, so that the last level never acts",
                 "repeat the level before it at the last frequency, or add a point");
  profile.points = std::move(points);
}

// Sound pressure levels of adjacent third octaves, dB re 20 µPa, as a PSD that is flat in each band: p² over its width.
// Bands by base ten: their exact middle frequencies are 1000 Hz times powers of 10^(1/10) (IEC 61260-1).
std::optional<LogLogTable> read_sound_levels(const Tree& tree, const std::string& subject, Problems& problems) {
  if (!tree.is_list() || tree.items.empty()) {
    problems.add(tree, subject, "a table is due", "write [[100 Hz, 121 dB], [125 Hz, 124 dB]]");
    return std::nullopt;
  }
  constexpr double reference = 20e-6, nominal = 0.03;  // Pa; how far a rounded frequency may be from its band's middle
  std::vector<Breakpoint> points;
  const std::size_t before = problems.count();
  std::optional<long> last;
  for (const Tree& row : tree.items) {
    if (!row.is_list() || row.items.size() != 2) {
      problems.add(row, subject, "a point is the middle of a third octave and a level", "write [100 Hz, 121 dB]");
      continue;
    }
    const auto f = read_quantity(row.items[0], kind::frequency, subject, problems, Sign::positive);
    const auto level = read_quantity(row.items[1], kind::level, subject, problems);
    if (!f || !level) continue;
    const long band = std::lround(10 * std::log10(*f / 1000));
    const double middle = 1000 * std::pow(10, 0.1 * static_cast<double>(band));
    if (std::abs(*f / middle - 1) > nominal)
      problems.add(row, subject, fmt::format("{:g} Hz is not the middle of a third octave", *f),
                   fmt::format("write {:.4g} Hz", middle));
    else if (last && band != *last + 1)
      problems.add(
          row, subject, fmt::format("{:g} Hz does not follow the third octave before it", *f),
          fmt::format("write the one at {:.4g} Hz", 1000 * std::pow(10, 0.1 * static_cast<double>(*last + 1))));
    last = band;
    const double from = middle * std::pow(10, -0.05), to = middle * std::pow(10, 0.05),
                 density = std::pow(reference, 2) * std::pow(10, *level / 10) / (to - from);
    points.push_back({points.empty() ? from : points.back().frequency, density, {}});
    points.push_back({to, density, {}});
  }
  return problems.count() > before ? std::nullopt : table_of(points, 10, tree, subject, problems);
}

// A PSD: of base acceleration, or {velocity: […]}, {force: […]}, {sound pressure level: […]}.
std::optional<LogLogTable> read_random(const Tree& what, const std::string& subject, Profile& profile,
                                       Problems& problems) {
  constexpr const char* sound = "sound pressure level";
  const bool file = what.is_map() && what.find("file");
  const Tree* levels = &what;
  std::string form = "acceleration";
  if (what.is_map() && !file) {
    std::vector<std::string> keys{sound};
    for (const RandomForm& each : random_forms) keys.emplace_back(each.key);
    for (const LoadForm& each : load_forms) keys.emplace_back(each.key);
    MapReader map(what, subject + " random", problems);
    const auto [key, value] = map.one_of(keys);
    map.done();
    if (!value) return std::nullopt;
    form = key;
    levels = value;
  }
  const std::optional<Tree> from_file = levels->is_map() ? read_csv_table(*levels, subject, problems) : std::nullopt;
  if (levels->is_map() && !from_file) return std::nullopt;
  const Tree& given = from_file ? *from_file : *levels;
  if (form == sound) {
    profile.stated = &kind::pressure_psd;
    profile.drives = &kind::pressure;
    return read_sound_levels(given, subject, problems);
  }
  for (const LoadForm& load_form : load_forms)
    if (form == load_form.key) {
      profile.stated = load_form.psd;
      profile.drives = load_form.kind;
      return read_table(given, *load_form.psd, 10, subject, problems);
    }
  const RandomForm& random_form = *std::find_if(std::begin(random_forms), std::end(random_forms),
                                                [&form](const RandomForm& each) { return form == each.key; });
  profile.angular = is_angular(given, *random_form.angular);
  profile.stated = profile.angular ? random_form.angular : random_form.psd;
  profile.drives = profile.angular ? &kind::angular_acceleration : &kind::acceleration;
  const auto table = read_table(given, *profile.stated, 10, subject, problems);
  return table ? std::optional(table->times_omega(random_form.omega_power)) : std::nullopt;
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

// Whether a table has more in it than the levels of base motion.
bool has_phases(const Tree& table) {
  if (table.is_map()) return table.find("phase column") != nullptr;
  return table.is_list() && std::any_of(table.items.begin(), table.items.end(),
                                        [](const Tree& row) { return row.is_list() && row.items.size() == 3; });
}

// The form of a sine profile that drives a load and no base; nullptr of any other.
const LoadForm* load_form_of(const Tree& levels, bool has_law_between) {
  if (!levels.is_map()) return nullptr;
  for (const LoadForm& form : load_forms)
    if (levels.find(form.key)) return &form;
  const Tree* const field = levels.entries.size() == 1 ? levels.find(acceleration_field.key) : nullptr;
  return field && (has_law_between || has_phases(*field)) ? &acceleration_field : nullptr;
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
  const Tree* const between = map.optional("between points");
  const LoadForm* const load = type == "sine" ? load_form_of(*what, between) : nullptr;
  if (load) {
    MapReader sine(*what, subject + " sine", problems);
    const Tree* const levels = sine.optional(load->key);
    sine.done();
    read_load_profile(*load, *levels, between, subject, profile, problems);
  } else if (between) {
    problems.add(*between, subject, "levels of base motion follow straight lines on log-log paper",
                 "leave it out, or give more points");
  }
  if (load) {
    profile.type = Profile::Type::sine;
    if (const Tree* rate = map.optional("sweep"))
      profile.sweep_rate = read_sweep_rate(*rate, subject + " sweep", problems);
  } else if (type == "sine") {
    profile.type = Profile::Type::sine;
    table = read_branches(*what, subject, profile, problems);
    if (const Tree* rate = map.optional("sweep"))
      profile.sweep_rate = read_sweep_rate(*rate, subject + " sweep", problems);
  } else if (type == "random") {
    profile.type = Profile::Type::random;
    table = read_random(*what, subject, profile, problems);
    profile.duration = map.quantity("duration", kind::time, Sign::positive);
    if (const Tree* whole = map.optional("scaled to"))
      if (const auto rms = read_quantity(*whole, profile.drives ? *profile.drives : kind::acceleration,
                                         subject + " scaled to", problems, Sign::positive);
          rms && table)
        table = table->scaled(*rms * *rms / table->area());
  }
  if (const Tree* tolerance = map.optional("tolerance"))
    read_tolerance(*tolerance, subject + " tolerance", profile, problems);
  map.done();
  if (profile.type == Profile::Type::sine && !profile.drives)
    profile.drives = profile.angular ? &kind::angular_acceleration : &kind::acceleration;
  if (problems.count() > before || (!table && profile.points.empty())) return std::nullopt;
  if (table) profile.table = *table;
  return profile;
}

}  // namespace

std::optional<LevelForm> form_of_levels(const Dimension& dimension) {
  for (const RandomForm& each : random_forms)
    if (dimension == each.psd->dimension || dimension == each.angular->dimension)
      return LevelForm{true, each.omega_power == 0 ? "" : each.key};
  for (const LoadForm& each : load_forms) {
    if (dimension == each.psd->dimension) return LevelForm{true, each.key};
    if (dimension == each.kind->dimension) return LevelForm{false, each.key};
  }
  for (const SineForm& each : sine_forms)
    if (dimension == each.kind->dimension || dimension == each.angular->dimension) return LevelForm{false, each.key};
  if (dimension == kind::level.dimension) return LevelForm{true, "sound pressure level"};
  return std::nullopt;
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

}  // namespace avrenk
