/// core/model/joint.h: what holds parts together without stiffness of its own.
#pragma once

#include <string>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

/// What the plan calls a joint; springs, links and followers name theirs.
struct Joint {
  enum class Type {
    rigid,
    average,
    attachment,
    spring,
    bolt,
    merge,
    contact,
    recovery
  };  ///< recovery: points of a component
  std::string name;
  Type type = Type::rigid;
  [[nodiscard]] bool has_springs() const { return type == Type::spring || type == Type::bolt || type == Type::contact; }
};

/// `follow` moves with `lead` as one rigid body (small rotations).
struct RigidLink {
  std::string joint;
  int lead = 0;
  std::vector<int> follow;
};

/// A node that moves with many others (small rotations): its six motions are Σ A_k u_k over its leads, and it has no
/// unknowns of its own. A rigid motion of all leads carries it along exactly.
struct Follower {
  std::string joint;
  Joint::Type type = Joint::Type::average;  ///< or attachment, or bolt: the footprint of one
  int node = 0;
  std::vector<int> leads;
  Eigen::Matrix<double, 6, Eigen::Dynamic> shares;  ///< A, 6 x 6 leads: 1, m, 1/m
  double gap = 0;  ///< m: from the node to what carries it, the thickness of shells taken off
  int patch = 0;   ///< those of one joint that form one face, edge or end have the same number
};

}  // namespace avrenk
