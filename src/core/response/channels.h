/// core/response/channels.h: the rows of everything that can be asked for (derivation: docs/theory.md, "Channels").
#pragma once

#include <array>
#include <functional>

#include "core/model/assembly.h"
#include "core/model/mass_properties.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/joint_force.h"
#include "core/response/motion_rows.h"
#include "core/response/transfer.h"

namespace avrenk {

/// What a node does. Relative: less the motion that the base alone would give it (of several bases: less the
/// quasi-static motion B u_b); absolute: as an accelerometer on it reads.
enum class NodeMotion {
  relative_displacement,
  absolute_displacement,
  relative_velocity,
  absolute_velocity,
  relative_acceleration,
  absolute_acceleration,
  relative_rotation,
  absolute_rotation,
};

/// Makes channels for one damped modal basis. Holds references to all it is given.
class Channels {
 public:
  Channels(const Assembly& assembly, const System& system, const ModalBasis& basis, const ModalDamping& damping);

  /// Three rows, global axes: m, m/s, m/s² or rad.
  [[nodiscard]] Eigen::MatrixXcd motion(int node, NodeMotion quantity) const;

  /// Three rows on q and u_b alone, m; twice derived on their accelerations: 3 x (m + n_b).
  [[nodiscard]] Eigen::MatrixXd translation(int node, bool absolute) const;

  /// One row, m: motion of the second node from the first along a direction that turns with the base, by the mean
  /// rotation θ of all where there are several: n·(u₂ − u₁ − θ × (x₂ − x₁)). A rigid motion of all gives none.
  [[nodiscard]] Eigen::MatrixXcd approach(const std::array<int, 2>& nodes, const Vector3& along) const;

  /// kg, of the whole model.
  [[nodiscard]] double total_mass() const { return basis_.rigid_mass(0, 0); }

  /// Six rows, spring axes: second end less first (m ×3, rad ×3).
  [[nodiscard]] Eigen::MatrixXcd spring_travel(int spring) const;

  /// Six rows, spring axes: stiffness and damping force together (N ×3, N m ×3), positive when it resists positive
  /// travel.
  [[nodiscard]] Eigen::MatrixXcd spring_force(int spring) const;

  /// Twelve rows N Vy Vz T My Mz at end 1, then 2, beam axes, damping force included (N, N m).
  [[nodiscard]] Eigen::MatrixXcd beam_forces(int beam) const;
  /// The same rows before damping: on the columns of strain, then on those of the loads (forces per length shift them).
  [[nodiscard]] Eigen::MatrixXd beam_rows(int beam) const;
  [[nodiscard]] Eigen::Index beam_columns() const { return strain_columns() + layout_.loads; }
  /// Channels from such rows. @param loss_factor  of the material; absent: the general damping
  [[nodiscard]] Eigen::MatrixXcd from_beam_rows(const Eigen::MatrixXd& rows,
                                                const std::optional<double>& loss_factor) const;

  /// Six rows, global axes: force (N) and moment (N m) about the side's point that a joint puts on what follows there,
  /// damping and inertia included.
  [[nodiscard]] Eigen::MatrixXcd joint_force(const JointSide& side) const;

  /// Columns of strain: q, the motions of the bases where they strain the model, and loads that warm parts of it.
  [[nodiscard]] Eigen::Index strain_columns() const { return layout_.modes + strained_by_bases() + std::ssize(warm_); }
  /// Motions of nodes as rows on them. Refers to what these channels were made for.
  [[nodiscard]] MotionRows strain_rows() const;
  /// Channels from rows on the columns of strain: stresses, damping included.
  /// @param loss_factor  of the material; absent: the general damping
  [[nodiscard]] Eigen::MatrixXcd from_strain(const Eigen::MatrixXd& rows,
                                             const std::optional<double>& loss_factor) const;
  /// False of a point that nothing joins to the model.
  [[nodiscard]] bool moves(int node) const {
    return assembly_.nodes[static_cast<std::size_t>(node)].is_place() &&
           system_.transformation.col(6 * node).nonZeros() > 0;
  }
  [[nodiscard]] bool has_rotation(int node) const { return system_.has_rotation(node); }

  /// Six rows, global axes: force (N) and moment (N m) about a point that one base puts on the model.
  [[nodiscard]] Eigen::MatrixXcd base_reaction(int base, const Vector3& about) const;

  /// The same of one foot (index into Assembly::feet()). @pre the modes were solved with ModeRequest::feet
  [[nodiscard]] Eigen::MatrixXcd foot_reaction(int foot, const Vector3& about) const;

 private:
  [[nodiscard]] Eigen::Index strained_by_bases() const { return basis_.statics.moves_rigidly ? 0 : layout_.motions; }
  // Rows on the raw motions of two nodes, as real rows on q (m columns) and u_b (n_b columns).
  struct ElasticRows {
    Eigen::MatrixXd modal, base;
  };
  [[nodiscard]] ElasticRows elastic_rows(const Eigen::MatrixXd& rows, const std::array<int, 2>& nodes) const;
  [[nodiscard]] ElasticRows node_rows(int node) const;
  // The same, less what the base alone would give it unless it is absolute.
  [[nodiscard]] ElasticRows motion_rows(int node, bool absolute) const;
  // Adds the damping that goes with an elastic force: its own loss factor or dashpot, or the general rule.
  [[nodiscard]] Eigen::MatrixXcd with_damping(const ElasticRows& elastic, const std::optional<double>& loss_factor,
                                              bool has_dashpot) const;
  // Of all columns of loads, with their columns in the state.
  void each_load(const std::function<void(const LoadColumn& load, int column)>& take) const;
  [[nodiscard]] Eigen::MatrixXcd reaction_rows(const SupportReaction& reaction, int base, const Vector3& about) const;

  const Assembly& assembly_;
  const System& system_;
  const ModalBasis& basis_;
  const ModalDamping& damping_;
  StateLayout layout_;
  std::vector<std::pair<const LoadColumn*, int>> warm_;  // loads that warm parts, with their columns in the state
  Eigen::VectorXd left_to_elements_;  // 1 of modes whose damping is that of the elements, 0 where it was given
};

}  // namespace avrenk
