#include "analysis/contact_summaries.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/words.h"
#include "files/rest_tables.h"

namespace avrenk {
namespace {

const Spring& spring_of(const Assembly& assembly, const ContactAtRest& contact) {
  return assembly.springs[static_cast<std::size_t>(contact.spring)];
}

// Joints that open, in the order of their springs.
std::vector<std::string> joints_of(const Assembly& assembly, const std::vector<ContactAtRest>& contacts) {
  std::vector<std::string> names;
  for (const ContactAtRest& contact : contacts)
    if (const std::string& joint = spring_of(assembly, contact).joint;
        std::find(names.begin(), names.end(), joint) == names.end())
      names.push_back(joint);
  return names;
}

}  // namespace

std::vector<std::string> settled_in_words(const SettledCase& settled, const Assembly& assembly, const Show& show) {
  std::vector<std::string> notes;
  const StaticContactState& state = settled.state;
  const DisplayUnit force = show.unit(kind::force), length = show.unit(kind::length);
  if (!state.bolts.empty()) {
    const auto [least, most] =
        std::minmax_element(state.bolts.begin(), state.bolts.end(),
                            [](const BoltAtRest& a, const BoltAtRest& b) { return a.finally < b.finally; });
    notes.push_back(fmt::format("environment {}: {} tightened; finally they carry {} to {}", settled.environment,
                                counted(state.bolts.size(), "bolt"), value_text(least->finally, force, 4),
                                value_text(most->finally, force, 4)));
  }
  for (const std::string& joint : joints_of(assembly, state.contacts)) {
    std::size_t count = 0, closed = 0;
    double sum = 0, least = HUGE_VAL, deepest = 0;
    for (const ContactAtRest& contact : state.contacts) {
      if (spring_of(assembly, contact).joint != joint) continue;
      ++count;
      if (!contact.closed) continue;
      ++closed;
      sum += contact.pressing;
      least = std::min(least, contact.pressing);
      deepest = std::max(deepest, -contact.gap);
    }
    notes.push_back(fmt::format(
        "environment {}: joint {}: {} of {} closed{}", settled.environment, joint, closed, counted(count, "contact"),
        closed > 0 ? fmt::format(", pressing with {} together, the least with {}, and giving {} at most",
                                 value_text(sum, force, 4), value_text(least, force, 3), value_text(deepest, length, 2))
                   : std::string()));
  }
  if (!state.contacts.empty() && settled.frees_contacts)
    notes.push_back(
        fmt::format("environment {}: contact settled after {}: no closed contact pulls by more than {}, no open one "
                    "overlaps by more than {}",
                    settled.environment, counted(state.steps(), "step"), value_text(state.largest_pull, force, 2),
                    value_text(state.deepest_overlap, length, 2)));
  return notes;
}

ContactDoubts doubts_of_contacts(const ContactUnderLoad& load, const std::vector<ContactAtRest>& contacts,
                                 const Assembly& assembly, const Show& show) {
  ContactDoubts doubts;
  const Environment& environment = *load.excitation->environment;
  const DisplayUnit force = show.unit(kind::force), length = show.unit(kind::length);
  const std::string amplitude = environment.is_static()        ? "what it adds"
                                : load.excitation->is_random() ? fmt::format("{:g} sigma", deviations_of_contact)
                                                               : "its peak";
  for (const std::string& joint : joints_of(assembly, contacts)) {
    struct Worst {
      double use = 1;
      std::size_t index = 0, count = 0, all = 0;
      double pressing = 0, of = 0;  // N, of those and of all
    } opens, closes, slides;
    for (std::size_t k = 0; k < contacts.size(); ++k) {
      if (spring_of(assembly, contacts[k]).joint != joint) continue;
      const auto take = [&](Worst& worst, double use) {
        ++worst.all;
        worst.of += contacts[k].pressing;
        if (use <= 1) return;
        ++worst.count;
        worst.pressing += contacts[k].pressing;
        if (use <= worst.use) return;
        worst.use = use;
        worst.index = k;
      };
      take(contacts[k].closed ? opens : closes, use_of_contact(contacts[k], load.loads[k]));
      if (contacts[k].closed) take(slides, use_of_friction(contacts[k], load.loads[k], assembly));
    }
    const std::string begin = fmt::format("environment {}: joint {}", load.excitation->name(), joint);
    // Where, at what frequency and from what level on.
    const auto at = [&](const Worst& worst) {
      const double frequency = load.loads[worst.index].frequency;
      return assembly.describe_position(spring_of(assembly, contacts[worst.index]).point) +
             (frequency > 0 ? fmt::format(" at {:.5g} Hz", frequency) : std::string()) +
             (std::isfinite(worst.use) && !environment.is_static()
                  ? fmt::format(", from {:.3g} % of its level on", 100 / worst.use)
                  : std::string());
    };
    const auto some = [](const Worst& worst) {
      return worst.all == 1 ? std::string() : fmt::format(" {} of {} contacts", worst.count, worst.all);
    };
    const auto say = [&](bool matters, std::string text) {
      if (matters)
        doubts.warnings.push_back(std::move(text) + ": the linear answer does not hold there");
      else
        doubts.notes.push_back(std::move(text));
    };
    constexpr double much = 0.01, many = 0.1;  // of the pressing force; of what is open
    if (opens.count > 0)
      say(!(opens.pressing < much * opens.of),
          fmt::format("{} opens{}, first at {}: {} lifts {} where {} presses; what opens presses with {:.3g} % of all",
                      begin, some(opens), at(opens), amplitude, value_text(load.loads[opens.index].lifting, force, 3),
                      value_text(contacts[opens.index].pressing, force, 3),
                      opens.of > 0 ? 100 * opens.pressing / opens.of : 100));
    if (closes.count > 0)
      say(static_cast<double>(closes.count) > many * static_cast<double>(closes.all),
          fmt::format("{} closes{}, first at {}: {} moves {} where a gap of {} is left", begin, some(closes),
                      at(closes), amplitude, value_text(load.loads[closes.index].closing, length, 3),
                      value_text(contacts[closes.index].gap, length, 3)));
    if (slides.count > 0)
      say(!(slides.pressing < much * slides.of),
          fmt::format("{} slides{}, first at {}: friction is asked for {:.3g} times what it bears; what slides presses "
                      "with {:.3g} % of all",
                      begin, some(slides),
                      assembly.describe_position(spring_of(assembly, contacts[slides.index]).point), slides.use,
                      slides.of > 0 ? 100 * slides.pressing / slides.of : 100));
  }
  return doubts;
}

std::vector<Table> rest_tables_of(const Analysis& analysis) {
  const Assembly& assembly = analysis.assembly();
  const Show& show = analysis.plan().show;
  std::vector<Table> tables;
  for (const SettledCase& settled : analysis.at_rest().settled) {
    if (!settled.state.bolts.empty())
      tables.push_back(bolt_table(settled.environment, settled.state.bolts, assembly, show));
    if (settled.frees_contacts && !settled.state.contacts.empty())
      tables.push_back(
          contact_table(settled.environment, settled.state.contacts, analysis.responses->contacts, assembly, show));
  }
  return tables;
}

}  // namespace avrenk
