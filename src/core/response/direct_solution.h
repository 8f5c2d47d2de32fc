/// core/response/direct_solution.h: the full equations at one frequency, with all unknowns of the model, and the forces
/// that its answers make by equilibrium: nothing here goes through modes or the rows of channels (theory 3).
#pragma once

#include "core/modes/damping.h"
#include "core/response/joint_force.h"
#include "core/response/transfer.h"
#include "core/system/system.h"

namespace avrenk {

/// −P ü_b − … + f on the free unknowns, n_f x k. @param damping  of the quasi-static motion, by the general rule
[[nodiscard]] Eigen::MatrixXcd loads_of(const System& system, const StaticSolution& statics,
                                        const ModalDamping& damping, const InputColumns& inputs, double omega);

/// (K − ω²M + iωC + iK_η + general damping) y = −P ü_b − … + f, one complex factorisation. Damping acts element by
/// element; a general ratio ζ and values given near a frequency are properties of modes: on those below four times the
/// frequency damping is what the modal answer takes, D + MΦ Δ ΦᵀM solved by the Sherman–Morrison–Woodbury formula, and
/// the ratio a loss factor 2ζ(f) on all else. Refers to what it is given.
class DirectSolution {
 public:
  /// @throws NumericalError  not enough memory
  DirectSolution(const System& system, const ModalBasis& basis, const ModalDamping& damping, const DampingRule& rule,
                 const EliminationOrder& order, double frequency);

  /// What acts on the free unknowns, n_f x k.
  [[nodiscard]] Eigen::MatrixXcd loads(const InputColumns& inputs) const;
  /// Motions of the free unknowns relative to the quasi-static motion of the bases, n_f x k.
  [[nodiscard]] Eigen::MatrixXcd solve(const InputColumns& inputs) const;

  /// What the supports put on the model: the sum of the forces of all that is fixed to them, Z_sf (y + B u_s) + Z_ss
  /// u_s, less the loads there, on each support motion; and what acts on the free unknowns as a body force, Rayleigh's
  /// α and damping by mode, which a support feels through its static influence.
  struct Forces {
    Eigen::MatrixXcd supports, body;  ///< n_s x k, n_f x k
  };
  /// @param relative  y, n_f x k, of the inputs
  [[nodiscard]] Forces forces(const Eigen::MatrixXcd& relative, const InputColumns& inputs) const;

  /// Six motions of every node, one below the other: relative to the quasi-static motion of the bases, and that motion.
  struct NodeMotions {
    Eigen::VectorXcd relative, carried;
  };
  [[nodiscard]] NodeMotions motions(const Eigen::VectorXcd& relative, const Eigen::VectorXcd& directions) const;
  /// Force (N) and moment (N m) of a joint without stiffness on what follows it: what all elements behind it need, less
  /// what is applied there.
  [[nodiscard]] Eigen::VectorXcd joint_force(const JointRows& behind, const NodeMotions& motions,
                                             const Eigen::VectorXcd& applied) const;

  /// What is added to the forces of elements in `answers` answers here, as if each were a mode: near a mode whose
  /// damping was given, to all of them as much as the modal answer adds.
  [[nodiscard]] ModalDamping force_damping(Eigen::Index answers) const;

 private:
  // What the general damping adds to element stiffness: a loss factor, and a rate on it and on the mass.
  struct General {
    double loss = 0, stiffness_rate = 0, mass_rate = 0;
    bool given = false;  // of the nearest mode, in the place of all that elements have of their own
  };
  using ComplexSparse = Eigen::SparseMatrix<Complex>;
  [[nodiscard]] General general() const;
  [[nodiscard]] General on_elements() const;
  [[nodiscard]] ComplexSparse damping_matrix(const General& general, SparseMatrix Partitioned::*block) const;
  [[nodiscard]] ComplexSparse matrix() const;
  void damp_modes();

  const System& system_;
  const ModalBasis& basis_;
  const ModalDamping& modal_damping_;
  const DampingRule& rule_;
  double frequency_, omega_;
  ComplexSparse damping_;
  ComplexFactorisation factor_;
  Eigen::MatrixXcd modes_, solved_modes_, correction_, inner_;
};

}  // namespace avrenk
