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
    const DisplayUnit unit = show.unit(*input.specified->kind);
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

Table notched_peak_table(const Outcome& specified, const Outcome& applied, const std::vector<Watched>& watched,
                         const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{applied.name() + ".beside",
              fmt::format("{}: peaks under the input specified and under the one applied", specified.name()),
              {{"watched", ""},
               {"specified", "", 4},
               {"specified at", frequency.text, 5},
               {"applied", "", 4},
               {"applied at", frequency.text, 5},
               {"unit", ""},
               {"lower by", "dB", 3, true, 1}},
              {}};
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const SinePeak &full = specified.sine()->rows[i].peak, &own = applied.sine()->rows[i].peak;
    if (!watched[i].is_headline() || watched[i].quantity->per_input() || !(own.value > 0)) continue;
    const DisplayUnit unit = show.unit(*watched[i].quantity->kind);
    table.rows.push_back({watched[i].name, unit.from_si(full.value), frequency.from_si(full.frequency),
                          unit.from_si(own.value), frequency.from_si(own.frequency), unit.text,
                          20 * std::log10(full.value / own.value)});
  }
  return table;
}

}  // namespace avrenk
