/// core/identify/curve_fit.h: natural frequencies and damping from a curve over frequency, measured or computed.
#pragma once

#include <complex>
#include <span>
#include <vector>

namespace avrenk {

/// A maximum of a curve that stands out from what surrounds it.
struct CurvePeak {
  std::size_t index = 0;  ///< in the curve
  double prominence = 0;  ///< its height over the higher of the two valleys that part it from higher ones, ≥ 1
};

/// How much a maximum must stand out to be a peak: 3 dB over its valleys, and that by ten times the noise of the curve
/// (of the median third difference, where there are 100 points); 30 dB below the highest at most.
inline constexpr double least_prominence = 1.4125, least_noises = 10, least_height = 0.0316;

/// Peaks of a curve of magnitudes, by frequency. An end of the curve is none.
[[nodiscard]] std::vector<CurvePeak> peaks_of(std::span<const double> magnitude);

/// One mode as a curve shows it.
struct CurveMode {
  std::size_t peak = 0;                           ///< index of the maximum that it makes
  double frequency = 0, damping = 0;              ///< Hz; share of critical
  double frequency_error = 0, damping_error = 0;  ///< standard errors, from what the fit leaves
  double misfit = 0;       ///< RMS of what the fit leaves of the curve around the peak, over the RMS of the curve there
  bool is_fitted = false;  ///< false: too few points around the peak, the rest is not a number
  double strength = 0;  ///< |a + iω_r b|/ω_r², the part of this mode at resonance times 2ζ; not known of magnitudes
};

/// Where the fit of a mode begins that makes a peak together with others, which no height or width of its own shows.
struct StartingMode {
  std::size_t peak = 0;               ///< index of the maximum under which it stands
  double frequency = 0, damping = 0;  ///< Hz; share of critical; no two alike
};

/// Least squares fit around each peak of
///
///     H(ω) = Σ_r (a_r + iω b_r) / (ω_r² − ω² + 2iζ_r ω_r ω) + c₀ + c₁ω + c₂ω²,   a, b real, c complex,
///
/// to a transfer function; modes of neighbouring peaks are held in the sum at the values of their own fits, and the
/// fits repeated until none changes. Peaks that no valley of a fifth of the lower one parts are fitted together, over
/// what is above a fifth of them. The linear coefficients are eliminated (variable projection: Golub & Pereyra, SIAM J.
/// Numer. Anal. 10, 1973; Kaufman's derivative, BIT 15, 1975), ω_r and ζ_r by Levenberg–Marquardt. Standard errors from
/// σ²(JᵀJ)⁻¹ with σ² of the residual: right for noise that is equal and independent at all points. The numerator is
/// that of any viscous or structural damping, of displacement, velocity and acceleration alike; ζ is half the loss
/// factor at resonance.
/// @param frequency  Hz, ascending, at least 0
/// @param under      all modes under some peaks, in place of the one that is looked for under each otherwise
/// @return  one a peak, or those asked for under it, by frequency
[[nodiscard]] std::vector<CurveMode> fit_response(std::span<const double> frequency,
                                                  std::span<const std::complex<double>> response,
                                                  std::span<const StartingMode> under = {});

/// The same from magnitudes alone, where the phase is not known: |H|² = p(ω²)/Π_r |D_r|² around each peak or group of g
/// peaks, p a polynomial of degree 2g; residuals of |H|, to first order.
[[nodiscard]] std::vector<CurveMode> fit_magnitude(std::span<const double> frequency,
                                                   std::span<const double> magnitude);

}  // namespace avrenk
