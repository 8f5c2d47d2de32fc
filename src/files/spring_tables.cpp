#include "files/spring_tables.h"
#include "core/modes/modal_basis.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace avrenk {

namespace {

// Which of the modes with springs is mostly which mode at rest: one each, the likest first.
std::vector<const SpringMode*> paired(const ModalBasis& basis, const std::vector<SpringMode>& modes) {
  struct Pair {
    double part;
    int mode;
    std::size_t own;
  };
  std::vector<Pair> pairs;
  for (std::size_t own = 0; own < modes.size(); ++own)
    for (int r = 0; r < basis.modes; ++r) pairs.push_back({std::abs(modes[own].shape[r]), r, own});
  std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.part > b.part; });
  std::vector<const SpringMode*> of_mode(static_cast<std::size_t>(basis.modes), nullptr);
  std::vector<bool> taken(modes.size(), false);
  for (const Pair& pair : pairs) {
    const SpringMode*& mode = of_mode[static_cast<std::size_t>(pair.mode)];
    if (mode || taken[pair.own]) continue;
    mode = &modes[pair.own];
    taken[pair.own] = true;
  }
  return of_mode;
}

}  // namespace

Table spring_mode_table(const ModalBasis& basis, const ModalDamping& damping, const std::vector<NamedModes>& all,
                        bool by_amplitude, const Show& show) {
  constexpr double same_frequency = 1e-3, same_damping = 1e-2;
  const DisplayUnit frequency = show.unit(kind::frequency);
  Table table{"modes-with-springs",
              fmt::format("Modes with each spring as it is at their frequency{} (those that it changes)",
                          by_amplitude ? ", at the smallest amplitude" : ""),
              {{"mode", ""}, {"at rest", frequency.text, 5}, {"ζ at rest", "%", 3, true, 3}},
              {}};
  std::vector<std::vector<const SpringMode*>> shown;
  for (const NamedModes& named_modes : all) {
    if (named_modes.modes->empty()) continue;
    shown.push_back(paired(basis, *named_modes.modes));
    table.columns.push_back({named_modes.name, frequency.text, 5});
    table.columns.push_back({"ζ " + named_modes.name, "%", 3, true, 3});
  }
  for (int r = 0; r < basis.modes; ++r) {
    const double f = basis.frequency(r), zeta = damping.effective_ratio(r);
    std::vector<Cell> row{fmt::format("{}", r + 1), frequency.from_si(f), 100 * zeta};
    bool differs = false;
    for (const auto& modes : shown) {
      const SpringMode& spring_mode = *modes[static_cast<std::size_t>(r)];
      differs = differs || std::abs(spring_mode.frequency / f - 1) > same_frequency ||
                std::abs(spring_mode.ratio - zeta) > same_damping * zeta;
      row.emplace_back(frequency.from_si(spring_mode.frequency));
      row.emplace_back(100 * spring_mode.ratio);
    }
    if (differs) table.rows.push_back(std::move(row));
  }
  return table;
}

namespace {

// The springs of one case that move along an axis, or about one: a row each.
std::vector<std::pair<const EquivalentSpring*, std::vector<Cell>>> rows_of(const Excitation& excitation,
                                                                           const EquivalentSprings& springs, bool turns,
                                                                           const Show& show) {
  const DisplayUnit frequency = show.unit(kind::frequency), travel = show.unit(turns ? kind::angle : kind::length),
                    stiffness = show.unit(turns ? kind::rotational_stiffness : kind::stiffness);
  std::vector<std::pair<const EquivalentSpring*, std::vector<Cell>>> rows;
  for (const EquivalentSpring& equivalent_spring : springs.found)
    if ((equivalent_spring.axis > 2) == turns)
      rows.emplace_back(
          &equivalent_spring,
          std::vector<Cell>{std::string(axis_names[static_cast<std::size_t>(equivalent_spring.axis)]),
                            travel.from_si(equivalent_spring.amplitude),
                            excitation.is_random() ? std::nan("") : frequency.from_si(equivalent_spring.frequency),
                            stiffness.from_si(equivalent_spring.stiffness), 100 * equivalent_spring.loss});
  return rows;
}

Table empty_table(const std::string& name, const std::string& title, std::vector<Column> first, bool turns,
                  const Show& show) {
  Table table{name, title, std::move(first), {}};
  for (const Column& column :
       {Column{"axis", ""}, Column{"travel", show.unit(turns ? kind::angle : kind::length).text, 4},
        Column{"at", show.unit(kind::frequency).text, 5},
        Column{"stiffness", show.unit(turns ? kind::rotational_stiffness : kind::stiffness).text, 4},
        Column{"loss factor", "%", 4}})
    table.columns.push_back(column);
  return table;
}

}  // namespace

