// profile: what the specification says, alone, before any model is solved.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cli/commands.h"
#include "cli/print_run.h"
#include "core/parallel.h"
#include "core/response/random.h"
#include "core/spelling.h"
#include "files/level_tables.h"
#include "results/drawings.h"
#include "results/run_files.h"
#include "version.h"

namespace avrenk {
namespace {

// Headline numbers: RMS of acceleration, velocity and displacement (random), cycles of a sweep (sine).
std::vector<Fact> profile_facts(const Profile& profile, const Show& show) {
  const DisplayUnit acceleration = show.unit(profile.angular ? kind::angular_acceleration : kind::acceleration);
  const DisplayUnit velocity = show.unit(profile.angular ? kind::angular_velocity : kind::velocity),
                    length = show.unit(profile.angular ? kind::angle : kind::length);
  std::vector<Fact> facts;
  if (profile.of_load() && !profile.is_random()) return facts;
  if (profile.is_random()) {
    const DisplayUnit unit = show.unit(*profile.drives);
    const auto add = [&](const std::string& name, double area) {
      facts.push_back({name, unit.from_si(std::sqrt(area)), unit.text});
    };
    add(profile.of_load() ? "RMS" : "acceleration RMS", profile.table.area());
    if (profile.upper > 1) {
      add("at the upper tolerance", profile.upper * profile.table.area());
      add("at the lower", profile.lower * profile.table.area());
    }
    if (profile.of_load()) return facts;
    facts.push_back({"velocity RMS", velocity.from_si(std::sqrt(profile.table.times_omega(-2).area())), velocity.text});
    const double displacement = length.from_si(std::sqrt(profile.table.times_omega(-4).area()));
    facts.push_back({"displacement RMS", displacement, length.text});
    facts.push_back({"displacement 3σ, one way", 3 * displacement, length.text});
  } else if (profile.sweep_rate) {
    facts.push_back(
        {"cycles in one sweep", sweep_cycles(profile.table.from(), profile.table.to(), *profile.sweep_rate), ""});
    facts.push_back(
        {"time of one sweep", std::log2(profile.table.to() / profile.table.from()) / *profile.sweep_rate, "min"});
  }
  return facts;
}

// A profile and how its file wants numbers printed.
struct Chosen {
  Profile profile;
  Show show;
};

// FILE or FILE:NAME, a plan or a bare table.
void add_chosen(const std::string& word, const Request& request, std::vector<Chosen>& chosen,
                std::optional<Vibrator>& vibrator, std::string& title) {
  std::string file = word, wanted;
  if (const std::size_t colon = file.rfind(':'); colon != std::string::npos && !std::filesystem::exists(file)) {
    wanted = file.substr(colon + 1);
    file.resize(colon);
  }
  const Plan plan = read_profiles_only(file, request.overrides);
  std::vector<std::string> names;
  for (const Profile& each : plan.profiles) names.push_back(each.name);
  if (!wanted.empty() && std::find(names.begin(), names.end(), wanted) == names.end())
    throw InputError(
        Problem{"", fmt::format("no profile \"{}\"", wanted), suggest_name(wanted, names), Place{file, 0, 0}});
  if (names.empty())
    throw InputError(Problem{"", "there is no profile in it", "declare one under profiles:", Place{file, 0, 0}});
  if (!vibrator) vibrator = plan.vibrator;
  if (title.empty()) title = plan.title;
  for (const Profile& stated : plan.profiles) {
    if (!wanted.empty() && stated.name != wanted) continue;
    Profile profile = stated;
    // Files of results are named after profiles.
    const auto is_known = [&](const std::string& name) {
      return std::any_of(chosen.begin(), chosen.end(), [&](const Chosen& other) { return other.profile.name == name; });
    };
    if (is_known(profile.name)) profile.name = std::filesystem::path(file).stem().string() + "-" + profile.name;
    for (int k = 2; is_known(profile.name); ++k) profile.name = fmt::format("{}-{}", stated.name, k);
    chosen.push_back({std::move(profile), plan.show});
  }
}

// One line each: what the numbers of several profiles are.
Table comparison_table(const std::vector<Chosen>& all) {
  const Show& show = all.front().show;
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"profiles",
              "The profiles beside one another; random: RMS, sine: the highest, 0 to peak",
              {{"profile", ""},
               {"kind", ""},
               {"from", frequency.text, 5},
               {"to", frequency.text, 5},
               {"level", ""},
               {"velocity", ""},
               {"displacement", ""}},
              {}};
  for (const Chosen& chosen : all) {
    const Profile& profile = chosen.profile;
    const bool tabled = !(profile.of_load() && !profile.is_random());
    const double from = tabled ? profile.table.from() : profile.points.front().frequency,
                 to = tabled ? profile.table.to() : profile.points.back().frequency;
    const auto number = [&](int power, const Kind& of) -> std::string {
      if (profile.of_load() && power != 0) return "";
      double value = 0;
      if (!tabled)
        for (const AmplitudePoint& point : profile.points) value = std::max(value, point.level);
      else if (profile.is_random())
        value = std::sqrt(profile.table.times_omega(2 * power).area());
      else
        value = profile.table.times_omega(power).highest();
      return value_text(value, show.unit(of), 4);
    };
    table.rows.push_back({profile.name, profile.is_random() ? "random" : "sine", frequency.from_si(from),
                          frequency.from_si(to), number(0, *profile.drives),
                          number(-1, profile.angular ? kind::angular_velocity : kind::velocity),
                          number(-2, profile.angular ? kind::angle : kind::length)});
  }
  return table;
}

Table band_table(const std::vector<Chosen>& all, const Request& request) {
  const Show& show = all.front().show;
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"bands",
              "RMS of the random profiles over bands",
              {{"profile", ""},
               {"from", frequency.text, 5},
               {"to", frequency.text, 5},
               {"RMS", ""},
               {"share", "%", 3, true, 1}},
              {}};
  for (const auto& [profile, own] : all) {
    if (!profile.is_random()) continue;
    for (const auto& [from, to] : request.bands) {
      double area = 0;
      for (const PowerLaw& law : profile.table.stretches()) {
        const double low = std::max(from, law.f1), high = std::min(to, law.f2);
        if (low < high) area += PowerLaw{low, high, law.at(low), law.at(high)}.moment(0);
      }
      table.rows.push_back({profile.name, frequency.from_si(from), frequency.from_si(to),
                            value_text(std::sqrt(area), show.unit(*profile.drives), 4),
                            100 * area / profile.table.area()});
    }
  }
  return table;
}

