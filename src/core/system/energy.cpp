#include "core/system/energy.h"

#include <map>

#include "core/element/kinds.h"
#include "core/parallel.h"
#include "core/system/gather.h"
#include "core/system/numbering.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::RowVectorXd;
using Eigen::VectorXd;

namespace {

RowVectorXd energy_of(const MatrixXd& matrix, const MatrixXd& motions) {
  return 0.5 * motions.cwiseProduct(matrix * motions).colwise().sum();
}

using Kernel = MatrixXd (*)(const ElementBlock&, Index, Index);

// ½uᵀXu of every element of a group, elements x k; X from the kernel.
MatrixXd energies(const Assembly& assembly, const ElementGroup& group, Kernel kernel, const MatrixXd& motions,
                  int threads) {
  constexpr Index at_once = 64;
  const ElementBlock block = assembly.block(group);
  const Index rows = group.kind->motions * group.kind->nodes, elements = static_cast<Index>(group.elements());
  MatrixXd energy(elements, motions.cols());
  const auto stretches = static_cast<std::size_t>((elements + at_once - 1) / at_once);
  run_jobs(stretches, threads, [&](std::size_t stretch) {
    const Index first = static_cast<Index>(stretch) * at_once, count = std::min(at_once, elements - first);
    const MatrixXd matrices = kernel(block, first, count);
    for (Index e = 0; e < count; ++e)
      energy.row(first + e) =
          energy_of(matrices.middleCols(e * rows, rows),
                    motions_of_nodes(motions, group.element(static_cast<std::size_t>(first + e)), group.kind->motions));
  });
  return energy;
}

// m³ of every element of one group.
VectorXd volume_of(const Assembly& assembly, const ElementGroup& group) {
  ElementBlock block = assembly.block(group);  // of density 1, without what carries no load
  if (auto* shells = std::get_if<ShellBlock>(&block)) {
    shells->section.density = 1;
    shells->section.extra_mass = 0;
  } else {
    std::get<SolidBlock>(block).density = 1;
  }
  const Index rows = group.kind->motions * group.kind->nodes, elements = static_cast<Index>(group.elements());
  VectorXd along_x = VectorXd::Zero(rows);
  for (Index i = 0; i < rows; i += group.kind->motions) along_x[i] = 1;
  const auto own =
      Gatherer::telling(assembly, group, [&](Index first, Index count) { return mass(block, first, count); });
  VectorXd volume(elements);
  for (Index e = 0; e < elements; ++e) volume[e] = along_x.dot(own(e, 1) * along_x);
  return volume;
}

}  // namespace

MatrixXd motions_of_nodes(const MatrixXd& all, std::span<const int> nodes, int each) {
  MatrixXd motions(each * static_cast<Index>(nodes.size()), all.cols());
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    if (nodes[i] < 0)
      motions.middleRows(each * static_cast<Index>(i), each).setZero();
    else
      motions.middleRows(each * static_cast<Index>(i), each) = all.middleRows(6L * nodes[i], each);
  }
  return motions;
}

RowVectorXd strain_energy_of(const Assembly& assembly, const BeamElement& beam, const MatrixXd& motions) {
  return energy_of(stiffness(beam.geometry, assembly.properties(beam)),
                   beam_arms(assembly, beam) * motions_of_nodes(motions, beam.nodes, 6));
}

MatrixXd strain_energy_density(const Assembly& assembly, const MatrixXd& motions, int threads) {
  Index elements = static_cast<Index>(assembly.beams.size());
  for (const ElementGroup& group : assembly.groups) elements += static_cast<Index>(group.elements());
  MatrixXd density(elements, motions.cols());
  Index row = 0;
  for (const BeamElement& beam : assembly.beams)
    density.row(row++) =
        strain_energy_of(assembly, beam, motions) / (assembly.properties(beam).middle().area * beam.geometry.length());
  for (const ElementGroup& group : assembly.groups) {
    const VectorXd volume = volume_of(assembly, group);
    density.middleRows(row, volume.size()) =
        volume.cwiseInverse().asDiagonal() * energies(assembly, group, &stiffness, motions, threads);
    row += volume.size();
  }
  return density;
}

StrainEnergy strain_energy(const Assembly& assembly, const MatrixXd& motions, int threads) {
  StrainEnergy energy{MatrixXd::Zero(static_cast<Index>(assembly.parts.size()), motions.cols()),
                      MatrixXd::Zero(static_cast<Index>(assembly.joints.size()), motions.cols())};
  for (const BeamElement& beam : assembly.beams)
    energy.parts.row(beam.part) += strain_energy_of(assembly, beam, motions);
  for (const ElementGroup& group : assembly.groups)
    energy.parts.row(group.part) += energies(assembly, group, &stiffness, motions, threads).colwise().sum();
  for (const Component& component : assembly.components)
    energy.parts.row(component.part) += energy_of(component.stiffness, motions_of_nodes(motions, component.nodes, 6));
  std::map<std::string, Index> row;
  for (std::size_t j = 0; j < assembly.joints.size(); ++j) row[assembly.joints[j].name] = static_cast<Index>(j);
  for (const Spring& spring : assembly.springs)
    if (const auto found = row.find(spring.joint); found != row.end())
      energy.joints.row(found->second) +=
          energy_of(spring_stiffness(assembly, spring), motions_of_nodes(motions, spring.nodes, 6));
  return energy;
}

KineticEnergy kinetic_energy(const Assembly& assembly, const MatrixXd& motions, int threads) {
  KineticEnergy energy{MatrixXd::Zero(static_cast<Index>(assembly.parts.size()), motions.cols()),
                       MatrixXd::Zero(static_cast<Index>(assembly.masses.size()), motions.cols())};
  for (const BeamElement& beam : assembly.beams)
    energy.parts.row(beam.part) += energy_of(mass(beam.geometry, assembly.properties(beam)),
                                             beam_arms(assembly, beam) * motions_of_nodes(motions, beam.nodes, 6));
  for (const ElementGroup& group : assembly.groups)
    energy.parts.row(group.part) += energies(assembly, group, &mass, motions, threads).colwise().sum();
  for (const Component& component : assembly.components)
    energy.parts.row(component.part) += energy_of(component.mass, motions_of_nodes(motions, component.nodes, 6));
  for (std::size_t i = 0; i < assembly.masses.size(); ++i) {
    const PointMass& body = assembly.masses[i];
    for (Index c = 0; c < motions.cols(); ++c) {
      const Vector6 u = motions.block<6, 1>(6L * body.node, c);
      const Vector3 rotation = u.tail<3>(), move = u.head<3>() + rotation.cross(body.offset);
      energy.bodies(static_cast<Index>(i), c) =
          0.5 * (body.mass * move.squaredNorm() + rotation.dot(body.inertia * rotation));
    }
  }
  return energy;
}

}  // namespace avrenk
