// profile: what the specification says, alone, before any model is solved.
#include <fmt/format.h>

#include <cmath>

#include "cli/commands.h"
#include "cli/drawings.h"
#include "cli/output.h"
#include "core/nearest.h"
#include "core/parallel.h"
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

}  // namespace

ExitStatus profile(const Request& request, Terminal& terminal) {
  std::string file = plan_word(request, "profile", 1), wanted;
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

  RunFolder folder(result_folder(request, file, "profile"));
  Summary summary{avrenk_version, "profile", file, plan.title, "", {}, {}, {}, {}};
  std::vector<std::pair<std::filesystem::path, Chart>> charts;
  for (const Profile& each : plan.profiles) {
    if (!wanted.empty() && each.name != wanted) continue;
    const bool is_random = each.is_random();
    Table table = table_of_profile(each, plan.show);
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
    terminal.table(table);
    std::string headline;
    for (const Fact& fact : profile_facts(each, plan.show)) {
      headline += fmt::format("{}{} {}{}", headline.empty() ? "" : "; ", fact.name,
                              format_number(std::get<double>(fact.value), 4), fact.unit.empty() ? "" : " " + fact.unit);
      summary.facts.push_back({each.name + " " + fact.name, fact.value, fact.unit});
    }
    if (!headline.empty()) terminal.paragraph(headline);
    folder.write("tables/" + table.name + ".csv", to_csv(table));
    summary.tables.push_back(std::move(table));
    charts.emplace_back(folder.path("figures/profile." + each.name), chart_of_profile(each, headline, plan.show).chart);
  }
  folder.write("summary.json", to_json(summary));
  if (request.figures)
    run_jobs(charts.size(), request.threads, [&](std::size_t i) { draw_chart(charts[i].second, charts[i].first); });
  folder.commit();
  terminal.print(fmt::format("\nResults: {}\n", folder.target().string()));
  return ExitStatus::done;
}

}  // namespace avrenk
