/// core/response/tone_distribution.h: how often tones on Gaussian noise stay below a level (theory 7).
#pragma once

#include <span>

namespace avrenk {

/// x = Σ A_k sin(ω_k t + φ_k) + noise of RMS σ, phases independent of one another.
struct TonesOnNoise {
  std::span<const double> amplitudes;  ///< A_k ≥ 0
  double sigma = 0;
  [[nodiscard]] double rms() const;      ///< √(σ² + Σ A²/2)
  [[nodiscard]] double highest() const;  ///< Σ A: no tones together are higher
};

/// Share of the time that |x| is below a level: (2/π) ∫ sin(rt)/t e^{−σ²t²/2} Π J₀(A_k t) dt (Rice, Bell Syst. Tech. J.
/// 27, 1948).
[[nodiscard]] double share_within(const TonesOnNoise& x, double level);

/// Probability that the envelope of x, as narrow-banded as its noise is, is below a level: r ∫ J₁(rt) e^{−σ²t²/2} Π
/// J₀(A_k t) dt (Kluyver 1906). Of one tone it is Rice's distribution, of none Rayleigh's.
[[nodiscard]] double envelope_below(const TonesOnNoise& x, double level);

/// The level that |x| is below for a share 0 < p < 1 of the time.
[[nodiscard]] double level_within(const TonesOnNoise& x, double share);

}  // namespace avrenk
