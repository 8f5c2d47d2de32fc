/// core/excitation/profile.h: what the specification says: levels over frequency, straight lines on log-log paper
/// (theory 8).
#pragma once

#include <optional>
#include <span>
#include <vector>

namespace avrenk {

/// One stretch v(f) = v1 (f/f1)^n between f1 < f2.
struct PowerLaw {
  double f1 = 0, f2 = 0;                    ///< Hz
  double v1 = 0, v2 = 0;                    ///< > 0
  [[nodiscard]] double exponent() const;    ///< n
  [[nodiscard]] double at(double f) const;  ///< v(f)
  /// ∫ v(f) f^k df over the stretch, without cancellation near n + k = −1.
  [[nodiscard]] double moment(double k) const;
};

/// A point of a table: a level, or a slope. A slope before the first level holds from its point to the next; any other
/// slope holds from the point before it to its own.
struct Breakpoint {
  double frequency = 0;         ///< Hz
  std::optional<double> level;  ///< > 0
  std::optional<double> slope;  ///< dB/oct
};

/// Levels over frequency, log-log between breakpoints. Two equal frequencies make a step; the higher level applies
/// there.
class LogLogTable {
 public:
  LogLogTable() = default;
  /// @param decibel_factor  10 for a PSD, 20 for an amplitude: level ratio = 10^(dB/factor)
  /// @throws InputError  fewer than two points, falling frequencies, no level at all, a level or frequency that is not
  ///                     positive, three points at one frequency
  LogLogTable(const std::vector<Breakpoint>& points, double decibel_factor);

  [[nodiscard]] double from() const { return stretches_.front().f1; }
  [[nodiscard]] double to() const { return stretches_.back().f2; }
  [[nodiscard]] const std::vector<PowerLaw>& stretches() const { return stretches_; }
  [[nodiscard]] std::vector<double> breakpoints() const;  ///< Hz, ascending, each once
  /// Breakpoints with both sides of each step, a billionth of the frequency away from it.
  [[nodiscard]] std::vector<double> curve_points() const;
  /// The level; 0 outside the table.
  [[nodiscard]] double at(double frequency) const;
  [[nodiscard]] std::vector<double> levels(std::span<const double> frequencies) const;
  /// The stretch that holds the open interval around `frequency`; nullptr outside.
  [[nodiscard]] const PowerLaw* stretch_at(double frequency) const;

  /// The lowest of several tables at each frequency, over all frequencies that any of them covers; where two cross, the
  /// crossover becomes a breakpoint. Constant displacement, velocity and acceleration branches make a sine profile so.
  [[nodiscard]] static LogLogTable lowest_of(const std::vector<LogLogTable>& tables);

  [[nodiscard]] LogLogTable scaled(double factor) const;
  /// Multiplied by (2πf)^k: turns a displacement into an acceleration (k = 2), an acceleration PSD into one of velocity
  /// (−2).
  [[nodiscard]] LogLogTable times_omega(int k) const;
  [[nodiscard]] double highest() const;  ///< of all levels
  /// ∫ v(f) df over the whole table.
  [[nodiscard]] double area() const;

 private:
  // The first that does not end below a frequency.
  [[nodiscard]] std::vector<PowerLaw>::const_iterator first_that_ends_at(double frequency) const;

  std::vector<PowerLaw> stretches_;
};

/// Slope of a stretch in dB/octave: 3.0103 n for a PSD (factor 10), 6.0206 n for an amplitude (factor 20).
[[nodiscard]] double slope_in_decibels(const PowerLaw& stretch, double decibel_factor);

/// Cycles in a logarithmic sweep from f1 to f2 (Hz) at R octaves a minute: N = 60 (f2 − f1) / (R ln 2).
[[nodiscard]] double sweep_cycles(double from, double to, double octaves_per_minute);

}  // namespace avrenk
