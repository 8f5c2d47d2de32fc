// limits: what a watched quantity may be.
#include <algorithm>
#include <cmath>
#include <set>

#include "core/assess/buckling.h"
#include "core/assess/clearance.h"
#include "plan/limit_parts.h"

namespace avrenk {
namespace {

// The least load at which a line of the parts watched buckles.
void read_buckling(MapReader& map, const Tree& value, const OutputRequest& request, Limit& limit, Reading& reading) {
  ResponseLimit& response = *limit.response();
  const auto length = map.required_quantity("buckling length", kind::length, Sign::positive);
  if (request.quantity->keyword != "axial force") {
    reading.problems.add(value, map.subject(), fmt::format("bars buckle under axial force, {} is none", response.of),
                         "write of: struts.axial force");
    return;
  }
  if (!length) return;
  const Assembly& assembly = reading.plan.assembly;
  for (const int index : request.items) {
    const BeamElement& beam = assembly.beams[static_cast<std::size_t>(index)];
    const Part& part = assembly.parts[static_cast<std::size_t>(beam.part)];
    const auto look = [&](const BeamSection& section) {
      const BucklingLoad load = buckling_load(section, assembly.material_of(beam.part), *length);
      if (!limit.property.empty() && load.load >= limit.allowable) return;
      limit.allowable = load.load;
      limit.property =
          fmt::format("{}, L/i = {:.3g}, of {}", load.is_johnson ? "Johnson" : "Euler", load.slenderness, part.name);
    };
    if (beam.taper < 0)
      look(part.section);
    else
      for (const BeamSection& section : assembly.tapers[static_cast<std::size_t>(beam.taper)]) look(section);
  }
}

// "yield" or "ultimate" of the material of all parts watched; they must have the same.
void read_property(const Tree& tree, const OutputRequest& request, Limit& limit, Reading& reading) {
  ResponseLimit& response = *limit.response();
  const Assembly& assembly = reading.plan.assembly;
  const std::string subject = "limit " + limit.name;
  if (request.quantity->kind != &kind::stress) {
    reading.problems.add(tree, subject, fmt::format("\"{}\" is a stress, {} is none", tree.text, response.of),
                         fmt::format("write {}", request.quantity->kind->example));
    return;
  }
  std::set<int> parts(request.parts.begin(), request.parts.end());
  for (const int beam : request.items) parts.insert(assembly.beams[static_cast<std::size_t>(beam)].part);
  for (const int part : parts) {
    const Material& material = assembly.material_of(part);
    const auto& value = tree.text == "yield" ? material.yield : material.ultimate;
    if (!value) {
      reading.problems.add(tree, subject, fmt::format("material {} has no {} stress", material.name, tree.text),
                           fmt::format("add it under materials, as in {}: 430 MPa", tree.text));
      return;
    }
    if (!limit.property.empty() && *value != limit.allowable) {
      reading.problems.add(tree, subject, fmt::format("the parts watched differ in their {} stress", tree.text),
                           "watch parts of different materials apart");
      return;
    }
    limit.allowable = *value;
    limit.property = fmt::format("{} of {}", tree.text, material.name);
  }
}

// Kinds of PSD that may be limited.
const Kind* psd_of(const Kind& kind) {
  constexpr const Kind* all[] = {&kind::acceleration_psd,
                                 &kind::angular_acceleration_psd,
                                 &kind::velocity_psd,
                                 &kind::displacement_psd,
                                 &kind::angular_velocity_psd,
                                 &kind::angle_psd,
                                 &kind::force_psd,
                                 &kind::moment_psd,
                                 &kind::pressure_psd};
  for (const Kind* const each : all)
    if (each->dimension == power(kind.dimension, 2) * kind::time.dimension) return each;
  return nullptr;
}

// Semi-empirical: the force on the base is at most C times what a mass M would take, less above a frequency.
std::optional<AllowedPsd> read_force_limit(const Tree& tree, const OutputRequest& request, const std::string& subject,
                                           Problems& problems) {
  MapReader map(tree, subject, problems);
  const auto constant = map.required_quantity("C", kind::number, Sign::positive);
  const auto mass = map.required_quantity("mass", kind::mass, Sign::positive);
  const auto up_to = map.required_quantity("up to", kind::frequency, Sign::positive);
  const auto slope = map.required_quantity("beyond", kind::slope);
  map.done();
  if (request.quantity->kind != &kind::force) {
    problems.add(tree, subject, "a force limit is one of a force", "write of: fixture.force.z");
    return std::nullopt;
  }
  if (!constant || !mass || !up_to || !slope) return std::nullopt;
  constexpr double lowest = 1e-3, highest = 1e6;  // Hz: all that is ever excited
  const double level = std::pow(*constant * *mass, 2);
  return AllowedPsd{LogLogTable({{std::min(lowest, 0.5 * *up_to), level, {}},
                                 {*up_to, level, {}},
                                 {std::max(highest, 2 * *up_to), std::nullopt, *slope}},
                                10),
                    true};
}

}  // namespace

void read_allowable(MapReader& map, const OutputRequest& request, Limit& limit, Reading& reading) {
  ResponseLimit& response = *limit.response();
  const bool gap = request.quantity->keyword == "clearance";
  const std::string single = request.quantity->is_reciprocal ? "at least" : "allowable";
  const auto [key, value] = gap ? map.one_of({"at least", "allowable"})
                                : std::pair{single, map.required(single, std::string(request.quantity->kind->example))};
  if (!value) return;
  if (gap && key == "at least") {
    response.at_least =
        read_quantity(*value, kind::length, map.subject() + " at least", reading.problems, Sign::not_negative);
    const double gap_there = smallest_gap(reading.plan.assembly, request);
    if (response.at_least && *response.at_least >= gap_there)
      reading.problems.add(*value, map.subject(),
                           fmt::format("at least {} is to be left of a gap of {:.4g} mm", value->text, 1e3 * gap_there),
                           "write less than the gap");
  } else if (value->is_text() && (value->text == "yield" || value->text == "ultimate"))
    read_property(*value, request, limit, reading);
  else if (value->is_text() && value->text == "buckling")
    read_buckling(map, *value, request, limit, reading);
  else
    limit.allowable =
        read_quantity(*value, *request.quantity->kind, map.subject() + " allowable", reading.problems, Sign::positive)
            .value_or(0);
}

void read_allowed_psd(const Tree& tree, const OutputRequest& request, Limit& limit, Reading& reading) {
  ResponseLimit& response = *limit.response();
  Problems& problems = reading.problems;
  const std::string subject = "limit " + limit.name + " allowable";
  const Kind* const kind = psd_of(*request.quantity->kind);
  if (!kind || request.quantity->keyword == "clearance") {
    problems.add(tree, subject, fmt::format("the PSD of {} is not limited", response.of), "take 3 sigma, or RMS");
  } else if (tree.is_map() && tree.find("force limit")) {
    response.allowed_psd = read_force_limit(*tree.find("force limit"), request, subject, problems);
  } else if (tree.is_map()) {
    if (const auto rows = read_csv_table(tree, subject, problems))
      if (auto table = read_table(*rows, *kind, 10, subject, problems)) response.allowed_psd = AllowedPsd{*table};
  } else if (tree.is_list()) {
    if (auto table = read_table(tree, *kind, 10, subject, problems)) response.allowed_psd = AllowedPsd{*table};
  } else if (const auto level = read_quantity(tree, *kind, subject, problems, Sign::positive)) {
    constexpr double lowest = 1e-6, highest = 1e9;  // Hz
    response.allowed_psd = AllowedPsd{LogLogTable({{lowest, *level, {}}, {highest, *level, {}}}, 10)};
  }
}

}  // namespace avrenk
