/// core/response/random.h: RMS under a random input by the modal covariance, integrated once for everything (theory 7).
#pragma once

#include <span>

#include "core/excitation/spectrum.h"
#include "core/response/transfer.h"

namespace avrenk {

/// Largest relative change of any RMS² of the state when panels are halved; code, docs and tests use this name.
inline constexpr double covariance_tolerance = 1e-8;

/// Points f_k and weights w_k of the integration rule: ∫ g(f) df = Σ w_k g(f_k). They are ascending and serve every
/// integrand that is smooth beside the resonances.
struct IntegrationRule {
  std::vector<double> frequency, weight;
};

/// A panel of that rule, of eight points: f = f_r (1 + ζ tan t), or ln f = t where there is no resonance.
struct IntegrationPanel {
  double from = 0, to = 0;  ///< of t
  double resonance = 0, ratio = 0;
  double inside = 0;  ///< Hz, of the stretch of the input whose laws hold
  int halvings = 0;
};

/// Γ = ∫ Z S Zᴴ df over the band of the inputs, Z the states per unit of each.
struct ModalCovariance {
  SpectralMatrix input;
  Eigen::MatrixXcd gamma;  ///< of the whole state, Hermitian, SI
  double error = 0;        ///< largest relative change of a mean square when the panels used are halved
  IntegrationRule rule;
  std::vector<IntegrationPanel> panels;  ///< of the rule, in its order
  SpectralRoots roots;                   ///< L at the points of the rule, S = L Lᴴ, times the roots of their weights
  StateTable states;                     ///< Z L there
  /// The rule for squares of these states, which hold the roots of the weights already: they count once.
  [[nodiscard]] IntegrationRule by_point() const {
    return {rule.frequency, std::vector<double>(rule.frequency.size(), 1)};
  }
};

/// Σ |w|² over the columns of each point. @param w  rows x columns of all points
[[nodiscard]] std::vector<double> squares_of_points(const Eigen::MatrixXcd& w, const std::vector<Eigen::Index>& first);

/// Integrates panel by panel. Panels end at every breakpoint and half way between resonances. Around each resonance f_r
/// the variable is the phase θ, f = f_r (1 + ζ tan θ), in which a resonance is flat; farther away it is ln f on panels
/// that grow in proportion to the distance. Eight Gauss–Legendre points each; a panel is halved until that changes no
/// mean square of a damped coordinate or of the base's own motion (displacement, velocity, acceleration) by more than
/// its part of covariance_tolerance. The result does not depend on any plotting grid. Γ follows from ∫ ω^k
/// q qᴴ S df, k = 0..4. Source: Segalman, Fulcher, Reese & Field, J. Sound Vib. 230(2), 2000.
/// @param input    spectra of the input columns of `transfer`, one-sided
/// @param cuts     Hz, further frequencies at which panels end
/// @param threads  0: one a processor; the result does not depend on it
/// @throws NumericalError  tolerance missed after twelve halvings: says by how much
[[nodiscard]] ModalCovariance integrate_covariance(const Transfer& transfer, const SpectralMatrix& input,
                                                   const std::vector<double>& cuts = {}, int threads = 1);

/// Halves some panels and integrates anew.
void refine(const Transfer& transfer, const std::vector<bool>& panels, ModalCovariance& covariance, int threads = 1);

/// What each panel may be off by for one response, as a part of its mean square over all: from how fast the Legendre
/// coefficients of its values fall. The coordinates may be settled where a response, in which they cancel, is not.
/// @param squares  Σ|w|² times the weights, at the points of the rule
[[nodiscard]] std::vector<double> rule_errors(std::span<const double> squares);

/// Re(ψ Γ ψᴴ) of every `width` rows among themselves: width x width blocks below one another, rows x width.
[[nodiscard]] Eigen::MatrixXd block_covariances(const Eigen::MatrixXcd& rows, int width,
                                                const ModalCovariance& covariance, const StateLayout& layout);

/// F with F Fᵀ = Re(C Γ Cᴴ) of the combinations C of the state, by the eigenvectors of their correlations: high modes
/// move little and strain much, so that each counts against its own size. rows x as many as are independent, turned so
/// that nothing is above its diagonal.
[[nodiscard]] Eigen::MatrixXd covariance_factor(const Eigen::MatrixXcd& gamma, const Eigen::MatrixXcd& combinations);

/// Part of the variance that each modal coordinate makes, its products with all others included; the last entries are
/// the base's own motion and the loads as they are applied. They add up to 1; a part may be negative where coordinates
/// cancel.
[[nodiscard]] Eigen::VectorXd variance_shares(const Measure& measure, const ModalCovariance& covariance,
                                              const StateLayout& layout);

/// The same pair by pair, Re(ψ_r Γ_rs ψ_s*) over the variance: symmetric, its rows add up to the parts above.
[[nodiscard]] Eigen::MatrixXd variance_share_pairs(const Measure& measure, const ModalCovariance& covariance,
                                                   const StateLayout& layout);

/// Two modes (numbered as in shares) and what they make of the variance together; of a mode by itself both are it.
struct ModePair {
  int first = 0, second = 0;
  double share = 0;
};

/// Spectral moments m_k = ∫ f^k S_w df (unit² Hz^k), and what follows from them (Rice, Bell Syst. Tech. J. 23–24,
/// 1944–45).
struct SpectralMoments {
  double m0 = 0, m1 = 0, m2 = 0, m4 = 0;
  [[nodiscard]] double zero_crossings() const;  ///< ν₀ = √(m₂/m₀), upward, 1/s
  [[nodiscard]] double maxima() const;          ///< ν_p = √(m₄/m₂), 1/s; depends on the upper end of the band
  /// Of so many times the process.
  [[nodiscard]] SpectralMoments of(double factor) const {
    const double square = factor * factor;
    return {square * m0, square * m1, square * m2, square * m4};
  }
};
/// @param psd  |w|² per unit PSD on the points of the rule
[[nodiscard]] SpectralMoments spectral_moments(const IntegrationRule& rule, std::span<const double> squares);

/// Expected largest |x| of a Gaussian response in a duration, as a multiple of its RMS: g = √(2 ln 2ν₀T) +
/// 0.5772/√(2 ln 2ν₀T) (Davenport, Proc. ICE 28, 1964). NaN where fewer than `fewest_cycles` = 2ν₀T are expected: it
/// is a formula for many, and grows again below 1.33.
inline constexpr double fewest_cycles = 10;
[[nodiscard]] double expected_largest(double zero_crossings, double duration);

/// What the largest |x| of a Gaussian response in a duration stays below with a probability, as a multiple of its RMS:
/// its crossings of a high level come independently, P = exp(−2ν₀T e^{−g²/2}) (Cartwright & Longuet-Higgins, Proc. R.
/// Soc. A 237, 1956). NaN where fewer than `fewest_cycles` are expected.
[[nodiscard]] double largest_below(double zero_crossings, double duration, double probability);

/// With which probability the largest |x| in a duration passes a multiple of its RMS: 1 − exp(−2ν₀T e^{−g²/2}), the
/// same law.
[[nodiscard]] double probability_exceeded(double zero_crossings, double duration, double multiple);

/// A stretch of frequencies between two minima of a response PSD, at its maximum, with its part of the variance.
struct DominatingBand {
  double frequency = 0, from = 0, to = 0;  ///< Hz
  double share = 0;
};
/// Bands of a response, largest share first; shares add up to 1.
[[nodiscard]] std::vector<DominatingBand> dominating_bands(std::span<const double> grid, std::span<const double> psd,
                                                           const IntegrationRule& rule,
                                                           std::span<const double> squares);

/// RMS up to each point of a curve as drawn, straight lines on log-log paper; 0 at the first point.
[[nodiscard]] std::vector<double> running_rms(std::span<const double> grid, std::span<const double> psd);

/// RMS of a curve as drawn: straight lines on log-log paper between its points. Beside the covariance RMS it shows how
/// well the curve is resolved.
[[nodiscard]] double curve_rms(std::span<const double> grid, std::span<const double> psd);

}  // namespace avrenk
