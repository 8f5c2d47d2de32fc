#include "files/stress_results.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <tuple>

namespace avrenk {
namespace {

std::string level_name(const StressStation& station, int level) {
  return station.shell ? std::string(shell_levels[static_cast<std::size_t>(level)]) : "";
}

const char* kind_of_value(const Excitation& excitation) {
  switch (excitation.environment->type()) {
    case Environment::Type::sine:
      return !excitation.held         ? "largest of the sweep"
             : excitation.held->phase ? "at that instant"
                                      : "largest of the cycle";
    case Environment::Type::random:
      return "RMS";
    default:
      return "steady";
  }
}

// "node 12 (0, 0, 100) mm of rail, fibre (11, 0) mm".
std::string beam_place(const Assembly& assembly, const WorstBeamStress& worst) {
  const BeamElement& beam = assembly.beams[static_cast<std::size_t>(worst.beam)];
  const auto end = static_cast<std::size_t>(worst.end);
  const BeamSection& section = assembly.properties(beam).at_end(end);
  return fmt::format("{}, {}",
                     assembly.describe_node(beam.nodes[end], assembly.parts[static_cast<std::size_t>(beam.part)].name),
                     describe(section, section.points[static_cast<std::size_t>(worst.point)], assembly.length_unit));
}

}  // namespace

int worst_level(const StressStation& station, const StressField& field, std::size_t index) {
  const auto value = [&](int level) { return std::abs(field.value(level, static_cast<Eigen::Index>(index))); };
  int worst = 0;
  for (int level = 1; level < levels_of(station); ++level)
    if (value(level) > value(worst)) worst = level;
  return worst;
}

std::string stress_words(StressQuantity quantity) {
  return std::string(name_of(quantity)) + (quantity == StressQuantity::von_mises ? " stress" : "");
}

std::string stress_table_name(const StressField& field) {
  if (field.quantity == StressQuantity::von_mises) return field.name() + ".stress";
  if (field.quantity == StressQuantity::principal) return field.name() + ".stress.principal";
  return fmt::format("{}.stress.{}", field.name(), name_of(field.quantity).substr(std::string_view("stress ").size()));
}

Table worst_stress_table(const Assembly& assembly, const StressFound& found, const Show& show) {
  const DisplayUnit stress = show.unit(kind::stress), frequency = show.unit(kind::frequency);
  Table table{"stress",
              found.stations ? "Largest stress of each part, and what neighbouring elements differ by"
                             : "Largest stress of each part",
              {{"part", ""},
               {"in", ""},
               {"stress", stress.text},
               {"of", ""},
               {"at", frequency.text, 4},
               {"phase", "°", 3, false, 1},
               {"jump", "%", 2, found.stations != nullptr, 1},
               {"σ1", stress.text, 4, false},
               {"σ2", stress.text, 4, false},
               {"σ3", stress.text, 4, false},
               {"where", ""}},
              {}};
  const double none = std::nan("");
  const auto add = [&](int part, const Excitation& excitation, StressQuantity quantity, const auto& worst, double jump,
                       const Vector3& principal, std::string where) {
    const bool sine = worst.frequency > 0;
    table.rows.push_back({assembly.parts[static_cast<std::size_t>(part)].name, excitation.name(),
                          stress.from_si(worst.value), std::string(name_of(quantity)),
                          sine ? frequency.from_si(worst.frequency) : none, sine ? degrees * worst.phase : none,
                          100 * jump, stress.from_si(principal[0]), stress.from_si(principal[1]),
                          stress.from_si(principal[2]), std::move(where)});
  };
  for (int part = 0; part < static_cast<int>(assembly.parts.size()); ++part) {
    for (const StressField& field : found.fields) {
      const WorstStress* const worst = field.worst_of(*found.stations, part);
      if (!worst) continue;
      const StressStation& station = found.stations->all()[static_cast<std::size_t>(worst->place.station)];
      add(part, *field.excitation, field.quantity, *worst, worst->jump, worst->principal,
          place_in_words(assembly, station, worst->place.level));
    }
    for (const BeamStressField& field : found.beams)
      if (const WorstBeamStress* const worst = field.worst_of(assembly, part))
        add(part, *field.excitation, StressQuantity::von_mises, *worst, none, Vector3::Constant(none),
            beam_place(assembly, *worst));
  }
  return table;
}

Table worst_axes(Table table) {
  const auto key = [](const std::vector<Cell>& row) {
    const std::string in = std::get<std::string>(row[1]);
    return std::tuple(std::get<std::string>(row[0]), in.substr(0, in.find('.')), std::get<std::string>(row[3]));
  };
  std::vector<std::vector<Cell>> kept;
  for (std::vector<Cell>& row : table.rows) {
    if (kept.empty() || key(kept.back()) != key(row))
      kept.push_back(std::move(row));
    else if (std::abs(std::get<double>(row[2])) > std::abs(std::get<double>(kept.back()[2])))
      kept.back() = std::move(row);
  }
  table.rows = std::move(kept);
  return table;
}

Table stress_table(const Assembly& assembly, const StressStations& stations, const StressField& field,
                   const Show& show) {
  const DisplayUnit stress = show.unit(kind::stress), frequency = show.unit(kind::frequency),
                    length = show.unit(kind::length);
  const bool sine = field.has_frequency();
  Table table{stress_table_name(field),
              fmt::format("{}: {}, {}", field.name(), stress_words(field.quantity), kind_of_value(*field.excitation)),
              {{"part", ""},
               {"node", ""},
               {"x", length.text},
               {"y", length.text},
               {"z", length.text},
               {std::string(name_of(field.quantity)), stress.text},
               {"level", ""}},
              {}};
  const bool directed = field.quantity == StressQuantity::principal;
  if (directed)
    for (const char* const axis : {"along x", "along y", "along z"}) table.columns.push_back({axis, ""});
  if (sine) {
    table.columns.push_back({"at", frequency.text});
    table.columns.push_back({"phase", "°"});
  }
  std::vector<std::pair<double, std::size_t>> order;
  for (std::size_t s = 0; s < stations.size(); ++s) {
    const double value = field.value(worst_level(stations.all()[s], field, s), static_cast<Eigen::Index>(s));
    if (!std::isnan(value)) order.emplace_back(-std::abs(value), s);
  }
  std::sort(order.begin(), order.end());
  for (const auto& [value, s] : order) {
    const StressStation& station = stations.all()[s];
    const auto column = static_cast<Eigen::Index>(s);
    const int level = worst_level(station, field, s);
    std::vector<Cell> row{assembly.parts[static_cast<std::size_t>(station.part)].name,
                          static_cast<double>(station.node + 1)};
    for (const double at : assembly.position(station.node))
      row.emplace_back(std::abs(at) < 1e-12 ? 0.0 : length.from_si(at));
    row.emplace_back(stress.from_si(field.value(level, column)));
    row.emplace_back(level_name(station, level));
    if (directed)
      for (const double each : field.direction_at({static_cast<int>(s), level})) row.emplace_back(each);
    if (sine) {
      row.emplace_back(frequency.from_si(field.frequency(level, column)));
      row.emplace_back(degrees * field.phase(level, column));
    }
    table.rows.push_back(std::move(row));
  }
  return table;
}

Grid stress_grid(const Assembly& assembly, const StressStations& stations, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Grid grid;
  for (const StressStation& station : stations.all())
    grid.points.push_back(assembly.position(station.node) / length.factor);
  GridArray part{"part", 1, {}};
  std::vector<int> points;
  for (std::size_t g = 0; g < assembly.groups.size(); ++g) {
    const ElementGroup& group = assembly.groups[g];
    for (std::size_t e = 0; e < group.elements(); ++e) {
      points.clear();
      for (std::size_t i = 0; i < static_cast<std::size_t>(group.kind->nodes); ++i)
        points.push_back(stations.of(g, e, i));
      grid.add_cell(static_cast<std::uint8_t>(group.kind->cell_type), points);
      part.values.push_back(group.part);
    }
  }
  grid.cell_arrays = {std::move(part)};
  return grid;
}

std::vector<GridArray> stress_arrays(const StressStations& stations, const StressField& field, const Show& show) {
  const DisplayUnit stress = show.unit(kind::stress), frequency = show.unit(kind::frequency);
  const std::string what =
      fmt::format("{}: {}, {}", field.name(), name_of(field.quantity), kind_of_value(*field.excitation));
  std::vector<GridArray> arrays;
  for (int level = 0; level < 3; ++level) {
    GridArray array{
        fmt::format("{}, {} ({})", what, shell_levels[static_cast<std::size_t>(level)], stress.text), 1, {}};
    for (std::size_t s = 0; s < stations.size(); ++s)
      array.values.push_back(
          stress.from_si(field.value(stations.all()[s].shell ? level : 0, static_cast<Eigen::Index>(s))));
    arrays.push_back(std::move(array));
  }
  if (field.quantity == StressQuantity::principal) {
    GridArray along{what + ", its direction", 3, {}};
    for (std::size_t s = 0; s < stations.size(); ++s) {
      const int level = worst_level(stations.all()[s], field, s);
      for (const double each : field.direction_at({static_cast<int>(s), level})) along.values.push_back(each);
    }
    arrays.push_back(std::move(along));
  }
  if (!field.has_frequency()) return arrays;
  const std::string largest = field.quantity == StressQuantity::von_mises
                                  ? "the largest"
                                  : fmt::format("the largest {}", name_of(field.quantity));
  GridArray at{fmt::format("{}: frequency of {} ({})", field.name(), largest, frequency.text), 1, {}},
      phase{fmt::format("{}: phase of {} (°)", field.name(), largest), 1, {}};
  for (std::size_t s = 0; s < stations.size(); ++s) {
    const int level = worst_level(stations.all()[s], field, s);
    at.values.push_back(frequency.from_si(field.frequency(level, static_cast<Eigen::Index>(s))));
    phase.values.push_back(degrees * field.phase(level, static_cast<Eigen::Index>(s)));
  }
  arrays.push_back(std::move(at));
  arrays.push_back(std::move(phase));
  return arrays;
}

Table beam_stress_table(const Assembly& assembly, const BeamStressField& field, const Show& show) {
  const DisplayUnit stress = show.unit(kind::stress), frequency = show.unit(kind::frequency),
                    length = show.unit(kind::length);
  const bool sine = field.has_frequency();
  Table table{field.name() + ".beam-stress",
              fmt::format("{}: von Mises stress of beams, {}", field.name(), kind_of_value(*field.excitation)),
              {{"part", ""},
               {"beam", ""},
               {"node", ""},
               {"x", length.text},
               {"y", length.text},
               {"z", length.text},
               {"von Mises", stress.text},
               {"fibre", ""}},
              {}};
  if (sine) {
    table.columns.push_back({"at", frequency.text});
    table.columns.push_back({"phase", "°"});
  }
  std::vector<std::pair<double, Eigen::Index>> order;  // −value, 2 beam + end
  for (Eigen::Index k = 0; k < field.value.size(); ++k)
    if (const double value = field.value(k % 2, k / 2); !std::isnan(value)) order.emplace_back(-value, k);
  std::sort(order.begin(), order.end());
  for (const auto& [negative, k] : order) {
    const Eigen::Index at = k / 2, end = k % 2;
    const BeamElement& beam = assembly.beams[static_cast<std::size_t>(at)];
    const BeamSection& section = assembly.properties(beam).at_end(static_cast<std::size_t>(end));
    std::vector<Cell> row{assembly.parts[static_cast<std::size_t>(beam.part)].name, static_cast<double>(at + 1),
                          beam.nodes[static_cast<std::size_t>(end)] + 1.0};
    for (const double each : end == 0 ? beam.geometry.end1 : beam.geometry.end2)
      row.emplace_back(std::abs(each) < 1e-12 ? 0.0 : length.from_si(each));
    row.emplace_back(stress.from_si(-negative));
    row.emplace_back(
        describe(section, section.points[static_cast<std::size_t>(field.point(end, at))], assembly.length_unit));
    if (sine) {
      row.emplace_back(frequency.from_si(field.frequency(end, at)));
      row.emplace_back(degrees * field.phase(end, at));
    }
    table.rows.push_back(std::move(row));
  }
  return table;
}

Grid beam_stress_grid(const Assembly& assembly, const Show& show) {
  const DisplayUnit length = show.unit(kind::length);
  Grid grid;
  GridArray part{"part", 1, {}};
  for (const BeamElement& beam : assembly.beams) {
    const auto first = static_cast<int>(grid.points.size());
    grid.points.emplace_back(beam.geometry.end1 / length.factor);
    grid.points.emplace_back(beam.geometry.end2 / length.factor);
    grid.add_cell(Grid::line, std::array{first, first + 1});
    part.values.push_back(beam.part);
  }
  grid.cell_arrays = {std::move(part)};
  return grid;
}

std::vector<GridArray> beam_stress_arrays(const BeamStressField& field, const Show& show) {
  const DisplayUnit stress = show.unit(kind::stress), frequency = show.unit(kind::frequency);
  const auto array = [&](const std::string& what, const Eigen::Matrix2Xd& values, double factor) {
    GridArray own{fmt::format("{}: {}", field.name(), what), 1, {}};
    for (Eigen::Index k = 0; k < values.size(); ++k) own.values.push_back(factor * values(k % 2, k / 2));
    return own;
  };
  std::vector<GridArray> arrays{array(fmt::format("von Mises, {} ({})", kind_of_value(*field.excitation), stress.text),
                                      field.value, stress.from_si(1))};
  if (!field.has_frequency()) return arrays;
  arrays.push_back(
      array(fmt::format("frequency of the largest ({})", frequency.text), field.frequency, frequency.from_si(1)));
  arrays.push_back(array("phase of the largest (°)", field.phase, degrees));
  return arrays;
}

}  // namespace avrenk
