#include "files/motion_results.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace avrenk {
namespace {

struct Units {
  DisplayUnit length, acceleration, psd, frequency;
  explicit Units(const Show& show)
      : length(show.unit(kind::length)),
        acceleration(show.unit(kind::acceleration)),
        psd(psd_unit(acceleration)),
        frequency(show.unit(kind::frequency)) {}
};

}  // namespace

Table motion_table(const Assembly& assembly, const MotionField& field, const Show& show) {
  const Units units(show);
  const NodeOrigins origins = origins_of(assembly);
  Table table{field.excitation->name() + ".motion",
              fmt::format("{}: largest motion of all nodes; acceleration absolute, displacement relative to the base",
                          field.excitation->name()),
              {{"of", ""},
               {"acceleration, RMS", units.acceleration.text},
               {"node", "", 7, true, 0},
               {"displacement, RMS", units.length.text},
               {"node ", "", 7, true, 0},
               {"largest PSD", units.psd.text},
               {"at", units.frequency.text, 5},
               {"node  ", "", 7, true, 0}},
              {}};
  const auto largest = [&](int origin, auto&& value) {
    int worst = -1;
    for (int node = 0; node < static_cast<int>(origins.of_node.size()); ++node)
      if (origins.of_node[static_cast<std::size_t>(node)] == origin && !std::isnan(field.psd[node]) &&
          (worst < 0 || value(node) > value(worst) * (1 + 1e-9)))
        worst = node;
    return worst;
  };
  for (int origin = 0; origin < static_cast<int>(origins.names.size()); ++origin) {
    const auto acceleration = [&](int node) { return field.rms_acceleration(node); };
    const auto displacement = [&](int node) { return field.rms_displacement(node); };
    const int fastest = largest(origin, acceleration), farthest = largest(origin, displacement),
              loudest = largest(origin, [&](int node) { return field.psd[node]; });
    if (fastest < 0) continue;
    table.rows.push_back(
        {origins.names[static_cast<std::size_t>(origin)], units.acceleration.from_si(acceleration(fastest)),
         fastest + 1.0, units.length.from_si(displacement(farthest)), farthest + 1.0,
         units.psd.from_si(field.psd[loudest]), units.frequency.from_si(field.frequency[loudest]), loudest + 1.0});
  }
  return table;
}

Table node_table(const Assembly& assembly, const MotionField& field, const Show& show) {
  const Units units(show);
  Table table{field.excitation->name() + ".nodes",
              fmt::format("{}: RMS and largest PSD of every node", field.excitation->name()),
              {{"of", ""}, {"node", ""}, {"x", units.length.text}, {"y", units.length.text}, {"z", units.length.text}},
              {}};
  for (const char* const what : {"acceleration", "acceleration x", "acceleration y", "acceleration z"})
    table.columns.push_back({fmt::format("{}, RMS", what), units.acceleration.text});
  for (const char* const what : {"displacement", "displacement x", "displacement y", "displacement z"})
    table.columns.push_back({fmt::format("{}, RMS", what), units.length.text});
  table.columns.push_back({"largest PSD of acceleration", units.psd.text});
  table.columns.push_back({"at", units.frequency.text});
  std::vector<std::pair<double, int>> order;
  for (int node = 0; node < static_cast<int>(field.psd.size()); ++node)
    if (!std::isnan(field.psd[node])) order.emplace_back(-field.rms_acceleration(node), node);
  std::sort(order.begin(), order.end());
  for (const auto& [negative, node] : order) {
    std::vector<Cell> row{assembly.nodes[static_cast<std::size_t>(node)].origin, node + 1.0};
    for (const double at : assembly.position(node))
      row.emplace_back(std::abs(at) < 1e-12 ? 0 : units.length.from_si(at));
    row.emplace_back(units.acceleration.from_si(field.rms_acceleration(node)));
    for (int d = 0; d < 3; ++d) row.emplace_back(units.acceleration.from_si(field.acceleration(d, node)));
    row.emplace_back(units.length.from_si(field.rms_displacement(node)));
    for (int d = 0; d < 3; ++d) row.emplace_back(units.length.from_si(field.displacement(d, node)));
    row.emplace_back(units.psd.from_si(field.psd[node]));
    row.emplace_back(units.frequency.from_si(field.frequency[node]));
    table.rows.push_back(std::move(row));
  }
  return table;
}

std::vector<GridArray> motion_arrays(const Assembly& assembly, const MotionField& field, const Show& show) {
  const Units units(show);
  const std::string name = field.excitation->name();
  // Points of bodies off their nodes follow the nodes: they have no value of their own.
  const auto array = [&](const std::string& what, const DisplayUnit& unit, int components, auto&& value) {
    GridArray grid_array{fmt::format("{}: {} ({})", name, what, unit.text), components, {}};
    for (int node = 0; node < static_cast<int>(field.psd.size()); ++node)
      for (int d = 0; d < components; ++d) grid_array.values.push_back(unit.from_si(value(node, d)));
    for (const PointMass& mass : assembly.masses)
      for (int d = 0; d < components; ++d)
        grid_array.values.push_back(mass.offset.isZero(0) ? unit.from_si(value(mass.node, d)) : std::nan(""));
    return grid_array;
  };
  return {
      array("acceleration, RMS along x, y, z", units.acceleration, 3,
            [&](int node, int d) { return field.acceleration(d, node); }),
      array("relative displacement, RMS along x, y, z", units.length, 3,
            [&](int node, int d) { return field.displacement(d, node); }),
      array("largest PSD of acceleration", units.psd, 1, [&](int node, int) { return field.psd[node]; }),
      array("frequency of the largest PSD", units.frequency, 1, [&](int node, int) { return field.frequency[node]; })};
}

}  // namespace avrenk
