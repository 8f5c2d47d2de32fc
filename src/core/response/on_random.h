/// core/response/on_random.h: tones and narrow bands that act together with a broad-band random environment.
#pragma once

#include "core/response/case_results.h"

namespace avrenk {

/// One watched quantity under both, at the worst frequency of what sweeps.
struct OnRandomRow {
  double random = 0;     ///< RMS of the broad band
  double acting = 0;     ///< amplitude of the tone, or RMS of the narrow band, there; of several tones their sum
  double frequency = 0;  ///< Hz: of the tone, or the middle of the band; NaN of several tones
  double rms = 0;        ///< of both together, as long as it lasts there
  /// What |x| stays below 68.27, 95.45 and 99.73 % of that time. Of magnitudes, which no such law has, both added: an
  /// upper bound.
  std::array<double, 3> within{};
  /// What the largest |x| of the whole duration stays below with 50 and 95 %; NaN without a duration, or of magnitudes.
  double largest = 0, largest_high = 0;
  double cycles = 0;  ///< of the tone, all of the sweep; of a band crossings at its middle; NaN if not known
};

struct OnRandom {
  std::shared_ptr<const Excitation> acting, random;
  std::vector<OnRandomRow> rows;  ///< NaN of a ratio to the input
};

/// The random case that a case acts on: that along the same axis, or the only one; nullptr if it was not run.
[[nodiscard]] const CaseResults* acts_on(const CaseResults& acting, const std::vector<CaseResults>& outcomes);

/// Tones: the distribution of sines on Gaussian noise. A swept tone is as long at each frequency as its sweep, so that
/// the largest is over all of them. Narrow bands: their spectrum is that of the environment wherever they stand, so
/// that a mean square is that of its response PSD over the band. The worst candidates of both are taken together,
/// wherever they are: never low.
/// @pre acting.environment().superposed_on names the environment of `random`
[[nodiscard]] OnRandom act_on_random(const CaseResults& acting, const CaseResults& random,
                                     const std::vector<Output>& watched);

}  // namespace avrenk
