/// figures/curves_chart.h: curves over frequency, each on points of its own, in one chart.
#pragma once

#include <span>

#include "figures/chart.h"

namespace avrenk {

/// One curve, in the units in which it is drawn.
struct PlottedCurve {
  std::string label, unit;  ///< unit: of the values, "g" or "g²/Hz"
  bool is_psd = false;
  std::vector<double> frequency, value;
  std::vector<double> phase{};   ///< degrees; empty: it has none
  double peak = 0, peak_at = 0;  ///< what is written at its highest point; 0: that of its values
};

/// A panel of amplitudes with one of phases, and one of PSDs, as far as there are such curves. Each peak is labelled.
/// What is zero everywhere is left out; without any other curve there are no panels.
/// @param frequency  unit of all frequencies
[[nodiscard]] Chart curves_chart(const std::string& title, const std::string& subtitle,
                                 std::span<const PlottedCurve> curves, const std::string& frequency);

/// A line of phases, broken where it wraps. @param phase  degrees
[[nodiscard]] Series phase_line(std::span<const double> x, std::span<const double> phase);

}  // namespace avrenk
