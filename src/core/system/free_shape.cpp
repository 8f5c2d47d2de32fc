#include "core/system/free_shape.h"

#include "core/element/discrete.h"
#include "core/element/kinds.h"
#include "core/system/numbering.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// K that a part is warmer per unit of the column; 0: not at all.
double warmth_of(int part, const LoadColumn& column) {
  const auto found = column.warmer.find(part);
  return found == column.warmer.end() ? 0 : found->second;
}

}  // namespace

Eigen::Matrix<double, 12, 1> free_ends(const Assembly& assembly, const BeamElement& beam, const LoadColumn& column) {
  Eigen::Matrix<double, 12, 1> ends = Eigen::Matrix<double, 12, 1>::Zero();
  if (const double warmth = warmth_of(beam.part, column); warmth != 0)
    ends.segment<3>(6) =
        warmth * assembly.material_of(beam.part).expansion.value()[0] * (beam.geometry.end2 - beam.geometry.end1);
  return ends;
}

VectorXd free_motions(const Assembly& assembly, const ElementGroup& group, std::size_t element,
                      const LoadColumn& column) {
  const auto nodes = group.element(element);
  const Material& material = assembly.material_of(group.part);
  const Vector3 expansion = warmth_of(group.part, column) * material.expansion.value();
  Matrix3 strain = expansion[0] * Matrix3::Identity();
  if (material.orthotropic) {
    Matrix3 axes = material.axes * group.rotation.transpose();
    if (group.kind->is_shell()) {  // x along the projection of the material's
      Eigen::Matrix3Xd coordinates(3, group.kind->nodes);
      for (Index i = 0; i < coordinates.cols(); ++i)
        coordinates.col(i) = assembly.position(nodes[static_cast<std::size_t>(i)]);
      ShellSection section;
      section.along = axes.row(0);
      axes = shell_axes(coordinates, section);
    }
    strain = axes.transpose() * expansion.asDiagonal() * axes;
  }
  const Index motions = group.kind->motions;
  VectorXd free = VectorXd::Zero(motions * group.kind->nodes);
  for (Index i = 1; i < group.kind->nodes; ++i)
    free.segment<3>(motions * i) =
        strain * (assembly.position(nodes[static_cast<std::size_t>(i)]) - assembly.position(nodes[0]));
  return free;
}

Vector6 unstressed_at(int spring, const LoadColumn& column) {
  const auto found = column.unstressed_at.find(spring);
  return found == column.unstressed_at.end() ? Vector6(Vector6::Zero()) : found->second;
}

void add_free_shape(const Assembly& assembly, const LoadColumn& column, std::map<int, Vector6>& forces) {
  const auto add = [&](std::span<const int> nodes, const VectorXd& own, Index motions) {
    for (std::size_t i = 0; i < nodes.size(); ++i)
      if (nodes[i] >= 0)
        forces.try_emplace(nodes[i], Vector6::Zero()).first->second.head(motions) +=
            own.segment(motions * static_cast<Index>(i), motions);
  };
  if (!column.warmer.empty()) {
    for (const BeamElement& beam : assembly.beams)
      if (warmth_of(beam.part, column) != 0)
        add(beam.nodes,
            beam_arms(assembly, beam).transpose() *
                (stiffness(beam.geometry, assembly.properties(beam)) * free_ends(assembly, beam, column)),
            6);
    for (const ElementGroup& group : assembly.groups) {
      if (warmth_of(group.part, column) == 0) continue;
      const ElementBlock block = assembly.block(group);
      constexpr Index at_once = 64;
      const auto count = static_cast<Index>(group.elements());
      const Index size = Index{group.kind->motions} * group.kind->nodes;
      for (Index first = 0; first < count; first += at_once) {
        const Index now = std::min(at_once, count - first);
        const MatrixXd k = stiffness(block, first, now);
        for (Index e = 0; e < now; ++e) {
          const auto element = static_cast<std::size_t>(first + e);
          add(group.element(element), k.middleCols(size * e, size) * free_motions(assembly, group, element, column),
              group.kind->motions);
        }
      }
    }
  }
  for (const auto& [index, travel] : column.unstressed_at) {
    const Spring& spring = assembly.springs[static_cast<std::size_t>(index)];
    add(spring.nodes, spring_travel_rows(assembly, spring).transpose() * spring.stiffness.cwiseProduct(travel), 6);
  }
}

}  // namespace avrenk
