/// core/system/system.h: the equations of motion of an Assembly on a moving base (theory 2).
///
/// Motion of every node, u = T [u_f; u_s]: the free unknowns u_f, and the support motions u_s = E u_b, six for each
/// held node ("foot"), driven by the motions u_b of the bases, six each (n_b = 6 x bases). Followers of rigid links are
/// eliminated by T, ground nodes are zero. Keeping the feet apart costs nothing and gives the reaction of each single
/// foot.
#pragma once

#include <optional>
#include <vector>

#include "core/error.h"
#include "core/model/assembly.h"
#include "core/system/factorisation.h"

namespace avrenk {

/// A symmetric matrix cut along free (f) and support (s) unknowns.
struct Partitioned {
  SparseMatrix ff, fs, ss;
  Partitioned() = default;
  Partitioned(const Partitioned&) = default;
  Partitioned& operator=(const Partitioned&) = default;
  Partitioned(Partitioned&& other) noexcept { swap(other); }  // Eigen's own would copy
  Partitioned& operator=(Partitioned&& other) noexcept {
    swap(other);
    return *this;
  }
  ~Partitioned() = default;

 private:
  void swap(Partitioned& other) noexcept {
    ff.swap(other.ff);
    fs.swap(other.fs);
    ss.swap(other.ss);
  }
};

struct System {
  int free = 0;                     ///< n_f
  int supports = 0;                 ///< n_s = 6 x number of feet
  SparseMatrix transformation;      ///< Tᵀ, (n_f + n_s) x 6 N: one column for each component of each node (see row())
  Eigen::MatrixXd support_motion;   ///< E, n_s x n_b
  Eigen::MatrixXd together;         ///< G, n_b x 6: motions of the bases when all move as one body about the reference
  Eigen::MatrixXd rigid;            ///< R, n_f x 6: free unknowns when the whole model moves so
  std::vector<int> node_of_column;  ///< for each free unknown
  std::vector<int> component_of_column;  ///< 0..5 = x y z rx ry rz, for each free unknown
  std::vector<int> coordinate_nodes{};   ///< of components: what they hold is no motion

  /// Columns of the model's loads: what acts on the free unknowns, and on the supports that hold what they act on.
  SparseMatrix loads, support_loads;  ///< n_f x n_l, n_s x n_l

  Partitioned mass;       ///< M
  Partitioned stiffness;  ///< K
  Partitioned dashpot;    ///< C: dashpots only
  Partitioned loss;       ///< K_η = Σ η_e K_e over elements with a loss factor of their own
  /// What the general damping has no part in: Σ K_e over elements with a damping source of their own (loss factor or
  /// dashpot), and K_σ of a preloaded state.
  Partitioned own_stiffness;
  /// K_σ, which is in `stiffness` then, and not damped; empty: there is no preload.
  std::optional<Partitioned> geometric;
  std::optional<bool> grounded;  ///< found before K_σ was there: dead loads hold a model that turns

  /// False of a node of solids alone: it has no rotation.
  [[nodiscard]] bool has_rotation(int node) const;
  /// Row of T for one component of one node: coefficients on the n_f + n_s unknowns.
  [[nodiscard]] Eigen::SparseVector<double> row(int node, int component) const;
  /// T [u_f; 0]: the six motions of every node while the supports stand still, 6 N x k, and the coordinates of
  /// components at the nodes that hold them: what energies are made of.
  /// @param unknowns  u_f, n_f x k
  [[nodiscard]] Eigen::MatrixXd motions_and_coordinates(const Eigen::MatrixXd& unknowns) const;
  /// The motions alone: nodes that hold coordinates stand still.
  [[nodiscard]] Eigen::MatrixXd motions(const Eigen::MatrixXd& unknowns) const;
};

/// Motions of a beam's two ends from those of its nodes: rigid arms where an end lies off its node.
[[nodiscard]] BeamMatrix beam_arms(const Assembly& assembly, const BeamElement& beam);

/// Consistent forces on the two nodes of a beam of a force per length along its centroids, N/m: 12 x 3, global axes.
[[nodiscard]] Eigen::Matrix<double, 12, 3> line_load_at_nodes(const Assembly& assembly, const BeamElement& beam);

/// Forces and moments of one load column on each node that it acts on, a field left out, from outside the model.
[[nodiscard]] std::map<int, Vector6> outer_forces(const Assembly& assembly, const LoadColumn& column);
/// The same, and those that go with the free shape of elements: see free_shape.h.
[[nodiscard]] std::map<int, Vector6> forces_on_nodes(const Assembly& assembly, const LoadColumn& column);

/// Numbers the unknowns; K, M and the matrices of damping stay empty. Enough for the motion of every node by modes
/// whose products with those matrices are known. Loads that are fields of acceleration, which take M, stay empty too.
/// @throws InputError  as make_system, but for what is seen in the matrices
[[nodiscard]] System number_system(const Assembly& assembly);

/// Numbers the unknowns and assembles the matrices.
/// @throws InputError  a node follows two leads, links form a ring, a held node follows, no node is held; a stiffness
/// or mass beyond all numbers, a load on what has no unknown to take it
/// @param threads  0: one a processor; the result does not depend on it
[[nodiscard]] System make_system(const Assembly& assembly, int threads = 0);

/// Forces of an acceleration of all mass, as gravity is one, on the free unknowns and on the supports: M (R a).
struct FieldForces {
  Eigen::VectorXd free, supports;
};
[[nodiscard]] FieldForces forces_of_field(const System& system, const Vector3& acceleration);

/// The columns of the assembly's loads anew, after some were added.
void refresh_loads(const Assembly& assembly, System& system);

/// Static solutions that everything downstream shares.
struct StaticSolution {
  Eigen::MatrixXd influence;  ///< B = −K_ff⁻¹ K_fs E, n_f x n_b; exactly R where one base moves the model rigidly
  Eigen::MatrixXd inertia_load;       ///< P = M_ff B + M_fs E, n_f x n_b: kg, kg m
  Eigen::MatrixXd unit_acceleration;  ///< K_ff⁻¹ P, n_f x n_b: deflection under −1 (m/s²) of each base motion
  double rigid_difference = 0;        ///< largest |B G − R| over the translations, per unit motion and model size
  bool grounded = false;              ///< rigid_difference above rigid_tolerance: something holds besides the bases
  bool moves_rigidly = true;          ///< one base, and not grounded
};

/// Whether something holds the model besides its bases, and whether these move it rigidly, from how far B is from a
/// rigid motion.
void judge_rigidity(const System& system, StaticSolution& statics);

/// |B G − R| below this is rounding: conditioning 1e10 times epsilon 1e-16, and a decade.
inline constexpr double rigid_tolerance = 1e-5;

/// Refuses what needs no factorisation to be seen.
/// @throws InputError  nothing can move, a group of nodes is joined to nothing that is held, an unknown has no
/// stiffness
void refuse_loose(const Assembly& assembly, const System& system);

/// Factorises K_ff and checks it.
/// @throws InputError  a part of the model can move freely: says which part, and how
[[nodiscard]] Factorisation factorise_stiffness(const Assembly& assembly, const System& system,
                                                const EliminationOrder& order);
[[nodiscard]] inline Factorisation factorise_stiffness(const Assembly& assembly, const System& system) {
  return factorise_stiffness(assembly, system, {system.stiffness.ff, system.node_of_column});
}

/// B, P and K⁻¹P, and whether the bases as one body move the model without strain (theory: equations of motion).
/// @param stiffness  the factors of K_ff
[[nodiscard]] StaticSolution solve_statics(const System& system, const Factorisation& stiffness);

}  // namespace avrenk
