/// core/modes/modal_basis.h: normal modes of the held model, proof that none is missing, and residual vectors (theory
/// 3).
#pragma once

#include <functional>
#include <optional>

#include "core/modes/normal_modes.h"
#include "core/modes/reaction.h"
#include "core/request/mode_request.h"
#include "core/system/system.h"

namespace avrenk {

/// Modes first, residual vectors after them, at the end shapes without mass; K and M are diagonal in them. Every column
/// with mass is mass-normalised; those without have ω = ∞ and φᵀKφ = 1.
struct ModalBasis {
  Eigen::VectorXd omega;                ///< rad/s, m
  Eigen::MatrixXd shapes;               ///< Φ, n_f x m, signed so that the largest translation is positive
  int modes = 0;                        ///< the first so many are normal modes
  int massless = 0;                     ///< the last so many have no mass: what loads and dampers bend besides
  Eigen::MatrixXd participation;        ///< L = ΦᵀP, m x n_b: √kg, √kg m, of the motions of the bases
  Eigen::MatrixXd rigid_participation;  ///< m x 6: of all bases moving as one body; L itself for one base
  Eigen::MatrixXd load_participation;   ///< Φᵀf of the model's loads, m x n_l: N/√kg per unit of a load
  Matrix6 rigid_mass;                   ///< RᵀMR of the whole model about its reference point: kg, kg m, kg m²
  StaticSolution statics;
  std::vector<SupportReaction> bases;           ///< in the order of Assembly::bases
  std::vector<SupportReaction> feet;            ///< in the order of Assembly::feet(); empty unless asked for
  bool has_feet = false;                        ///< the reaction of each single foot was asked for
  std::vector<Eigen::MatrixXd> foot_influence;  ///< B_s of each foot, n_f x 6, where they are few (FootShare)

  double proven_below = 0;           ///< Hz: by the pivot count no mode below this is missing
  int counted_below = 0;             ///< modes below it by the pivot count
  bool exhausted = false;            ///< these are all modes that the mass has
  int missing_below = 0;             ///< modes below the lowest one kept: only those near a frequency were asked for
  Eigen::VectorXd residual;          ///< of each mode, ‖Kφ − λMφ‖ / ‖Kφ‖; 0 of free motions
  Eigen::VectorXd nonorthogonality;  ///< of each column, max |ΦᵀMφ − e|
  double factor_entries = 0, factor_operations = 0;
  std::vector<ModeSlice> slices;  ///< factorisations besides that of K: counts, and further shifts
  EigenCost cost;                 ///< of the search for modes
  double ordering_seconds = 0, factor_seconds = 0, count_seconds = 0, eigen_seconds = 0, statics_seconds = 0;

  [[nodiscard]] int size() const { return static_cast<int>(omega.size()); }
  [[nodiscard]] int with_mass() const { return size() - massless; }
  [[nodiscard]] int residual_vectors() const { return with_mass() - modes; }
  /// Λ = φᵀKφ of each column: ω², or 1 without mass.
  [[nodiscard]] Eigen::VectorXd stiffness() const;
  /// Modes of exactly 0 Hz, the first ones.
  [[nodiscard]] int free_motions() const;
  [[nodiscard]] double frequency(int r) const;  ///< Hz
  [[nodiscard]] double largest_residual() const;
  [[nodiscard]] double largest_nonorthogonality() const;
  /// Of all bases moving as one body: L_rd², kg or kg m².
  [[nodiscard]] double effective_mass(int r, int direction) const;
};

/// Factorises K_ff, solves the statics and the modes, counts pivots at the upper end, appends residual vectors and
/// shapes without mass.
/// @param threads  0: one a processor
/// @throws InputError      a mechanism
/// @throws NumericalError  not converged, a mode is missing by the pivot count, or rounding has spoilt what was found
[[nodiscard]] ModalBasis solve_modes(const Assembly& assembly, const System& system, const ModeRequest& request,
                                     int threads = 0, const Progress& progress = {});

/// A sentence where a mode leaves more than 0.1 of its elastic force out of balance or is no number, or shapes overlap
/// in the mass by more than 1e-6; "" where neither is so.
[[nodiscard]] std::string what_is_invalid(const ModalBasis& basis);

/// By how much, relatively, rounding of the stiffness may shift the frequency of each mode: 2ε φᵀDφ/ω², D the diagonal
/// of K, of which turned elements leave 4ε (see null_value). 0 of a free motion.
[[nodiscard]] Eigen::VectorXd frequency_rounding(const System& system, const ModalBasis& basis);

/// Fills in what follows from shapes and static solutions by products alone: participation, rigid mass, reactions. The
/// damping matrices of the system enter here, its stiffness and mass only in ways that the modes fix already.
void derive(const System& system, ModalBasis& basis);

/// Makes the static shapes of a basis anew, residual vectors and shapes without mass, for loads that it was not made
/// with: one factorisation of K, where modes take many times that. @pre the static solutions and modes are those of the
/// system
void complete(const Assembly& assembly, const System& system, const ModeRequest& request, int threads,
              ModalBasis& basis, const Progress& progress = {});

/// K⁻¹B of the stiffness K_ff of a system.
using StaticSolver = std::function<Eigen::MatrixXd(const Eigen::MatrixXd&)>;

/// Appends to the modes of a basis what they leave of its static solutions and of the loads and dampers of a model, as
/// solve_modes does: residual vectors, if wanted, and shapes without mass.
void append_static_shapes(const Assembly& assembly, const System& system, const StaticSolver& solve,
                          bool residual_vectors, ModalBasis& basis);

/// A basis without any mode, of static shapes alone, which answers every static case of the bases' accelerations and of
/// the model's loads exactly, and nothing else. @param stiffness  the factors of K_ff
[[nodiscard]] ModalBasis solve_at_rest(const System& system, const Factorisation& stiffness, bool feet);

/// The same basis with some of its modes only; residual vectors, if wanted, and shapes without mass stay what they
/// were.
/// @param modes  from 0, ascending
[[nodiscard]] ModalBasis with_modes(const System& system, const ModalBasis& basis, const std::vector<int>& modes,
                                    bool residual_vectors);

/// Number of modes below a frequency (Hz): negative pivots of K_ff − ω² M_ff (Sylvester's law of inertia).
[[nodiscard]] int count_modes_below(const System& system, double frequency);

}  // namespace avrenk
