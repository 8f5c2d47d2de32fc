#include "core/system/system.h"

#include <fmt/format.h>

#include <cmath>
#include <memory>

#include "core/element/kinds.h"
#include "core/error.h"
#include "core/memory.h"
#include "core/system/free_shape.h"
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

Eigen::Matrix<double, 12, 3> line_load_at_nodes(const Assembly& assembly, const BeamElement& beam) {
  return beam_arms(assembly, beam).transpose() * line_load(beam.geometry, assembly.properties(beam)).at_ends;
}

std::map<int, Vector6> outer_forces(const Assembly& assembly, const LoadColumn& column) {
  std::map<int, Vector6> forces = column.on_nodes;
  for (const auto& [index, per_length] : column.on_beams) {
    const BeamElement& beam = assembly.beams[static_cast<std::size_t>(index)];
    const Eigen::Matrix<double, 12, 1> ends = line_load_at_nodes(assembly, beam) * per_length;
    for (std::size_t end = 0; end < 2; ++end)
      forces.try_emplace(beam.nodes[end], Vector6::Zero()).first->second +=
          ends.segment<6>(6 * static_cast<Eigen::Index>(end));
  }
  return forces;
}

std::map<int, Vector6> forces_on_nodes(const Assembly& assembly, const LoadColumn& column) {
  std::map<int, Vector6> forces = outer_forces(assembly, column);
  add_free_shape(assembly, column, forces);
  return forces;
}

namespace {

// A part of a load that no unknown and no support takes would be lost.
void refuse_lost(const Assembly& assembly, const System& system, const Load& load, int node, const Vector6& force) {
  constexpr double nothing = 1e-12;  // of the largest: rounding of shares
  const auto bare = [&](int first) {
    for (int i = first; i < first + 3; ++i)
      if (std::abs(force[i]) > nothing * force.norm() && system.transformation.col(6 * node + i).nonZeros() == 0)
        return true;
    return false;
  };
  if (bare(0))
    throw_input_error("load " + load.name,
                      fmt::format("nothing is joined to {}, where it acts", assembly.describe_node(node)),
                      "let it act on a part or a body, or let the place follow one in a rigid or an average joint");
  if (bare(3))
    throw_input_error("load " + load.name,
                      fmt::format("a moment acts on {}, which has no rotation", assembly.describe_node(node)),
                      "let it act on a place of three nodes or more, carried as a body");
}

}  // namespace

FieldForces forces_of_field(const System& system, const Vector3& acceleration) {
  Vector6 motion = Vector6::Zero();
  motion.head<3>() = acceleration;
  const Eigen::VectorXd free = system.rigid * motion, supports = system.support_motion * (system.together * motion);
  return {system.mass.ff * free + system.mass.fs * supports,
          system.mass.fs.transpose() * free + system.mass.ss * supports};
}

void refresh_loads(const Assembly& assembly, System& system) {
  std::vector<Eigen::Triplet<double>> raw;
  std::vector<std::pair<int, Vector3>> fields;  // column
  for_each_column(assembly.loads, [&](const Load& load, const LoadColumn& column, int index) {
    for (const auto& [node, force] : forces_on_nodes(assembly, column)) {
      refuse_lost(assembly, system, load, node, force);
      for (int i = 0; i < 6; ++i)
        if (force[i] != 0) raw.emplace_back(6 * node + i, index, force[i]);
    }
    if (column.field) fields.emplace_back(index, *column.field);
  });
  SparseMatrix on_nodes(6 * static_cast<int>(assembly.nodes.size()), first_columns(assembly.loads).back());
  on_nodes.setFromTriplets(raw.begin(), raw.end());
  const SparseMatrix products = system.transformation * on_nodes;
  system.loads = products.topRows(system.free);
  system.support_loads = products.bottomRows(system.supports);
  if (system.mass.ff.rows() == 0) return;  // numbered only
  for (const auto& [at, acceleration] : fields) {
    const FieldForces forces = forces_of_field(system, acceleration);
    const auto add = [&, at = at](const Eigen::VectorXd& force, SparseMatrix& to) {
      SparseMatrix own(to.rows(), to.cols());
      std::vector<Eigen::Triplet<double>> entries;
      for (Eigen::Index row = 0; row < force.size(); ++row)
        if (force[row] != 0) entries.emplace_back(static_cast<int>(row), at, force[row]);
      own.setFromTriplets(entries.begin(), entries.end());
      to += own;
    };
    add(forces.free, system.loads);
    add(forces.supports, system.support_loads);
  }
}