// What each profile of a base asks of the vibrator. @param met  becomes false where one asks too much
Table vibrator_table(const std::vector<Chosen>& all, const Vibrator& vibrator, bool& met) {
  const Show& show = all.front().show;
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"vibrator",
              fmt::format("What a rigid specimen of {} asks of the vibrator, {} moving in all",
                          value_text(vibrator.specimen, show.unit(kind::mass), 4),
                          value_text(vibrator.mass(), show.unit(kind::mass), 4)),
              {{"profile", ""},
               {"asks for", ""},
               {"value", ""},
               {"limit", ""},
               {"margin", "%", 3, true, 1},
               {"at", frequency.text, 5},
               {"over from", frequency.text, 5},
               {"to", frequency.text, 5}},
              {}};
  for (const auto& [profile, own] : all) {
    if (profile.of_load() || profile.angular) continue;
    for (const Demand& demand : demands_of(profile.table, profile.is_random(), vibrator)) {
      using Of = Demand::Of;
      const DisplayUnit unit = show.unit(demand.of == Of::force      ? kind::force
                                         : demand.of == Of::velocity ? kind::velocity
                                                                     : kind::length);
      const auto given = [&](double value) { return value > 0 ? frequency.from_si(value) : std::nan(""); };
      met = met && demand.met();
      table.rows.push_back({profile.name,
                            demand.of == Of::force      ? "force"
                            : demand.of == Of::velocity ? "velocity"
                                                        : "stroke",
                            value_text(demand.value, unit, 4), demand.limit ? value_text(*demand.limit, unit, 4) : "",
                            demand.limit ? 100 * (*demand.limit / demand.value - 1) : std::nan(""), given(demand.at),
                            given(demand.from), given(demand.to)});
    }
  }
  return table;
}

