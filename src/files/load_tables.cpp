#include "files/load_tables.h"

#include <fmt/format.h>

#include <cmath>

#include "core/load/applied.h"

namespace avrenk {

Table load_table(const Assembly& assembly, const Show& show) {
  const Vector3 about = assembly.reference();
  const DisplayUnit force = show.unit(kind::force), moment = show.unit(kind::moment);
  Table table{"loads",
              fmt::format("Loads: resultants per unit, moments about {}", assembly.describe_position(about)),
              {{"load", ""}, {"what", ""}, {"per", ""}},
              {}};
  for (const char* axis : {"Fx", "Fy", "Fz"}) table.columns.push_back({axis, force.text});
  for (const char* axis : {"Mx", "My", "Mz"}) table.columns.push_back({axis, moment.text});
  table.columns.push_back({"amount", "", 4, false});
  for (const Load& load : assembly.loads)
    for (std::size_t k = 0; load.is_declared() && k < load.columns.size(); ++k) {
      const Resultant sum = resultant_of(assembly, load.columns[k], about);
      const DisplayUnit unit = show.unit(load.unbalance ? kind::force : *load.kind);
      const double one = unit.factor;  // of the unit that is shown
      const double small = 1e-12 * (sum.force.norm() + sum.moment.norm());
      std::vector<Cell> row{k == 0 ? load.name : load.name + " +90°", load.words, "1 " + unit.text};
      for (const double each : sum.force) row.emplace_back(std::abs(each) < small ? 0.0 : force.from_si(one * each));
      for (const double each : sum.moment) row.emplace_back(std::abs(each) < small ? 0.0 : moment.from_si(one * each));
      row.emplace_back(load.unbalance ? value_text(*load.unbalance, show.unit(kind::unbalance), 4) : std::string());
      table.rows.push_back(std::move(row));
    }
  return table;
}

Table load_profile_table(const std::vector<AmplitudePoint>& points, const Kind& kind, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), unit = show.unit(kind);
  Table table{"profile",
              "",
              {{"frequency", frequency.text, 5}, {"speed", "rpm", 5}, {"amplitude", unit.text}, {"phase", "°", 3}},
              {}};
  for (const AmplitudePoint& point : points)
    table.rows.push_back(
        {frequency.from_si(point.frequency), 60 * point.frequency, unit.from_si(point.level), point.phase * 180 / pi});
  return table;
}

Table driven_table(const Excitation& excitation, const std::vector<DrivenMode>& driven, const Assembly& assembly,
                   const ModalBasis& basis, const std::vector<ModeContent>& contents, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), length = show.unit(kind::length);
  Table table{excitation.name() + ".driven",
              fmt::format("{}: modes that it drives; largest motion of each at its own frequency if it moved alone",
                          excitation.name()),
              {{"mode", ""},
               {"frequency", frequency.text, 5},
               {"speed", "rpm", 5},
               {"modal force", "N/√kg", 3},
               {"motion", length.text, 3},
               {"where", "", 4, false},
               {"what moves", ""}},
              {}};
  for (const DrivenMode& driven_mode : driven)
    table.rows.push_back(
        {fmt::format("{}", driven_mode.mode + 1), frequency.from_si(basis.frequency(driven_mode.mode)),
         excitation.order > 0 ? 60 * basis.frequency(driven_mode.mode) / excitation.order : std::nan(""),
         driven_mode.force, length.from_si(driven_mode.motion), assembly.describe_node(driven_mode.node),
         contents[static_cast<std::size_t>(driven_mode.mode)].what});
  return excitation.order > 0 ? table : without_column(std::move(table), "speed");
}

Table power_table(const Excitation& excitation, const std::vector<PowerBalance>& power, const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{excitation.name() + ".power",
              fmt::format("{}: mean power of the inputs and of the damping", excitation.name()),
              {{"at", frequency.text, 5},
               {"speed", "rpm", 5},
               {"put in", "W", 4},
               {"dissipated", "W", 4},
               {"difference", "%", 2},
               {"most in mode", "", 1},
               {"share", "%", 3}},
              {}};
  constexpr double rounding = 1e-9;
  for (const PowerBalance& power_balance : power) {
    const double part = power_balance.put_in / power_balance.dissipated - 1,
                 difference = std::abs(part) < rounding ? 0 : 100 * part;
    table.rows.push_back({frequency.from_si(power_balance.frequency),
                          excitation.order > 0 ? 60 * power_balance.frequency / excitation.order : std::nan(""),
                          power_balance.put_in, power_balance.dissipated, difference,
                          fmt::format("{}", power_balance.mode + 1), 100 * power_balance.share});
  }
  return excitation.order > 0 ? table : without_column(std::move(table), "speed");
}

}  // namespace avrenk
