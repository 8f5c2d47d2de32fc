/// core/response/random.h: RMS under a random input by the modal covariance, integrated once for everything (theory 7).
#pragma once

#include <span>

#include "core/excitation/profile.h"
#include "core/response/transfer.h"

namespace avrenk {

/// Largest relative change of any RMS² of the state when panels are halved; code, docs and tests use this name.
inline constexpr double covariance_tolerance = 1e-8;

/// Γ = ∫ z S zᴴ df over the band of the input, z the state per unit input.
struct ModalCovariance {
  Eigen::MatrixXcd gamma;  ///< 3(m+6) square, Hermitian, SI
  double error = 0;        ///< relative change of the diagonal when the panels used are halved
  int points = 0;          ///< frequencies of the integration rule
};

/// Integrates panel by panel: panels end at every breakpoint and, around each resonance, at equal steps of phase; eight
/// Gauss– Legendre points each; all panels are halved until the diagonal of Γ changes by less than
/// covariance_tolerance. The result does not depend on any plotting grid. Source: Segalman, Fulcher, Reese & Field, J.
/// Sound Vib. 230(2), 2000.
/// @param input  PSD of the one input column of `transfer`, one-sided, (m/s²)²/Hz or (rad/s²)²/Hz
/// @throws NumericalError  tolerance missed after five halvings: says by how much
[[nodiscard]] ModalCovariance integrate_covariance(const Transfer& transfer, const ModalBasis& basis,
                                                   const ModalDamping& damping, const LogLogTable& input);

/// RMS = √(Σ Re(ψ Γ ψᴴ)) over the rows of a measure. Of a magnitude it is the RMS of √(x²+y²+z²), which is not
/// Gaussian.
[[nodiscard]] double root_mean_square(const Measure& measure, const ModalCovariance& covariance);

/// Part of the variance that each modal coordinate makes, its products with all others included; the last entry is
/// the base's own motion. They add up to 1; a part may be negative where coordinates cancel.
[[nodiscard]] Eigen::VectorXd variance_shares(const Measure& measure, const ModalCovariance& covariance,
                                              const StateLayout& layout);

/// Index of the measure with the largest RMS, and that RMS.
[[nodiscard]] std::pair<std::size_t, double> worst_rms(std::span<const Measure> measures,
                                                       const ModalCovariance& covariance);

/// PSD of a measure on a grid, unit²/Hz: Σ |ŵ|² S.
[[nodiscard]] std::vector<double> response_psd(const Transfer& transfer, const Measure& measure,
                                               const LogLogTable& input, std::span<const double> grid);

/// RMS of a curve as drawn: straight lines on log-log paper between its points. Beside the covariance RMS it shows how
/// well the curve is resolved.
[[nodiscard]] double curve_rms(std::span<const double> grid, std::span<const double> psd);

}  // namespace avrenk
