/// core/system/numbering.h: which unknowns the model has, and how each motion of each node follows from them.
#pragma once

#include <array>
#include <span>
#include <utility>
#include <vector>

#include "core/element/discrete.h"
#include "core/model/assembly.h"

namespace avrenk {

/// A node that joints carry: its six motions are Σ A_k u_k over roots, which nothing carries.
struct Carried {
  std::vector<int> roots;                            ///< ascending
  Eigen::Matrix<double, 6, Eigen::Dynamic> motions;  ///< A, 6 x 6 roots
};

/// For each node the index of what carries it in the list beside it; −1: nothing does, it is a root. Chains of links
/// and followers are followed to their roots.
/// @throws InputError  a node follows in two joints, or joints form a ring
struct CarriedNodes {
  explicit CarriedNodes(const Assembly& assembly);
  std::vector<int> index;
  std::vector<Carried> carried;
};

/// Numbers the free unknowns node by node. A node that follows a rigid link moves with its root; a held one with its
/// base. A node has rotations only if something can resist or use them: beams, shells, springs off the node, bodies
/// with inertia, links with an arm; nodes of solids, springs at the node and bodies without inertia alone have three
/// translations.
class Numbering {
 public:
  /// @throws InputError  a node follows in two joints, joints form a ring, a held node follows, a base holds nothing
  explicit Numbering(const Assembly& assembly);

  /// Unknowns are 0 … free − 1, then the motions of the supports: free + 6 · foot + motion.
  using Row = std::vector<std::pair<int, double>>;
  /// Each of the six motions of a node in terms of the unknowns.
  void rows(int node, std::array<Row, 6>& out) const;

  /// Nothing carries it: its motions are unknowns of its own.
  [[nodiscard]] bool is_plain(int node) const {
    const auto n = static_cast<std::size_t>(node);
    return joints_.index[n] < 0 && foot_[n] < 0;
  }
  /// The nodes whose unknowns carry a node; itself if nothing does.
  [[nodiscard]] std::span<const int> roots(int node) const {
    const int index = joints_.index[static_cast<std::size_t>(node)];
    return index < 0 ? std::span(&self_[static_cast<std::size_t>(node)], 1)
                     : std::span<const int>(joints_.carried[static_cast<std::size_t>(index)].roots);
  }
  /// First free unknown of a root, and how many follow one another.
  [[nodiscard]] int first(int root) const { return first_[static_cast<std::size_t>(root)]; }
  [[nodiscard]] int count(int root) const {
    return first_[static_cast<std::size_t>(root) + 1] - first_[static_cast<std::size_t>(root)];
  }
  [[nodiscard]] int nodes() const { return static_cast<int>(self_.size()); }

  int free = 0, supports = 0;
  std::vector<int> node_of_column, component_of_column;

 private:
  [[nodiscard]] const Vector3& base_point(int foot) const {
    return assembly_.bases[static_cast<std::size_t>(feet_[static_cast<std::size_t>(foot)].first)].point;
  }
  [[nodiscard]] std::vector<bool> find_rotations() const;
  void add_rows(int root, const Matrix6& share, std::array<Row, 6>& out) const;

  const Assembly& assembly_;
  CarriedNodes joints_;
  std::vector<int> self_, foot_, first_;  // self_[n] = n
  std::vector<std::pair<int, SupportNode>> feet_;
  std::vector<std::array<int, 6>> column_;  // of each motion of each root; −1: none
};

/// Stiffness and dashpot matrix of a spring on the six motions of its two nodes.
/// Travel in its own axes of a spring from the motions of its two nodes: see travel_rows.
[[nodiscard]] TravelRows spring_travel_rows(const Assembly& assembly, const Spring& spring);
[[nodiscard]] SpringMatrix spring_stiffness(const Assembly& assembly, const Spring& spring);
[[nodiscard]] SpringMatrix spring_dashpot(const Assembly& assembly, const Spring& spring);

}  // namespace avrenk