namespace {

// Sizes and materials whose products leave the range of numbers.
void refuse_beyond_numbers(const Assembly& assembly, const System& system) {
  for (const auto& [matrix, name] : {std::pair{&system.stiffness.ff, "stiffness"}, {&system.mass.ff, "mass"}})
    for (Eigen::Index column = 0; column < matrix->cols(); ++column)
      for (SparseMatrix::InnerIterator entry(*matrix, column); entry; ++entry)
        if (!std::isfinite(entry.value()))
          throw_input_error(
              "model",
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

// The unknowns without what is assembled.
System numbered(const Assembly& assembly, const Numbering& numbering) {
  System system;
  system.free = numbering.free;
  system.supports = numbering.supports;
  system.node_of_column = numbering.node_of_column;
  system.component_of_column = numbering.component_of_column;

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

  for (int node = 0; node < static_cast<int>(assembly.nodes.size()); ++node)
    if (!assembly.nodes[static_cast<std::size_t>(node)].is_place()) system.coordinate_nodes.push_back(node);
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
    const Node& node = assembly.nodes[static_cast<std::size_t>(system.node_of_column[c])];
    system.rigid.row(column).setZero();  // of a coordinate
    if (node.is_place())
      system.rigid.row(column) = rigid_arm(assembly.reference(), node.position).row(system.component_of_column[c]);
  }
  return system;
}

}  // namespace

System number_system(const Assembly& assembly) {
  System system = numbered(assembly, Numbering(assembly));
  refresh_loads(assembly, system);
  return system;
}

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
  for (const Component& component : assembly.components) {
    stiffness_sum.add(component.stiffness, component.nodes);
    mass_sum.add(component.mass, component.nodes);
    if (component.dashpot.size() > 0) dashpot_sum.add(component.dashpot, component.nodes);
    if (component.loss.size() > 0) loss_sum.add(component.loss, component.nodes);
    if (component.has_own_damping()) own_sum.add(component.stiffness, component.nodes);
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

  System system = numbered(assembly, numbering);
  system.mass = mass_sum.finish(threads);
  system.stiffness = stiffness_sum.finish(threads);
  system.dashpot = dashpot_sum.finish(threads);
  system.loss = loss_sum.finish(threads);
  system.own_stiffness = own_sum.finish(threads);
  refuse_beyond_numbers(assembly, system);
  refresh_loads(assembly, system);
  return system;
}

void judge_rigidity(const System& system, StaticSolution& statics) {
  const bool strains = !(statics.rigid_difference < rigid_tolerance);
  statics.grounded = system.grounded.value_or(strains);
  statics.moves_rigidly = !strains && !statics.grounded && system.together.rows() == 6;
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
  judge_rigidity(system, statics);
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
  if (std::vector<Problem> problems =
          describe_motions(assembly, system, null_space(system.stiffness.ff, factorisation));
      !problems.empty())
    throw InputError(std::move(problems));
  return factorisation;
}

bool System::has_rotation(int node) const {
  return transformation.col(6 * node + 3).nonZeros() + transformation.col(6 * node + 4).nonZeros() > 0;
}

Eigen::SparseVector<double> System::row(int node, int component) const {
  return transformation.col(6 * node + component);
}

Eigen::MatrixXd System::motions_and_coordinates(const Eigen::MatrixXd& unknowns) const {
  Eigen::MatrixXd all = Eigen::MatrixXd::Zero(free + supports, unknowns.cols());
  all.topRows(free) = unknowns;
  return transformation.transpose() * all;
}

Eigen::MatrixXd System::motions(const Eigen::MatrixXd& unknowns) const {
  Eigen::MatrixXd all = motions_and_coordinates(unknowns);
  for (const int node : coordinate_nodes) all.middleRows<6>(6 * static_cast<Eigen::Index>(node)).setZero();
  return all;
}

}  // namespace avrenk
