#include "files/level_tables.h"

#include <fmt/format.h>

#include <cmath>

namespace avrenk {

Table equipment_table(const std::vector<EquipmentLevel>& levels, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"equipment",
              "Equipment levels: straight lines above responses, as profiles in levels/*.csv",
              {{"level", ""},
               {"of", ""},
               {"in", "", 4, false},
               {"margin", "dB", 3},
               {"points", "", 3, true, 0},
               {"RMS or highest", "", 4},
               {"peaks pass it by", "dB", 2, true, 1},
               {"at", frequency.text, 5}},
              {}};
  for (const EquipmentLevel& level : levels) {
    const DisplayUnit unit = show.unit(*level.kind);
    std::string in;
    for (const std::string& each : level.cases) in += (in.empty() ? "" : ", ") + each;
    const bool clipped = level.envelope.clipped > 0;
    table.rows.push_back({level.request->name, level.request->of, in, level.request->margin,
                          static_cast<double>(level.envelope.table.stretches().size() + 1),
                          level.random ? value_text(std::sqrt(level.envelope.table.area()), unit, 4) + " RMS"
                                       : value_text(level.envelope.table.highest(), unit, 4),
                          clipped ? level.envelope.clipped : std::nan(""),
                          clipped ? frequency.from_si(level.envelope.clipped_at) : std::nan("")});
  }
  return table;
}

Table level_points(const std::string& name, const LogLogTable& lines, bool random, const Kind& kind, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), plain = show.unit(kind),
                    unit = random ? psd_unit(plain) : plain;
  Table table{name, "", {{"frequency", frequency.text, 5}, {"level", unit.text}}, {}};
  constexpr double one_level = 1e-9;  // rounding where branches cross
  const PowerLaw* before = nullptr;
  for (const PowerLaw& line : lines.stretches()) {
    if (!before || std::abs(before->v2 / line.v1 - 1) > one_level)  // where it begins, and the other side of a step
      table.rows.push_back({frequency.from_si(line.f1), unit.from_si(line.v1)});
    table.rows.push_back({frequency.from_si(line.f2), unit.from_si(line.v2)});
    before = &line;
  }
  return table;
}

}  // namespace avrenk
