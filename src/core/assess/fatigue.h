/// core/assess/fatigue.h: damage by sine and by Gaussian loads on a straight S–N line (theory, "Life"). Damage adds up
/// (Palmgren 1924, Miner 1945) and is 1 where it fails.
#pragma once

#include <array>
#include <cmath>
#include <string_view>

#include "core/model/fatigue_line.h"
#include "core/response/random.h"

#include "core/request/life_request.h"

namespace avrenk {

/// Cycles that are borne at S₁ with the survival asked for: N₁ 10^(−z s), z the quantile of the normal distribution.
[[nodiscard]] double counted_cycles(const FatigueLine& line);

/// A line made ready for many amplitudes. One cycle of an amplitude S does the damage 1/N(S).
class ReadyLine {
 public:
  explicit ReadyLine(const FatigueLine& line)
      : slope_(line.slope), strength_(line.strength), counted_(counted_cycles(line)) {}
  /// @param amplitude  SI, of the line's kind
  [[nodiscard]] double damage(double amplitude) const {
    return amplitude > 0 ? std::pow(amplitude / strength_, slope_) / counted_ : 0;
  }
  /// The same of amplitudes whose squares are given, an array of them.
  template <typename Squares>
  [[nodiscard]] auto damages(const Squares& squares) const {
    return (squares / (strength_ * strength_)).pow(0.5 * slope_) / counted_;
  }

 private:
  double slope_, strength_, counted_;
};

/// n cycles of one amplitude: n/N(S); none do nothing, whatever their amplitude.
[[nodiscard]] inline double damage_of_cycles(const FatigueLine& line, double amplitude, double cycles) {
  return cycles == 0 ? 0 : cycles * ReadyLine(line).damage(amplitude);
}

/// What amplitudes are multiplied with because a constant stress acts beside them, 1 or more: 1/(1 − σ_m/S_u) by
/// Goodman's rule, 1/(1 − (σ_m/S_u)²) by Gerber's; a compression never helps. Infinite where σ_m reaches S_u.
[[nodiscard]] double mean_stress_factor(const FatigueLine& line, double mean);

/// Damage a second, by each Counting. With σ² = m₀, ν₀ = √(m₂/m₀), ν_p = √(m₄/m₂), α₁ = m₁/√(m₀m₂), α₂ = m₂/√(m₀m₄):
///
///     narrow band        ν₀ (√2 σ)^k Γ(1 + k/2) / (N₁ S₁^k), every cycle as large as its envelope: never low
///     Dirlik             ν_p σ^k [D₁ Q^k Γ(1 + k) + √2^k Γ(1 + k/2) (D₂ |R|^k + D₃)] / (N₁ S₁^k)
///     Tovo–Benasciutti   [b + (1 − b) α₂^(k−1)] times the narrow band
///
/// Sources: Miles, J. Aeronaut. Sci. 21, 1954; Dirlik, thesis, Warwick 1985; Tovo, Int. J. Fatigue 24, 2002, and
/// Benasciutti & Tovo, Int. J. Fatigue 27, 2005. Beyond rounding of a narrow band all are that of the narrow band.
[[nodiscard]] std::array<double, 3> random_damage_rates(const FatigueLine& line, const SpectralMoments& moments);

}  // namespace avrenk
