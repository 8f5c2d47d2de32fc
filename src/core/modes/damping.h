/// core/modes/damping.h: damping of each mode from its sources (theory 4).
#pragma once

#include <cmath>
#include <memory>
#include <string>
#include <vector>

#include "core/modes/damped_modes.h"
#include "core/modes/spring_variation.h"
#include "core/request/damping_rule.h"

namespace avrenk {

struct ModalBasis;  // core/modes/modal_basis.h
struct System;      // core/system/system.h

/// The damping matrices of the system in the modes, each m x m: what of the model's size damping takes.
struct DampingProducts {
  Eigen::MatrixXd loss;         ///< ΦᵀK_ηΦ: 1/s²
  Eigen::MatrixXd own;          ///< ΦᵀK_ownΦ, with K_σ: 1/s²
  Eigen::MatrixXd dashpots;     ///< ΦᵀCΦ: 1/s
  Eigen::VectorXd geometric{};  ///< φᵀK_σφ of each: 1/s²; empty: there is no preload
};
[[nodiscard]] DampingProducts damping_products(const System& system, const ModalBasis& basis);

/// q̈ + 2ζω q̇ + (1 + iη)ω² q, one entry for each column of the basis.
struct ModalDamping {
  Eigen::VectorXd zeta;  ///< viscous: general ratio by its share of the strain energy, and dashpots; 0 without mass
  Eigen::VectorXd eta;   ///< hysteretic: loss factors by strain energy
  Eigen::VectorXd alone_viscous, alone_loss;  ///< of each mode by itself: 2ζω and ηω², without mass those of its shape
  /// Force of elements under the general rule, beside their elastic force: general_rate·f on q̇ and i·general_loss·f on
  /// q.
  Eigen::VectorXd general_rate;  ///< 2ζ(f_r)/ω_r, or β: s
  Eigen::VectorXd general_loss;  ///< η
  /// 1 of a mode whose damping was given near its frequency: there every element has the given damping beside its
  /// elastic force, whatever its own, so that forces balance; else 0.
  Eigen::VectorXd overridden;
  /// What of the modal damping forces no element makes by the law of its own, as the static load that all elements
  /// carry beside it: Λ⁻¹(V − V_e) on q̇ and iΛ⁻¹(D − D_e) on q, m x m each, V_e and D_e what the elements make. Empty
  /// where nothing is left: all damping is general, or none is.
  Eigen::MatrixXd rest_viscous, rest_loss;
  double mass_rate = 0;             ///< Rayleigh's α: a force αM on the modal velocities, 1/s
  double base_loss = 0;             ///< η of the general rule, on the quasi-static motion
  double base_rate = 0;             ///< Rayleigh's β on it, s; a ratio has no part in it
  std::vector<std::string> source;  ///< "general", "own η 62 %, general 38 %", "given near 62 Hz"

  /// Modal matrices whose diagonals are 2ζω and ηω²: viscous (1/s) and hysteretic (1/s²), m x m. Empty where all
  /// damping is general, which couples nothing.
  Eigen::MatrixXd viscous, hysteretic;
  DampingProducts products;  ///< that it was made from
  /// Springs that are not what the matrices hold: responses take them as they are. nullptr: there are none.
  std::shared_ptr<const SpringVariation> springs{};
  std::vector<SpringMode> with_springs{};  ///< the modes with them
  /// Where they are the same at all frequencies `modes` has them already: the modes without them; nullptr: it has none.
  std::shared_ptr<const DampedModes> without_springs{};
  [[nodiscard]] bool has_springs_in_modes() const { return without_springs != nullptr; }
  DampedModes modes;  ///< how the modal equations are solved: whole where coupled, else mode by mode

  /// B (Λ + iD) and B V of rows B, coupled or not as responses take it: j x m each.
  [[nodiscard]] std::pair<Eigen::MatrixXcd, Eigen::MatrixXcd> force_rows(const ModalBasis& basis,
                                                                         const Eigen::MatrixXcd& rows) const;
  [[nodiscard]] bool couples() const { return viscous.size() > 0; }
  /// Whether responses use the full matrices.
  [[nodiscard]] bool coupled() const {
    return (without_springs ? *without_springs : modes).form() != DampedModes::Form::uncoupled;
  }
  /// ζ + η/2: the fraction of critical damping that counts at resonance.
  [[nodiscard]] double effective_ratio(int r) const;
  [[nodiscard]] double amplification(int r) const;  ///< Q
};

/// Where resonances lie and how wide they are: of the modes, or the poles of the coupled system, or of the modes with
/// springs as they are at their frequency. Hz, and fraction of critical damping; in the order of frequency.
[[nodiscard]] std::vector<std::pair<double, double>> resonances(const ModalBasis& basis, const ModalDamping& damping);

/// Modal strain energy method (Johnson & Kienholz, AIAA J. 20(9), 1982):
///
///     η_r = Σ η_e φᵀK_eφ / ω²,   ζ_r = ζ(f_r) Σ_general φᵀK_eφ / ω² + φᵀCφ / 2ω
///
/// An element has one source: its own loss factor or dashpot, else the general rule. Rayleigh's α acts on all mass, β
/// on the general elements. A value given near a frequency replaces the sum. What couples the modes is kept unless the
/// rule says otherwise; left out, it is an approximation for strongly damped joints.
/// @throws InputError      Rayleigh's rule gives a mode negative damping
/// @throws NumericalError  the eigenvalue problem of the damped modes does not converge
[[nodiscard]] ModalDamping damp(DampingProducts products, const ModalBasis& basis, const DampingRule& rule);
[[nodiscard]] ModalDamping damp(const System& system, const ModalBasis& basis, const DampingRule& rule);

/// The same damping with springs that are not what the matrices hold. Those that are the same at all frequencies become
/// a part of `modes`. @param springs  nullptr: as the matrices hold them
/// @throws NumericalError  the eigenvalue problem of the damped modes does not converge
[[nodiscard]] ModalDamping with_springs(ModalDamping damping, const ModalBasis& basis,
                                        std::shared_ptr<const SpringVariation> springs);

/// Less of critical damping than this is what rounding leaves of none.
inline constexpr double least_damping = 1e-12;

/// Refuses an undamped mode inside a band: its peak would be infinite.
/// @throws InputError  names the first such mode and says what to give
void require_damping(const ModalBasis& basis, const ModalDamping& damping, double from, double to);

}  // namespace avrenk