std::vector<Table> equivalent_tables(const Excitation& excitation, const EquivalentSprings& springs,
                                     const Assembly& assembly, const Show& show) {
  std::vector<Table> tables;
  for (const bool turns : {false, true}) {
    Table table = empty_table(excitation.name() + (turns ? ".turning-springs" : ".springs"),
                              fmt::format("{}: springs as {}", excitation.name(),
                                          excitation.is_random() ? "the RMS of their travel makes them"
                                                                 : "they are where their travel is largest"),
                              {{"spring", ""}}, turns, show);
    for (auto& [spring, row] : rows_of(excitation, springs, turns, show)) {
      const std::string& joint = assembly.springs[static_cast<std::size_t>(spring->spring)].joint;
      const auto same = [&](const Spring& each) { return each.joint == joint; };
      const auto first = std::find_if(assembly.springs.begin(), assembly.springs.end(), same);
      const bool alone = std::count_if(assembly.springs.begin(), assembly.springs.end(), same) == 1;
      row.insert(row.begin(),
                 alone ? joint : fmt::format("{} {}", joint, assembly.springs.begin() + spring->spring - first + 1));
      table.rows.push_back(std::move(row));
    }
    if (!table.rows.empty()) tables.push_back(std::move(table));
  }
  return tables;
}

std::vector<Table> farthest_tables(const std::vector<std::pair<const Excitation*, const EquivalentSprings*>>& cases,
                                   const Assembly& assembly, const Show& show) {
  std::vector<Table> tables;
  for (const bool turns : {false, true}) {
    Table table =
        empty_table(turns ? "farthest-turning-springs" : "farthest-springs",
                    "Springs as their travel makes them: the farthest of each joint and axis (0 to peak; random: "
                    "RMS)",
                    {{"in", ""}, {"joint", ""}}, turns, show);
    for (const auto& [excitation, springs] : cases) {
      constexpr double rounding = 1e-9;  // of the largest travel
      double most = 0;
      for (const EquivalentSpring& each : springs->found)
        if ((each.axis > 2) == turns) most = std::max(most, each.amplitude);
      std::map<std::pair<std::string, int>, std::vector<Cell>> farthest;  // by joint and axis
      for (auto& [spring, row] : rows_of(*excitation, *springs, turns, show)) {
        if (!(spring->amplitude > rounding * most)) continue;
        const std::string& joint = assembly.springs[static_cast<std::size_t>(spring->spring)].joint;
        const auto [at, fresh] = farthest.try_emplace({joint, spring->axis}, row);
        constexpr std::size_t travel = 1;
        if (!fresh && std::get<double>(row[travel]) > std::get<double>(at->second[travel])) at->second = row;
      }
      for (auto& [of, row] : farthest) {
        row.insert(row.begin(), {excitation->name(), of.first});
        table.rows.push_back(std::move(row));
      }
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
    for (const NamedMargins& named_margins : variants) {
      const double margin = named_margins.margins[i];
      row.emplace_back(100 * margin);
      if (!(margin < lowest)) continue;
      lowest = margin;
      with = named_margins.name;
    }
    row.emplace_back(with);
    rows.emplace_back(lowest, std::move(row));
  }
  std::stable_sort(rows.begin(), rows.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  for (auto& [lowest, row] : rows) table.rows.push_back(std::move(row));
  return table;
}

}  // namespace avrenk
