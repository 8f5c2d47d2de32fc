/// core/modes/damping.h: damping of each mode from its sources (theory 4).
#pragma once

#include <string>
#include <vector>

#include "core/modes/modal_basis.h"

namespace avrenk {

/// The general damping: what applies to every element without a source of its own.
struct DampingRule {
  enum class Form { none, ratio, table, loss_factor };
  Form form = Form::none;
  double value = 0;  ///< ζ (ratio) or η (loss factor)
  /// ζ over Hz: linear in log frequency between points, constant outside. Ascending.
  std::vector<std::pair<double, double>> table;

  [[nodiscard]] double ratio(double frequency) const;  ///< ζ at a frequency; 0 for a loss factor
};

/// q̈ + 2ζω q̇ + (1 + iη)ω² q, one entry for each column of the basis.
struct ModalDamping {
  Eigen::VectorXd zeta;  ///< viscous: general ratio by its share of the strain energy, and dashpots
  Eigen::VectorXd eta;   ///< hysteretic: loss factors by strain energy
  /// Force of elements under the general rule, beside their elastic force: general_rate·f on q̇ and i·general_loss·f on
  /// q.
  Eigen::VectorXd general_rate;     ///< 2ζ(f_r)/ω_r, s
  double general_loss = 0;          ///< η
  std::vector<std::string> source;  ///< "general", "own η 62 %, general 38 %": shares of the damping

  /// ζ + η/2: the fraction of critical damping that counts at resonance.
  [[nodiscard]] double effective_ratio(int r) const { return zeta[r] + 0.5 * eta[r]; }
  [[nodiscard]] double amplification(int r) const { return 1 / (2 * effective_ratio(r)); }  ///< Q
};

/// Modal strain energy method (Johnson & Kienholz, AIAA J. 20(9), 1982):
///
///     η_r = Σ η_e φᵀK_eφ / ω²,   ζ_r = ζ(f_r) Σ_general φᵀK_eφ / ω² + φᵀCφ / 2ω
///
/// An element has one source: its own loss factor or dashpot, else the general rule. Modes stay uncoupled; for
/// strongly damped joints that is an approximation.
[[nodiscard]] ModalDamping damp(const System& system, const ModalBasis& basis, const DampingRule& rule);

/// Refuses an undamped mode inside a band: its peak would be infinite.
/// @throws InputError  names the first such mode and says what to give
void require_damping(const ModalBasis& basis, const ModalDamping& damping, double from, double to);

}  // namespace avrenk
