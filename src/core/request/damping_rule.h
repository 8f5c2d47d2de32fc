/// core/request/damping_rule.h: the general damping.
#pragma once

#include <cmath>
#include <vector>

#include "core/log_interpolation.h"

namespace avrenk {

/// What is known of the modes near one frequency, from a test for example: replaces the sum of all sources.
struct NearDamping {
  double frequency = 0;  ///< Hz
  double within = 0.05;  ///< modes whose frequency differs by less than this part of it
  double zeta = 0, eta = 0;
  [[nodiscard]] bool covers(double f) const { return std::abs(f - frequency) <= within * frequency; }
};

/// The general damping: what applies to every element without a source of its own.
struct DampingRule {
  enum class Form { none, ratio, table, loss_factor, rayleigh };
  Form form = Form::none;
  double value = 0;                          ///< ζ (ratio) or η (loss factor)
  LogTable table{};                          ///< ζ over Hz
  double mass_rate = 0, stiffness_rate = 0;  ///< Rayleigh's α (1/s) and β (s): C = αM + βK
  std::vector<NearDamping> near{};
  bool coupled = true;  ///< keep what couples the modes

  [[nodiscard]] double ratio(double frequency) const;  ///< ζ at a frequency; 0 for a loss factor
};

/// Rayleigh's α and β through two pairs of frequency (Hz) and ζ: ζ = α/2ω + βω/2.
[[nodiscard]] DampingRule rayleigh_through(double frequency1, double zeta1, double frequency2, double zeta2);

}  // namespace avrenk
