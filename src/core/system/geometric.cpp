#include "core/system/geometric.h"

#include <algorithm>
#include <array>
#include <map>
#include <memory>
#include <optional>

#include "core/element/discrete.h"
#include "core/element/kinds.h"
#include "core/system/energy.h"
#include "core/system/free_shape.h"
#include "core/system/gather.h"
#include "core/system/numbering.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

void add_arm(Gatherer& sum, int node, const Vector3& arm, const Vector3& force) {
  if (node < 0 || arm.isZero(0) || force.isZero(0)) return;
  MatrixXd at_node = MatrixXd::Zero(6, 6);
  at_node.bottomRightCorner<3, 3>() = arm_geometric_stiffness(arm, force);
  sum.add(at_node, std::array{node});
}

// Motions of an element less those that it would make if nothing held it.
VectorXd strained_ends(const Assembly& assembly, const BeamElement& beam, const VectorXd& motions,
                       const LoadColumn& acting) {
  return beam_arms(assembly, beam) * motions_of_nodes(motions, beam.nodes, 6) - free_ends(assembly, beam, acting);
}
VectorXd strained_motions(const Assembly& assembly, const ElementGroup& group, std::size_t element,
                          const VectorXd& motions, const LoadColumn& acting) {
  VectorXd own = motions_of_nodes(motions, group.element(element), group.kind->motions);
  if (acting.warmer.contains(group.part)) own -= free_motions(assembly, group, element, acting);
  return own;
}
VectorXd forces_of_spring(const Assembly& assembly, std::size_t index, const VectorXd& motions,
                          const LoadColumn& acting) {
  const Spring& spring = assembly.springs[index];
  const TravelRows rows = spring_travel_rows(assembly, spring);
  return rows.transpose() * spring.stiffness.cwiseProduct(rows * motions_of_nodes(motions, spring.nodes, 6) -
                                                          unstressed_at(static_cast<int>(index), acting));
}

// What elements and loads put on the nodes that follow in rigid links, N.
class ForcesOnFollowers {
 public:
  ForcesOnFollowers(const Assembly& assembly, const VectorXd& motions, const LoadColumn& acting) {
    for (const RigidLink& link : assembly.links)
      for (const int node : link.follow) forces_[node] = Vector3::Zero();
    if (forces_.empty()) return;
    for (const BeamElement& beam : assembly.beams)
      if (touches(beam.nodes)) {
        const BeamMatrix arms = beam_arms(assembly, beam);
        take(-arms.transpose() *
                 (stiffness(beam.geometry, assembly.properties(beam)) * strained_ends(assembly, beam, motions, acting)),
             beam.nodes, 6);
      }
    for (std::size_t k = 0; k < assembly.springs.size(); ++k)
      if (const auto& nodes = assembly.springs[k].nodes; touches(nodes))
        take(-forces_of_spring(assembly, k, motions, acting), nodes, 6);
    for (const ElementGroup& group : assembly.groups) {
      std::optional<ElementBlock> block;
      for (std::size_t e = 0; e < group.elements(); ++e) {
        const auto nodes = group.element(e);
        if (!touches(nodes)) continue;
        if (!block) block = assembly.block(group);
        take(-stiffness(*block, static_cast<Index>(e), 1) * strained_motions(assembly, group, e, motions, acting),
             nodes, group.kind->motions);
      }
    }
    for (const PointMass& body : assembly.masses)
      if (const auto found = forces_.find(body.node); found != forces_.end())
        found->second += body.mass * acting.field.value_or(Vector3::Zero());
    for (const auto& [node, force] : acting.on_nodes)
      if (const auto found = forces_.find(node); found != forces_.end()) found->second += force.head<3>();
  }
  [[nodiscard]] const Vector3& on(int node) const { return forces_.at(node); }

 private:
  [[nodiscard]] bool touches(std::span<const int> nodes) const {
    return std::any_of(nodes.begin(), nodes.end(), [&](int node) { return forces_.contains(node); });
  }
  void take(const VectorXd& forces, std::span<const int> nodes, int each) {
    for (std::size_t i = 0; i < nodes.size(); ++i)
      if (const auto found = forces_.find(nodes[i]); found != forces_.end())
        found->second += forces.segment<3>(each * static_cast<Index>(i));
  }
  std::map<int, Vector3> forces_;
};

}  // namespace

Partitioned geometric_stiffness(const Assembly& assembly, const VectorXd& motions, const LoadColumn& acting,
                                int threads) {
  const Numbering numbering(assembly);
  Gatherer sum(numbering);
  for (const BeamElement& beam : assembly.beams) {
    const BeamProperties properties = assembly.properties(beam);
    const BeamMatrix arms = beam_arms(assembly, beam);
    const VectorXd ends = strained_ends(assembly, beam, motions, acting);
    const VectorXd section = force_recovery(beam.geometry, properties) * ends;
    const double axial = 0.5 * (section[0] + section[6]);
    sum.add(axial * (arms.transpose() * geometric_stiffness(beam.geometry, properties) * arms), beam.nodes);
    const std::array<Vector3, 2> offset{beam.geometry.end1 - assembly.position(beam.nodes[0]),
                                        beam.geometry.end2 - assembly.position(beam.nodes[1])};
    if (offset[0].isZero(0) && offset[1].isZero(0)) continue;
    const VectorXd forces = stiffness(beam.geometry, properties) * ends;
    for (const std::size_t end : {0U, 1U})
      add_arm(sum, beam.nodes[end], offset[end], -forces.segment<3>(6 * static_cast<Index>(end)));
  }
  for (const ElementGroup& group : assembly.groups) {
    const auto block = std::make_shared<const ElementBlock>(assembly.block(group));
    sum.add(group, Gatherer::telling(assembly, group, [&, block](Index first, Index count) {
              const Index rows = group.kind->motions * group.kind->nodes;
              MatrixXd own(rows, count);
              for (Index e = 0; e < count; ++e)
                own.col(e) = strained_motions(assembly, group, static_cast<std::size_t>(first + e), motions, acting);
              return geometric_stiffness(*block, first, count, own);
            }));
  }
  for (std::size_t k = 0; k < assembly.springs.size(); ++k) {
    const Spring& spring = assembly.springs[k];
    const VectorXd forces = forces_of_spring(assembly, k, motions, acting);
    for (const std::size_t end : {0U, 1U})
      if (spring.nodes[end] >= 0)
        add_arm(sum, spring.nodes[end], spring.point - assembly.position(spring.nodes[end]),
                -forces.segment<3>(6 * static_cast<Index>(end)));
  }
  for (const PointMass& body : assembly.masses)
    add_arm(sum, body.node, body.offset, body.mass * acting.field.value_or(Vector3::Zero()));
  const ForcesOnFollowers on_followers(assembly, motions, acting);
  for (const RigidLink& link : assembly.links)
    for (const int node : link.follow)
      add_arm(sum, link.lead, assembly.position(node) - assembly.position(link.lead), on_followers.on(node));
  return sum.finish(threads);
}

void stiffen(System& system, Partitioned geometric, bool grounded) {
  for (Partitioned* matrix : {&system.stiffness, &system.own_stiffness}) {
    matrix->ff += geometric.ff;
    matrix->fs += geometric.fs;
    matrix->ss += geometric.ss;
  }
  system.geometric = std::move(geometric);
  system.grounded = grounded;
}

}  // namespace avrenk
