#include "core/response/joint_force.h"

#include <algorithm>
#include <optional>
#include <set>

#include "core/element/discrete.h"
#include "core/element/kinds.h"
#include "core/system/numbering.h"
#include "core/system/system.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

// Motions of all nodes that the side moves: itself as a rigid body, and what follows it through other joints.
std::map<int, Matrix6> moved_nodes(const Assembly& assembly, const JointSide& side) {
  std::map<int, Matrix6> moved;
  for (const int node : side.nodes) moved[node] = rigid_arm(side.point, assembly.position(node));
  const std::set<int> followers(side.nodes.begin(), side.nodes.end());
  // Joints form no ring, so that as many rounds as there are joints in a chain settle everything.
  for (bool again = true; again;) {
    again = false;
    const auto set = [&](int node, const Matrix6& motion) {
      if (followers.contains(node)) return;
      const auto [place, fresh] = moved.try_emplace(node, motion);
      if (!fresh && place->second == motion) return;
      place->second = motion;
      again = true;
    };
    for (const RigidLink& link : assembly.links)
      if (const auto lead = moved.find(link.lead); lead != moved.end()) {
        const Matrix6 motion = lead->second;
        for (const int node : link.follow)
          if (node != link.lead) set(node, rigid_arm(assembly.position(link.lead), assembly.position(node)) * motion);
      }
    for (const Follower& follower : assembly.followers) {
      Matrix6 sum = Matrix6::Zero();
      bool any = false;
      for (std::size_t k = 0; k < follower.leads.size(); ++k)
        if (const auto lead = moved.find(follower.leads[k]); lead != moved.end()) {
          any = true;
          sum += follower.shares.middleCols<6>(6 * static_cast<Index>(k)) * lead->second;
        }
      if (any) set(follower.node, sum);
    }
  }
  return moved;
}

class SideRows {
 public:
  explicit SideRows(const std::map<int, Matrix6>& moved) : moved_(moved) {}

  [[nodiscard]] bool touches(std::span<const int> nodes) const {
    return std::any_of(nodes.begin(), nodes.end(), [&](int node) { return moved_.contains(node); });
  }
  // Wᵀ X of one element, X on `motions` motions of each of its nodes.
  void add(const MatrixXd& element, std::span<const int> nodes, JointRows::Rows& rows) const {
    const Index motions = element.rows() / static_cast<Index>(nodes.size());
    MatrixXd w = MatrixXd::Zero(element.rows(), 6);
    for (std::size_t i = 0; i < nodes.size(); ++i)
      if (const auto found = moved_.find(nodes[i]); found != moved_.end())
        w.middleRows(motions * static_cast<Index>(i), motions) = found->second.topRows(motions);
    const MatrixXd left = w.transpose() * element;
    for (std::size_t i = 0; i < nodes.size(); ++i) {
      if (nodes[i] < 0) continue;
      Matrix6& sum = rows.try_emplace(nodes[i], Matrix6::Zero()).first->second;
      sum.leftCols(motions) += left.middleCols(motions * static_cast<Index>(i), motions);
    }
  }

 private:
  const std::map<int, Matrix6>& moved_;
};

}  // namespace

std::vector<JointSide> joint_sides(const Assembly& assembly, const std::string& joint) {
  std::vector<JointSide> sides;
  for (const RigidLink& link : assembly.links)
    if (link.joint == joint && !link.follow.empty()) sides.push_back({link.follow});
  std::map<int, std::vector<int>> patches;
  for (const Follower& follower : assembly.followers)
    if (follower.joint == joint) patches[follower.patch].push_back(follower.node);
  for (auto& [patch, nodes] : patches) sides.push_back({std::move(nodes)});
  for (JointSide& side : sides)
    for (const int node : side.nodes) side.point += assembly.position(node) / static_cast<double>(side.nodes.size());
  return sides;
}

JointRows joint_rows(const Assembly& assembly, const JointSide& side) {
  JointRows rows;
  rows.moved = moved_nodes(assembly, side);
  const SideRows rows_of_side(rows.moved);
  const auto add = [&](const MatrixXd& k, std::span<const int> nodes, const std::optional<double>& loss_factor) {
    rows_of_side.add(k, nodes, loss_factor ? rows.own_stiffness : rows.stiffness);
    if (loss_factor) rows_of_side.add(*loss_factor * k, nodes, rows.loss);
  };
  for (const BeamElement& beam : assembly.beams) {
    if (!rows_of_side.touches(beam.nodes)) continue;
    const BeamProperties properties = assembly.properties(beam);
    const BeamMatrix arms = beam_arms(assembly, beam);
    add(arms.transpose() * stiffness(beam.geometry, properties) * arms, beam.nodes,
        assembly.material_of(beam.part).loss_factor);
    rows_of_side.add(arms.transpose() * mass(beam.geometry, properties) * arms, beam.nodes, rows.mass);
  }
  for (const ElementGroup& group : assembly.groups) {
    std::optional<ElementBlock> block;
    for (std::size_t e = 0; e < group.elements(); ++e) {
      if (!rows_of_side.touches(group.element(e))) continue;
      if (!block) block = assembly.block(group);
      const auto index = static_cast<Index>(e);
      add(stiffness(*block, index, 1), group.element(e), assembly.material_of(group.part).loss_factor);
      rows_of_side.add(mass(*block, index, 1), group.element(e), rows.mass);
    }
  }
  for (const Component& component : assembly.components) {
    if (!rows_of_side.touches(component.nodes)) continue;
    rows_of_side.add(component.stiffness, component.nodes,
                     component.has_own_damping() ? rows.own_stiffness : rows.stiffness);
    rows_of_side.add(component.mass, component.nodes, rows.mass);
    if (component.loss.size() > 0) rows_of_side.add(component.loss, component.nodes, rows.loss);
    if (component.dashpot.size() > 0) rows_of_side.add(component.dashpot, component.nodes, rows.dashpot);
  }
  for (const Spring& spring : assembly.springs) {
    if (!rows_of_side.touches(spring.nodes)) continue;
    const SpringMatrix k = spring_stiffness(assembly, spring);
    if (spring.has_dashpot()) rows_of_side.add(spring_dashpot(assembly, spring), spring.nodes, rows.dashpot);
    if (spring.has_dashpot() && !spring.loss_factor)
      rows_of_side.add(k, spring.nodes, rows.own_stiffness);
    else
      add(k, spring.nodes, spring.loss_factor);
  }
  for (const PointMass& mass : assembly.masses)
    if (rows_of_side.touches(std::array{mass.node}))
      rows_of_side.add(mass_at_node(mass.mass, mass.inertia, mass.offset), std::array{mass.node}, rows.mass);
  return rows;
}

Vector6 applied_behind(const Assembly& assembly, const JointRows& rows, const LoadColumn& load) {
  Vector6 sum = Vector6::Zero();
  for (const auto& [node, force] : forces_on_nodes(assembly, load))
    if (const auto found = rows.moved.find(node); found != rows.moved.end()) sum += found->second.transpose() * force;
  if (!load.field) return sum;
  Vector6 motion = Vector6::Zero();
  motion.head<3>() = *load.field;
  for (const auto& [node, mass] : rows.mass) sum += mass * motion;
  return sum;
}

}  // namespace avrenk
