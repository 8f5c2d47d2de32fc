#include "core/system/geometric.h"

#include <algorithm>
#include <array>
#include <map>
#include <memory>
#include <optional>

#include "core/system/energy.h"
#include "core/system/gather.h"

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

// What elements and loads put on the nodes that follow in rigid links, N.
class ForcesOnFollowers {
 public:
  ForcesOnFollowers(const Assembly& assembly, const VectorXd& motions, const DeadLoads& loads) {
    for (const RigidLink& link : assembly.links)
      for (const int node : link.follow) forces_[node] = Vector3::Zero();
    if (forces_.empty()) return;
    for (const BeamElement& beam : assembly.beams)
      if (touches(beam.nodes)) {
        const BeamMatrix arms = beam_arms(assembly, beam);
        take(-(arms.transpose() * stiffness(beam.geometry, assembly.properties(beam)) * arms) *
                 motions_of_nodes(motions, beam.nodes, 6),
             beam.nodes, 6);
      }
    for (const Spring& spring : assembly.springs)
      if (touches(spring.nodes))
        take(-spring_stiffness(assembly, spring) * motions_of_nodes(motions, spring.nodes, 6), spring.nodes, 6);
    for (const ElementGroup& group : assembly.groups) {
      std::optional<ElementBlock> block;
      for (std::size_t e = 0; e < group.elements(); ++e) {
        const auto nodes = group.element(e);
        if (!touches(nodes)) continue;
        if (!block) block = assembly.block(group);
        take(-stiffness(*block, static_cast<Index>(e), 1) * motions_of_nodes(motions, nodes, group.kind->motions),
             nodes, group.kind->motions);
      }
    }
    for (const PointMass& body : assembly.masses)
      if (const auto found = forces_.find(body.node); found != forces_.end())
        found->second += body.mass * loads.acceleration;
    for (const auto& [node, force] : loads.on_nodes)
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

Partitioned geometric_stiffness(const Assembly& assembly, const VectorXd& motions, const DeadLoads& loads,
                                int threads) {
  const Numbering numbering(assembly);
  Gatherer sum(numbering);
  for (const BeamElement& beam : assembly.beams) {
    const BeamProperties properties = assembly.properties(beam);
    const BeamMatrix arms = beam_arms(assembly, beam);
    const VectorXd ends = arms * motions_of_nodes(motions, beam.nodes, 6);
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
    sum.add(group, Gatherer::telling(assembly, group, [block, &group, &motions](Index first, Index count) {
              const Index rows = group.kind->motions * group.kind->nodes;
              MatrixXd own(rows, count);
              for (Index e = 0; e < count; ++e)
                own.col(e) =
                    motions_of_nodes(motions, group.element(static_cast<std::size_t>(first + e)), group.kind->motions);
              return geometric_stiffness(*block, first, count, own);
            }));
  }
  for (const Spring& spring : assembly.springs) {
    const VectorXd forces = spring_stiffness(assembly, spring) * motions_of_nodes(motions, spring.nodes, 6);
    for (const std::size_t end : {0U, 1U})
      if (spring.nodes[end] >= 0)
        add_arm(sum, spring.nodes[end], spring.point - assembly.position(spring.nodes[end]),
                -forces.segment<3>(6 * static_cast<Index>(end)));
  }
  for (const PointMass& body : assembly.masses) add_arm(sum, body.node, body.offset, body.mass * loads.acceleration);
  const ForcesOnFollowers on_followers(assembly, motions, loads);
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