// Those of one kind in one figure.
void add_comparisons(const std::vector<Chosen>& all, const RunFolder& folder,
                     std::vector<std::pair<std::filesystem::path, Chart>>& charts) {
  std::vector<std::vector<const Chosen*>> groups;
  for (const Chosen& chosen : all) {
    if (chosen.profile.of_load() && !chosen.profile.is_random()) continue;
    const auto same = [&](const std::vector<const Chosen*>& group) {
      const Profile& first = group.front()->profile;
      return first.is_random() == chosen.profile.is_random() && first.drives == chosen.profile.drives;
    };
    const auto group = std::find_if(groups.begin(), groups.end(), same);
    (group == groups.end() ? groups.emplace_back() : *group).push_back(&chosen);
  }
  int number = 0;
  for (const auto& group : groups) {
    if (group.size() < 2) continue;
    std::vector<ProfileSource> sources;
    for (const Chosen* each : group) {
      const Profile& own = each->profile;
      sources.push_back({own.name, "", own.table, own.is_random(), own.drives, 1, 1, ""});
    }
    charts.emplace_back(folder.path(fmt::format("figures/profiles.{}", ++number)),
                        profiles_chart(sources, all.front().show).chart);
  }
}

// Few straight lines above a profile, as a file that a plan reads.
void add_envelope(const Chosen& chosen, const Request& request, const RunFolder& folder, Summary& summary,
                  Terminal& terminal, std::vector<std::pair<std::filesystem::path, Chart>>& charts) {
  const Profile& profile = chosen.profile;
  if (profile.of_load() && !profile.is_random()) {
    terminal.note(fmt::format("profile {}: an envelope is made of base motion and of PSDs only", profile.name));
    return;
  }
  const bool random = profile.is_random();
  const double decibels = random ? 10 : 20;
  std::vector<double> grid = profile.table.curve_points();
  if (random && request.octaves > 0) {  // an average changes between corners too
    constexpr double per_octave = 48;
    const double octaves = std::log2(profile.table.to() / profile.table.from());
    for (int k = 1; k < per_octave * octaves; ++k) grid.push_back(profile.table.from() * std::exp2(k / per_octave));
    grid = once_inside(std::move(grid), profile.table.from(), profile.table.to());
  }
  const std::vector<double> values = profile.table.levels(grid);
  const Envelope envelope = straight_envelope(
      grid, values,
      {random ? request.octaves : 0, std::pow(10, request.margin / decibels), *request.envelope, decibels});
  Table points = level_points("level." + profile.name, envelope.table, random, *profile.drives, chosen.show);
  folder.write(fmt::format("levels/{}.csv", profile.name), to_csv(points));
  points.title =
      fmt::format("Envelope of {}: {} points, margin {:g} dB", profile.name, points.rows.size(), request.margin);
  terminal.table(points);
  const DisplayUnit unit = chosen.show.unit(*profile.drives);
  std::string words = fmt::format("levels/{}.csv in the results", profile.name);
  if (random)
    words += fmt::format("; {} RMS, where the profile has {}", value_text(std::sqrt(envelope.table.area()), unit, 4),
                         value_text(std::sqrt(profile.table.area()), unit, 4));
  if (envelope.clipped > 0)
    words += fmt::format("; peaks, margin included, pass it by {:.1f} dB at most, at {}", envelope.clipped,
                         value_text(envelope.clipped_at, chosen.show.unit(kind::frequency), 4));
  terminal.paragraph(words + ".");
  charts.emplace_back(folder.path("figures/level." + profile.name),
                      envelope_chart({"level." + profile.name, fmt::format("Envelope of {}", profile.name), words, grid,
                                      values, envelope, random && request.octaves > 0, random, *profile.drives},
                                     chosen.show)
                          .chart);
  summary.tables.push_back(std::move(points));
}

}  // namespace

