#include "core/system/system.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>

#include "core/error.h"
#include "core/memory.h"
#include "core/system/gather.h"
#include "core/system/mechanism.h"

namespace avrenk {

BeamMatrix beam_arms(const Assembly& assembly, const BeamElement& beam) {
  BeamMatrix arms = BeamMatrix::Zero();
  for (int end = 0; end < 2; ++end) {
    const auto node = static_cast<std::size_t>(beam.nodes[static_cast<std::size_t>(end)]);
    arms.block<6, 6>(6 * end, 6 * end) =
        rigid_arm(assembly.nodes[node].position, end == 0 ? beam.geometry.end1 : beam.geometry.end2);
  }
  return arms;
}

namespace {

// Sizes and materials whose products leave the range of numbers.
void refuse_beyond_numbers(const Assembly& assembly, const System& system) {
  for (const auto& [matrix, name] : {std::pair{&system.stiffness.ff, "stiffness"}, {&system.mass.ff, "mass"}})
    for (Eigen::Index column = 0; column < matrix->cols(); ++column)
      for (SparseMatrix::InnerIterator entry(*matrix, column); entry; ++entry)
        if (!std::isfinite(entry.value()))
          refuse("model",
                 fmt::format("the {} of {} is beyond all numbers", name,
                             assembly.describe_node(system.node_of_column[static_cast<std::size_t>(column)])),
                 "look at the units of its sizes and its material");
}

// Of stiffness and mass.
void require_memory_of_matrices(const Assembly& assembly) {
  double entries = 0;  // of element matrices: about as many as of their sum
  for (const ElementGroup& group : assembly.groups)
    entries += static_cast<double>(group.elements()) * std::pow(group.kind->nodes * group.kind->motions, 2);
  constexpr double bytes_an_entry = 12;  // of a number and its row
  require_memory(2 * bytes_an_entry * entries, fmt::format("the model of {} nodes", assembly.nodes.size()),
                 "make the mesh coarser");
}

}  // namespace

System make_system(const Assembly& assembly, int threads) {
  require_memory_of_matrices(assembly);
  const Numbering numbering(assembly);
  Gatherer mass_sum(numbering), stiffness_sum(numbering), dashpot_sum(numbering), loss_sum(numbering),
      own_sum(numbering);
  for (const BeamElement& beam : assembly.beams) {
    const BeamProperties properties = assembly.properties(beam);
    const BeamMatrix arms = beam_arms(assembly, beam);
    const BeamMatrix k = arms.transpose() * stiffness(beam.geometry, properties) * arms;
    stiffness_sum.add(k, beam.nodes);
    mass_sum.add(arms.transpose() * mass(beam.geometry, properties) * arms, beam.nodes);
    const auto& loss_factor = assembly.material_of(beam.part).loss_factor;
    if (!loss_factor) continue;
    loss_sum.add(*loss_factor * k, beam.nodes);
    own_sum.add(k, beam.nodes);
  }
  for (const ElementGroup& group : assembly.groups) {
    const auto block = std::make_shared<const ElementBlock>(assembly.block(group));
    const auto k = Gatherer::telling(
        assembly, group, [block](Eigen::Index first, Eigen::Index count) { return stiffness(*block, first, count); });
    stiffness_sum.add(group, k);
    mass_sum.add(group, Gatherer::telling(assembly, group, [block](Eigen::Index first, Eigen::Index count) {
                   return mass(*block, first, count);
                 }));
    const auto& loss_factor = assembly.material_of(group.part).loss_factor;
    if (!loss_factor) continue;
    loss_sum.add(group, [block, eta = *loss_factor](Eigen::Index first, Eigen::Index count) -> Eigen::MatrixXd {
      return eta * stiffness(*block, first, count);
    });
    own_sum.add(group, k);
  }
  for (const Spring& spring : assembly.springs) {
    const SpringMatrix k = spring_stiffness(assembly, spring);
    stiffness_sum.add(k, spring.nodes);
    if (spring.loss_factor) loss_sum.add(*spring.loss_factor * k, spring.nodes);
    if (spring.has_dashpot()) dashpot_sum.add(spring_dashpot(assembly, spring), spring.nodes);
    if (spring.loss_factor || spring.has_dashpot()) own_sum.add(k, spring.nodes);
  }
  for (const PointMass& point : assembly.masses)
    mass_sum.add(mass_at_node(point.mass, point.inertia, point.offset), std::array{point.node});

  System system;
  system.free = numbering.free;
  system.supports = numbering.supports;
  system.node_of_column = numbering.node_of_column;
  system.component_of_column = numbering.component_of_column;
  system.mass = mass_sum.finish(threads);
  system.stiffness = stiffness_sum.finish(threads);
  system.dashpot = dashpot_sum.finish(threads);
  system.loss = loss_sum.finish(threads);
  system.own_stiffness = own_sum.finish(threads);
  refuse_beyond_numbers(assembly, system);

  std::vector<Eigen::Triplet<double>> rows_of_t;
  std::array<Numbering::Row, 6> rows;
  for (int node = 0; node < static_cast<int>(assembly.nodes.size()); ++node) {
    numbering.rows(node, rows);
    for (int i = 0; i < 6; ++i)
      for (const auto& [column, value] : rows[static_cast<std::size_t>(i)])
        rows_of_t.emplace_back(column, 6 * node + i, value);
  }
  system.transformation.resize(system.free + system.supports, 6 * static_cast<int>(assembly.nodes.size()));
  system.transformation.setFromTriplets(rows_of_t.begin(), rows_of_t.end());

  const auto motions = 6 * static_cast<Eigen::Index>(assembly.bases.size());
  system.support_motion = Eigen::MatrixXd::Zero(system.supports, motions);
  system.together.resize(motions, 6);
  Eigen::Index foot = 0;
  for (std::size_t b = 0; b < assembly.bases.size(); ++b) {
    const auto first = 6 * static_cast<Eigen::Index>(b);
    system.together.middleRows<6>(first) = rigid_arm(assembly.reference(), assembly.bases[b].point);
    for (std::size_t k = 0; k < assembly.bases[b].feet.size(); ++k)
      system.support_motion.block<6, 6>(6 * foot++, first).setIdentity();
  }
  system.rigid.resize(system.free, 6);
  for (int column = 0; column < system.free; ++column) {
    const auto c = static_cast<std::size_t>(column);
    const Vector3& at = assembly.nodes[static_cast<std::size_t>(system.node_of_column[c])].position;
    system.rigid.row(column) = rigid_arm(assembly.reference(), at).row(system.component_of_column[c]);
  }
  return system;
}

StaticSolution solve_statics(const System& system, const Factorisation& stiffness) {
  StaticSolution statics;
  const Eigen::MatrixXd load = system.stiffness.fs * system.support_motion;
  statics.influence = -stiffness.solve(load);
  const Eigen::MatrixXd together = statics.influence * system.together;
  double size = 1e-30;  // the largest rigid translation per unit base motion, column by column
  Eigen::Matrix<double, 1, 6> worst = Eigen::Matrix<double, 1, 6>::Zero(), scale = worst;
  for (int row = 0; row < system.free; ++row) {
    if (system.component_of_column[static_cast<std::size_t>(row)] > 2) continue;
    worst = worst.cwiseMax((together.row(row) - system.rigid.row(row)).cwiseAbs());
    scale = scale.cwiseMax(system.rigid.row(row).cwiseAbs());
  }
  for (int d = 0; d < 6; ++d)
    if (scale[d] > size) statics.rigid_difference = std::max(statics.rigid_difference, worst[d] / scale[d]);
  statics.grounded = !(statics.rigid_difference < rigid_tolerance);
  statics.moves_rigidly = !statics.grounded && system.together.rows() == 6;
  if (statics.moves_rigidly) statics.influence = system.rigid;
  statics.inertia_load = system.mass.ff * statics.influence + system.mass.fs * system.support_motion;
  statics.unit_acceleration = stiffness.solve(statics.inertia_load);
  return statics;
}

namespace {

// Unit motions of unknowns that no stiffness touches: nothing is left of them to find a pivot in.
Eigen::MatrixXd unstiffened(const SparseMatrix& stiffness) {
  std::vector<Eigen::Index> bare;
  for (Eigen::Index column = 0; column < stiffness.cols(); ++column) {
    bool any = false;
    for (SparseMatrix::InnerIterator entry(stiffness, column); entry; ++entry) any = any || entry.value() != 0;
    if (!any) bare.push_back(column);
  }
  constexpr std::size_t most = 24;  // enough to say what moves
  bare.resize(std::min(most, bare.size()));
  Eigen::MatrixXd motions = Eigen::MatrixXd::Zero(stiffness.rows(), static_cast<Eigen::Index>(bare.size()));
  for (std::size_t k = 0; k < bare.size(); ++k) motions(bare[k], static_cast<Eigen::Index>(k)) = 1;
  return motions;
}

}  // namespace

void refuse_loose(const Assembly& assembly, const System& system) {
  if (system.free == 0)
    throw InputError(Problem{"base " + assembly.bases.front().name, "every node is held, nothing can move",
                             "hold fewer nodes", std::nullopt});
  if (std::vector<Problem> loose = loose_groups(assembly); !loose.empty()) throw InputError(std::move(loose));
  if (const Eigen::MatrixXd motions = unstiffened(system.stiffness.ff); motions.cols() > 0)
    throw InputError(describe_motions(assembly, system, motions));
}

Factorisation factorise_stiffness(const Assembly& assembly, const System& system, const EliminationOrder& order) {
  refuse_loose(assembly, system);
  Factorisation factorisation(system.stiffness.ff, order, Factorisation::ZeroPivots::detect);
  if (std::vector<Problem> problems = describe_motions(assembly, system, factorisation.null_space()); !problems.empty())
    throw InputError(std::move(problems));
  return factorisation;
}

}  // namespace avrenk
