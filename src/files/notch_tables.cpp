#include "files/notch_tables.h"

#include <fmt/format.h>

#include <cmath>

namespace avrenk {

Table notch_table(const std::vector<NotchedInput>& inputs, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"notches",
              "Notches: where the input is lowered so that no limit is passed; the profiles in levels/*.csv",
              {{"in", ""},
               {"from", frequency.text, 5},
               {"to", frequency.text, 5},
               {"deepest at", frequency.text, 5},
               {"specified", "", 4},
               {"applied", "", 4},
               {"unit", ""},
               {"depth", "dB", 3, true, 1},
               {"for limit", ""}},
              {}};
  for (const NotchedInput& input : inputs) {
    const DisplayUnit unit = input.unit(show);
    for (const Notch& notch : input.notches) {
      std::string limits;
      for (const Limit* each : notch.limits) limits += (limits.empty() ? "" : ", ") + each->name;
      table.rows.push_back({input.specified->name(), frequency.from_si(notch.from), frequency.from_si(notch.to),
                            frequency.from_si(notch.at), unit.from_si(notch.specified), unit.from_si(notch.applied),
                            unit.text, notch.depth, limits});
    }
  }
  return table;
}

Table notched_peak_table(const CaseResults& specified, const CaseResults& applied, const std::vector<Output>& watched,
                         const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  const bool random = specified.random() != nullptr;
  const auto input = [&](const CaseResults& outcome) {
    return random ? fmt::format(" ({} RMS)", value_text(std::sqrt(outcome.excitation->spectrum.levels().front().area()),
                                                        show.unit(*outcome.excitation->kind), 4))
                  : std::string();
  };
  Table table{applied.name() + ".beside",
              fmt::format("{}: {} under the input specified{} and under the one applied{}", specified.name(),
                          random ? "RMS" : "peaks", input(specified), input(applied)),
              {{"watched", ""},
               {"specified", "", 4},
               {"specified at", frequency.text, 5},
               {"applied", "", 4},
               {"applied at", frequency.text, 5},
               {"unit", ""},
               {"lower by", "dB", 3, true, 1}},
              {}};
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const double full = specified.headline(i), own = applied.headline(i);
    if (!watched[i].is_headline() || watched[i].quantity->per_input() || !(own > 0)) continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    const auto at = [&](const CaseResults& outcome) {
      return random ? std::nan("") : frequency.from_si(outcome.sine()->rows[i].peak.frequency);
    };
    table.rows.push_back({watched[i].name, unit.from_si(full), at(specified), unit.from_si(own), at(applied), unit.text,
                          20 * std::log10(full / own)});
  }
  return random ? without_column(without_column(std::move(table), "specified at"), "applied at") : table;
}

}  // namespace avrenk
