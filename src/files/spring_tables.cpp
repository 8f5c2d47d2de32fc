#include "files/spring_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace avrenk {

Table spring_mode_table(const ModalBasis& basis, const ModalDamping& damping, const std::vector<NamedModes>& all,
                        const Show& show) {
  constexpr double same_frequency = 1e-3, same_damping = 1e-2;
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"modes-with-springs",
              "Modes with each spring as it is at their frequency (those that it changes)",
              {{"mode", ""}, {"at rest", frequency.text, 5}, {"ζ at rest", "%", 3, true, 3}},
              {}};
  std::vector<NamedModes> shown;
  for (const NamedModes& each : all)
    if (!each.modes->empty()) shown.push_back(each);
  for (const NamedModes& each : shown) {
    table.columns.push_back({each.name, frequency.text, 5});
    table.columns.push_back({"ζ " + each.name, "%", 3, true, 3});
  }
  for (int r = 0; r < basis.modes; ++r) {
    const double f = basis.frequency(r), zeta = damping.effective_ratio(r);
    std::vector<Cell> row{fmt::format("{}", r + 1), frequency.from_si(f), 100 * zeta};
    bool differs = false;
    for (const NamedModes& each : shown) {
      const SpringMode& own = (*each.modes)[static_cast<std::size_t>(r)];
      differs = differs || std::abs(own.frequency / f - 1) > same_frequency ||
                std::abs(own.ratio - zeta) > same_damping * zeta;
      row.emplace_back(frequency.from_si(own.frequency));
      row.emplace_back(100 * own.ratio);
    }
    if (differs) table.rows.push_back(std::move(row));
  }
  return table;
}

std::vector<Table> equivalent_tables(const Excitation& excitation, const EquivalentSprings& springs,
                                     const Assembly& assembly, const Show& show) {
  const bool random = excitation.is_random();
  const DisplayUnit frequency = show.unit(kind::frequency);
  std::vector<Table> tables;
  for (const bool turns : {false, true}) {
    const DisplayUnit travel = show.unit(turns ? kind::angle : kind::length),
                      stiffness = show.unit(turns ? kind::rotational_stiffness : kind::stiffness);
    Table table{excitation.name() + (turns ? ".turning-springs" : ".springs"),
                random ? fmt::format("{}: springs as the RMS of their travel makes them", excitation.name())
                       : fmt::format("{}: springs where their travel is largest", excitation.name()),
                {{"spring", ""},
                 {"axis", ""},
                 {random ? "RMS travel" : "travel", travel.text, 4},
                 {"at", frequency.text, 5, !random},
                 {"stiffness", stiffness.text, 4},
                 {"loss factor", "%", 4}},
                {}};
    for (const EquivalentSpring& each : springs.found) {
      if ((each.axis > 2) != turns) continue;
      const std::string& joint = assembly.springs[static_cast<std::size_t>(each.spring)].joint;
      const auto same = [&](const Spring& spring) { return spring.joint == joint; };
      const auto first = std::find_if(assembly.springs.begin(), assembly.springs.end(), same);
      const bool alone = std::count_if(assembly.springs.begin(), assembly.springs.end(), same) == 1;
      table.rows.push_back(
          {alone ? joint : fmt::format("{} {}", joint, assembly.springs.begin() + each.spring - first + 1),
           std::string(axis_names[static_cast<std::size_t>(each.axis)]), travel.from_si(each.amplitude),
           random ? std::nan("") : frequency.from_si(each.frequency), stiffness.from_si(each.stiffness),
           100 * each.loss});
    }
    if (!table.rows.empty()) tables.push_back(std::move(table));
  }
  return tables;
}

Table variant_table(const std::vector<LimitResult>& limits, const std::vector<NamedMargins>& variants) {
  Table table{"variants", "Margins with springs that are others", {{"limit", ""}, {"as stated", "%", 3, true, 1}}, {}};
  for (const NamedMargins& each : variants) table.columns.push_back({each.name, "%", 3, true, 1});
  table.columns.push_back({"lowest with", ""});
  std::vector<std::pair<double, std::vector<Cell>>> rows;
  for (std::size_t i = 0; i < limits.size(); ++i) {
    double lowest = limits[i].deciding();
    std::string with = "as stated";
    std::vector<Cell> row{limits[i].limit->name, 100 * lowest};
    for (const NamedMargins& each : variants) {
      const double own = each.margins[i];
      row.emplace_back(100 * own);
      if (!(own < lowest)) continue;
      lowest = own;
      with = each.name;
    }
    row.emplace_back(with);
    rows.emplace_back(lowest, std::move(row));
  }
  std::stable_sort(rows.begin(), rows.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  for (auto& [lowest, row] : rows) table.rows.push_back(std::move(row));
  return table;
}

}  // namespace avrenk
