/// core/system/numbering.h: which unknowns the model has, and how each motion of each node follows from them.
#pragma once

#include <array>
#include <utility>
#include <vector>

#include "core/model/assembly.h"

namespace avrenk {

/// Numbers the free unknowns node by node. A node that follows a rigid link moves with its root; a held one with its
/// base. A node has rotations only if something can resist or use them: beams, shells, springs off the node, bodies
/// with inertia, links with an arm; nodes of solids alone have three translations.
class Numbering {
 public:
  /// @throws InputError  a node follows two leads, links form a ring, a held node follows, no node is held
  explicit Numbering(const Assembly& assembly);

  /// Unknowns are 0 … free − 1, then the motions of the supports: free + 6 · foot + motion.
  using Row = std::vector<std::pair<int, double>>;
  /// Each of the six motions of a node in terms of the unknowns.
  void rows(int node, std::array<Row, 6>& out) const;

  /// Nothing carries it: its motions are unknowns of its own.
  [[nodiscard]] bool is_plain(int node) const {
    const auto n = static_cast<std::size_t>(node);
    return root_[n] == node && foot_[n] < 0;
  }
  [[nodiscard]] int root(int node) const { return root_[static_cast<std::size_t>(node)]; }
  /// First free unknown of a root, and how many follow one another.
  [[nodiscard]] int first(int root) const { return first_[static_cast<std::size_t>(root)]; }
  [[nodiscard]] int count(int root) const {
    return first_[static_cast<std::size_t>(root) + 1] - first_[static_cast<std::size_t>(root)];
  }
  [[nodiscard]] int nodes() const { return static_cast<int>(root_.size()); }

  int free = 0, supports = 0;
  std::vector<int> node_of_column, component_of_column;

 private:
  [[nodiscard]] const Vector3& base_point(int foot) const {
    return assembly_.bases[static_cast<std::size_t>(feet_[static_cast<std::size_t>(foot)].first)].point;
  }
  [[nodiscard]] std::vector<bool> find_rotations() const;

  const Assembly& assembly_;
  std::vector<int> root_, foot_, first_;
  std::vector<std::pair<int, Foot>> feet_;
  std::vector<std::array<int, 6>> column_;  // of each motion of each root; −1: none
};

/// Stiffness and dashpot matrix of a spring on the six motions of its two nodes.
[[nodiscard]] SpringMatrix spring_stiffness(const Assembly& assembly, const Spring& spring);
[[nodiscard]] SpringMatrix spring_dashpot(const Assembly& assembly, const Spring& spring);

}  // namespace avrenk
