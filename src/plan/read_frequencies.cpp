// environments: the band that is excited, and the points of its grid.
#include <algorithm>
#include <cmath>

#include "plan/environment_parts.h"

namespace avrenk {
namespace {

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
  if (environment.is_random()) {  // what has no level somewhere does nothing there
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

}  // namespace

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
    for (const Tree* item : one_or_more(*beside))
      if (const auto part = read_quantity(*item, kind::ratio, map.subject() + " beside modes", problems)) {
        if (!(std::abs(*part) < 0.5))
          problems.add(*item, map.subject(), fmt::format("{} is not beside a natural frequency", item->text),
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
  if (const Tree* at = map.optional("at")) {
    const std::vector<const Tree*> asked = one_or_more(*at);
    constexpr std::size_t most_fields = 500;
    if (asked.size() > most_fields)
      problems.add(*at, map.subject(),
                   fmt::format("the whole model at {} frequencies takes much memory, at most {} are kept", asked.size(),
                               most_fields),
                   "ask for fewer; curves over frequency have all that are needed");
    else
      for (const Tree* each : asked) read_asked(*each, map.subject() + " at", environment, problems);
  }
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
  if (environment.is_random() && (grid.from > from || grid.to < to))
    problems.add(tree, map.subject(), "a random environment uses its whole profile",
                 "leave `from` and `to` out, or cut the profile");
}

}  // namespace avrenk