ExitStatus profile(const Request& request, Terminal& terminal) {
  const std::string first = plan_word(request, "profile", 1000);
  std::vector<Chosen> chosens;
  std::optional<Vibrator> vibrator;
  std::string title;
  for (const std::string& word : request.words) add_chosen(word, request, chosens, vibrator, title);

  const std::string file = std::filesystem::exists(first) ? first : first.substr(0, first.rfind(':'));
  RunFolder folder(result_folder(request, file, "profile"));
  Summary summary{avrenk_version, "profile", file, title, "", {}, {}, {}, {}};
  std::vector<std::pair<std::filesystem::path, Chart>> charts;
  const auto show_table = [&](Table table) {
    if (table.rows.empty()) return;
    terminal.table(table);
    summary.tables.push_back(std::move(table));
  };
  for (const Chosen& chosen : chosens) {
    const auto& [each, show] = chosen;
    const bool is_random = each.is_random();
    Table table = table_of_profile(each, show);
    table.name = "profile." + each.name;
    const char* const between = each.between == BetweenPoints::power_law  ? "log-log"
                                : each.between == BetweenPoints::straight ? "linear"
                                                                          : "in steps";
    table.title = fmt::format("Profile {}: {}, level 0 dB{}, {}", each.name,
                              each.of_load() && is_random ? fmt::format("random, PSD of {}", each.drives->name)
                              : each.of_load()            ? "sine of a load, 0 to peak"
                              : is_random                 ? "random, acceleration PSD of the base"
                                                          : "sine, 0 to peak; v velocity, d displacement",
                              each.tolerance.empty() ? "" : ", tolerance " + each.tolerance, between);
    constexpr std::size_t most_rows = 40;  // of a measured one
    terminal.table(table, most_rows);
    std::string headline;
    for (const Fact& fact : profile_facts(each, show)) {
      headline += fmt::format("{}{} {}{}", headline.empty() ? "" : "; ", fact.name,
                              format_number(std::get<double>(fact.value), 4), fact.unit.empty() ? "" : " " + fact.unit);
      summary.facts.push_back({each.name + " " + fact.name, fact.value, fact.unit});
    }
    if (!headline.empty()) terminal.paragraph(headline);
    summary.tables.push_back(std::move(table));
    charts.emplace_back(folder.path("figures/profile." + each.name), chart_of_profile(each, headline, show).chart);
    if (request.envelope) add_envelope(chosen, request, folder, summary, terminal, charts);
  }
  if (chosens.size() > 1) show_table(comparison_table(chosens));
  if (!request.bands.empty()) show_table(band_table(chosens, request));
  bool met = true;
  if (vibrator) {
    show_table(vibrator_table(chosens, *vibrator, met));
    terminal.paragraph(
        "Sine: 0 to peak. Random: RMS of the force, 3σ of the velocity. Stroke: both ways, of random 6σ.");
  }
  if (!met) terminal.warn("a profile asks more of the vibrator than it can give: see the table");
  add_comparisons(chosens, folder, charts);
  write_summary(summary, folder);
  if (request.figures)
    run_jobs(charts.size(), request.threads, [&](std::size_t i) { draw_chart(charts[i].second, charts[i].first); });
  terminal.print("\n");
  commit_results(folder, terminal);
  return met ? ExitStatus::done : ExitStatus::limit_exceeded;
}

}  // namespace avrenk
