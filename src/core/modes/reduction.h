/// core/modes/reduction.h: a model reduced to the motions of what holds it and a few modes (docs/theory.md,
/// "Components").
#pragma once

#include "core/model/reduced_model.h"
#include "core/modes/modal_basis.h"

namespace avrenk {

/// A node whose motions the reduced model gives, and what it is called.
struct WatchedPoint {
  std::string name;
  int node = 0;
};

/// Craig & Bampton, AIAA J. 6(7), 1968: u_f = Ψ u_s + Φ q, Ψ = −K_ff⁻¹K_fs of every held direction of every foot (the
/// interface), Φ the modes of the held model. With them
///
///     K = [K_ss + K_sf Ψ, 0; 0, Λ],   M = [M_ss + M_sf Ψ + Ψᵀ(M_fs + M_ff Ψ), Pᵀ; P, I],   P = Φᵀ(M_fs + M_ff Ψ)
///
/// C and K_η in the same motions. Residual vectors, loads and base motion have no part in it.
/// @param basis  its modes are kept, and nothing else of it
/// @pre all feet hold all directions that their nodes have
/// @throws InputError  a foot is free in some direction
[[nodiscard]] ReducedModel reduce(const Assembly& assembly, const System& system, const ModalBasis& basis,
                                  const std::vector<WatchedPoint>& points);

/// A reduced model beside the full one, with nothing held, and driven at its interface.
struct ReductionCheck {
  struct Mode {
    double full = 0, reduced = 0;  ///< Hz
    double mac = 0;                ///< of translations of interface and points
  };
  std::vector<Mode> modes;  ///< elastic ones of the free structure, to two thirds of the bound
  struct Input {
    double frequency = 0;  ///< Hz
    double error = 0;      ///< of the motions of the points and the forces on the interface, of the largest of each
  };
  std::vector<Input> inputs;   ///< unit motions of the interface, without damping
  std::string why_no_modes{};  ///< where there are none
};
[[nodiscard]] ReductionCheck check_reduction(const Assembly& assembly, const System& system, const ReducedModel& model,
                                             const std::vector<WatchedPoint>& points, int threads = 0,
                                             const Progress& progress = {});

/// Modes of a structure on a base that moves as a rigid body, as somebody else found them.
struct SuppliedModes {
  Vector3 about = Vector3::Zero();   ///< m: the point of the base
  Eigen::VectorXd frequency;         ///< Hz
  Eigen::VectorXd modal_mass;        ///< kg, of the shapes as they are scaled
  Eigen::MatrixXd participation;     ///< φᵀM R about the point, m x 6: kg, kg m
  Eigen::VectorXd zeta, eta;         ///< of each mode; empty: not known
  double mass = 0;                   ///< kg, of the whole
  std::optional<Vector3> centre{};   ///< of gravity
  std::optional<Matrix3> inertia{};  ///< kg m², about it
  std::vector<std::string> names{};
  std::vector<Vector3> points{};
  Eigen::MatrixXd shapes{};    ///< 6 p x m
  bool has_rotations = false;  ///< of the points; else they are not known, and none can be watched
};

/// The same as a component with one node of six motions: M_rr = Rᵀ M R of the whole, P = φᵀM R/√m, Λ. What the modes
/// leave of the mass rides on the base.
/// @throws InputError  the modes carry more mass than there is: says along which axis, and how much
[[nodiscard]] ReducedModel as_component(const SuppliedModes& modes);

}  // namespace avrenk
