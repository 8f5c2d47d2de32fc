/// core/identify/curve_comparison.h: two curves over frequency beside each other, each on points of its own.
#pragma once

#include <optional>
#include <utility>

#include "core/identify/curve_fit.h"

namespace avrenk {

/// A response over frequency.
struct ResponseCurve {
  std::vector<double> grid;                    ///< Hz, rising
  std::vector<double> magnitude;               ///< an amplitude, or a PSD
  std::vector<std::complex<double>> response;  ///< with phase; empty: it is not known
  bool is_psd = false;
};

/// A peak of a curve with the mode that makes it; of a PSD that of its square root.
struct ResponsePeak {
  double frequency = 0, height = 0;  ///< Hz; of the curve as it is
  CurveMode mode;
};

/// Peaks and their modes, from the curve over its input. @see fit_response, fit_magnitude
/// @param input  of the same points, not zero: an amplitude or a PSD like the curve; empty: the same at all frequencies
/// @param under  all modes under some peaks; with phase only
[[nodiscard]] std::vector<ResponsePeak> response_peaks(const ResponseCurve& curve, std::span<const double> input,
                                                       std::span<const StartingMode> under = {});

/// Peaks of two curves that are of one mode: those nearest in ratio of frequency first, none farther than 20 % apart.
/// @return  indices into both, by the first
[[nodiscard]] std::vector<std::pair<std::size_t, std::size_t>> pair_peaks(std::span<const double> first,
                                                                          std::span<const double> second);

/// How alike two curves are over the band that both have.
struct Likeness {
  double from = 0, to = 0;  ///< Hz
  double level = 0;         ///< dB: RMS of the second over the band against that of the first, straight between points
  /// Frequency response assurance |∫ H₁* H₂ df|² / (∫|H₁|² df ∫|H₂|² df) (Heylen & Lammens, IMAC 1996) at the points of
  /// both; 1: the same but for a factor. Not a number without phases.
  double assurance = 0;
};
/// @return  none where they share no band, or a curve is zero all over it
[[nodiscard]] std::optional<Likeness> likeness(const ResponseCurve& first, const ResponseCurve& second);

/// Ratio in dB: 10 log₁₀ of PSDs, 20 log₁₀ of amplitudes.
[[nodiscard]] double ratio_in_decibels(double ratio, bool is_psd);

}  // namespace avrenk
