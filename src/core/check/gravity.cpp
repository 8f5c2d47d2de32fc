#include "core/check/gravity.h"

#include <fmt/format.h>

#include <cmath>

#include "core/model/mass_properties.h"
#include "core/quantity/quantity.h"
#include "core/response/stress.h"
#include "core/system/energy.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

std::vector<GravityCase> under_gravity(const Assembly& assembly, const System& system, const StaticSolution& statics) {
  const double weight = standard_gravity * total_mass(assembly).mass;
  std::vector<GravityCase> cases;
  SparseMatrix to_feet = system.stiffness.fs;  // of the elements alone
  if (system.geometric) to_feet -= system.geometric->fs;
  for (int axis = 0; axis < 3; ++axis) {
    GravityCase gravity_case;
    gravity_case.axis = axis;
    gravity_case.weight = weight;
    const VectorXd motions = system.together.col(axis);
    const VectorXd unknowns = -standard_gravity * (statics.unit_acceleration * motions);
    gravity_case.motions = system.motions_and_coordinates(unknowns);
    double largest = -1;
    for (int node = 0; node < static_cast<int>(assembly.nodes.size()); ++node) {
      if (!assembly.nodes[static_cast<std::size_t>(node)].is_place()) continue;
      const double move = gravity_case.motions.segment<3>(6L * node).norm();
      if (!(move > largest * (1 + 1e-9))) continue;
      largest = move;
      gravity_case.node = node;
    }
    gravity_case.deflection = std::max(0.0, largest);
    // Spring and element forces at the feet, and the mass that sits on them.
    const MatrixXd as_one = system.support_motion * system.together;
    const VectorXd elastic = as_one.transpose() * (to_feet.transpose() * unknowns);
    const VectorXd sitting = as_one.transpose() * (system.mass.fs.transpose() * (statics.influence * motions) +
                                                   system.mass.ss * (system.support_motion * motions));
    gravity_case.reaction = elastic[axis] + standard_gravity * sitting[axis];
    cases.push_back(std::move(gravity_case));
  }
  return cases;
}

std::vector<HighestStress> highest_stress(const Assembly& assembly, const MatrixXd& motions) {
  const auto columns = static_cast<std::size_t>(motions.cols());
  std::vector<HighestStress> highest;
  for (std::size_t p = 0; p < assembly.parts.size(); ++p)
    highest.push_back({static_cast<int>(p), std::vector<double>(columns, -1), std::vector<int>(columns, -1)});
  const auto look = [&](int part, int node, std::size_t column, double value) {
    HighestStress& highest_stress = highest[static_cast<std::size_t>(part)];
    if (!(value > highest_stress.value[column] * (1 + 1e-9))) return;
    highest_stress.value[column] = value;
    highest_stress.node[column] = node;
  };
  for (const BeamElement& beam : assembly.beams) {
    const BeamProperties properties = assembly.properties(beam);
    const MatrixXd forces = force_recovery(beam.geometry, properties) * beam_arms(assembly, beam) *
                            motions_of_nodes(motions, beam.nodes, 6);
    for (std::size_t end = 0; end < 2; ++end) {
      const BeamSection& section = properties.at_end(end);
      for (const StressPoint& point : section.points) {
        const MatrixXd rows = stress_rows(section, point) * forces.middleRows<6>(6 * static_cast<Index>(end));
        for (std::size_t c = 0; c < columns; ++c) {
          const auto column = static_cast<Index>(c);
          const double normal = rows(0, column) + rows(1, column), shear = section.shear_stress ? rows(2, column) : 0;
          look(beam.part, beam.nodes[end], c, std::sqrt(normal * normal + 3 * shear * shear));
        }
      }
    }
  }
  if (!assembly.groups.empty()) {
    const StressStations stations(assembly);
    const MatrixXd mises = highest_von_mises(stations, motions);
    for (std::size_t s = 0; s < stations.size(); ++s)
      for (std::size_t c = 0; c < columns; ++c)
        look(stations.all()[s].part, stations.all()[s].node, c, mises(static_cast<Index>(s), static_cast<Index>(c)));
  }
  std::erase_if(highest, [](const HighestStress& own) { return own.node.empty() || own.node[0] < 0; });
  return highest;
}

std::vector<Finding> gravity_findings(const Assembly& assembly, const std::vector<GravityCase>& cases,
                                      const std::vector<HighestStress>& stress) {
  std::vector<Finding> findings;
  Eigen::AlignedBox3d box;
  for (const Node& node : assembly.nodes) box.extend(node.position);
  constexpr double balance = 1e-6, far = 0.1;
  for (const GravityCase& gravity_case : cases) {
    const char axis = "xyz"[gravity_case.axis];
    if (gravity_case.weight > 0 && std::abs(gravity_case.reaction / gravity_case.weight - 1) > balance)
      findings.push_back(
          {Finding::Grade::warning, "base",
           fmt::format("under 1 g along {} the bases carry {:.4g} N, and the model weighs {:.4g} N", axis,
                       gravity_case.reaction, gravity_case.weight),
           "a spring leads to the ground, or the base does not hold that direction: check joints and base"});
    if (gravity_case.deflection > far * box.diagonal().norm())
      findings.push_back({Finding::Grade::warning, "model",
                          fmt::format("under 1 g along {} {} moves by {:.4g} mm, more than a tenth of the model", axis,
                                      assembly.describe_node(gravity_case.node), 1e3 * gravity_case.deflection),
                          "check the stiffness of what carries it, and the units",
                          assembly.position(gravity_case.node)});
  }
  for (const HighestStress& highest_stress : stress) {
    const std::optional<double>& yield = assembly.material_of(highest_stress.part).yield;
    for (std::size_t c = 0; yield && c < highest_stress.value.size(); ++c)
      if (highest_stress.value[c] > *yield)
        findings.push_back({Finding::Grade::warning,
                            "part " + assembly.parts[static_cast<std::size_t>(highest_stress.part)].name,
                            fmt::format("1 g along {} alone stresses it to {:.4g} MPa, beyond its yield of {:.4g} MPa",
                                        "xyz"[c], 1e-6 * highest_stress.value[c], 1e-6 * *yield),
                            "check its thickness or section, what it carries, and the units",
                            assembly.position(highest_stress.node[c])});
  }
  return findings;
}

}  // namespace avrenk
