/// core/response/joint_force.h: the force that passes through a joint without stiffness of its own: a rigid link, a
/// weighted average, an attachment (derivation: docs/theory.md, "Forces in joints").
#pragma once

#include <map>

#include "core/model/assembly.h"

namespace avrenk {

/// What follows in a joint at one place: the nodes behind one lead, one end, edge or face.
struct JointSide {
  std::vector<int> nodes;
  Vector3 point = Vector3::Zero();  ///< the mean of the nodes
};
/// What follows in a joint without stiffness, piece by piece: each lead of a rigid joint, each patch of an attachment,
/// each node of an average.
[[nodiscard]] std::vector<JointSide> joint_sides(const Assembly& assembly, const std::string& joint);

/// Rows on the six motions of nodes whose sum is the force (N) and moment (N m) about a point that the joint puts on
/// what follows: it is what the elements, springs and bodies behind the joint need to be moved so,
///
///     F = Wᵀ (K u + C u̇ + M ü + … − f),   W = motions of all nodes when those that follow move as one rigid body,
///
/// nodes that follow them in turn included and all others at rest.
struct JointRows {
  using Rows = std::map<int, Matrix6>;
  Rows stiffness;      ///< of elements under the general damping
  Rows own_stiffness;  ///< of those with a loss factor or dashpot of their own
  Rows loss;           ///< Σ η K of those
  Rows dashpot, mass;
  std::map<int, Matrix6> moved;  ///< W, node by node
};
[[nodiscard]] JointRows joint_rows(const Assembly& assembly, const JointSide& side);
/// Wᵀf of what a load column puts on what is behind the joint, per unit.
[[nodiscard]] Vector6 applied_behind(const Assembly& assembly, const JointRows& rows, const LoadColumn& load);

}  // namespace avrenk
