/// core/excitation/vibrator.h: what a profile asks of the vibrator that makes it.
#pragma once

#include <optional>
#include <vector>

#include "core/excitation/profile.h"

namespace avrenk {

/// Limits of a vibrator, and what it moves; absent: not limited. SI.
struct Vibrator {
  std::optional<double> force, random_force;  ///< N: 0 to peak of a sine, RMS
  std::optional<double> velocity;             ///< m/s, 0 to peak
  std::optional<double> stroke;               ///< m, peak to peak
  std::optional<double> moment;               ///< N m, 0 to peak: overturning, of test sheets
  double moving_mass = 0;                     ///< kg: armature, table and fixture
  double specimen = 0;                        ///< kg
  [[nodiscard]] double mass() const { return moving_mass + specimen; }
};

/// One demand beside its limit: of a sine the largest over the sweep, of a random vibration the RMS (force) or three
/// times it (velocity, stroke: both ways).
struct Demand {
  enum class Of { force, velocity, stroke } of;
  double value = 0;
  std::optional<double> limit;
  double at = 0;            ///< Hz, of a sine: where it is largest
  double from = 0, to = 0;  ///< Hz, of a sine: from where to where it is over its limit; 0: nowhere
  [[nodiscard]] bool met() const { return !limit || value <= *limit; }
};
/// Of a rigid mass on the vibrator: what a specimen that vibrates asks besides is its base's reaction.
/// @param input  acceleration of the base, 0 to peak, or its PSD
[[nodiscard]] std::vector<Demand> demands_of(const LogLogTable& input, bool random, const Vibrator& vibrator);

}  // namespace avrenk
