/// core/excitation/amplitude.h: how large one input is over frequency, and with what phase.
#pragma once

#include <complex>
#include <span>
#include <utility>
#include <vector>

#include "core/algebra.h"
#include "core/excitation/profile.h"

namespace avrenk {

/// What holds between two points of a table of amplitudes: a straight line on log-log paper, a straight line over
/// frequency, or the value of the point before.
enum class BetweenPoints { power_law, straight, steps };

struct AmplitudePoint {
  double frequency = 0;  ///< Hz
  double level = 0;      ///< 0 or more, SI
  double phase = 0;      ///< rad; straight over frequency between points; of steps that of the point before
};

/// Complex amplitude of an input, a(f) = (2πf)^k level(f) e^{iφ(f)}, stretch by stretch; 0 outside its table. At a step
/// the higher level applies.
class Amplitude {
 public:
  Amplitude() = default;
  /// Log-log, without phase.
  explicit Amplitude(const LogLogTable& levels);
  /// @throws InputError  fewer than two points, falling frequencies, three points at one frequency, a negative level,
  /// or
  ///                     a level of 0 that a power law has to reach
  Amplitude(const std::vector<AmplitudePoint>& points, BetweenPoints between);
  /// The same at all frequencies of a band, Hz.
  [[nodiscard]] static Amplitude constant(double level, double from, double to);

  [[nodiscard]] bool empty() const { return stretches_.empty(); }
  [[nodiscard]] double from() const { return stretches_.front().f1; }  ///< Hz
  [[nodiscard]] double to() const { return stretches_.back().f2; }
  /// Points of the table with both sides of each step, a billionth of the frequency away from it.
  [[nodiscard]] std::vector<double> curve_points() const;

  [[nodiscard]] std::complex<double> at(double frequency) const;
  /// a and da/df (1/Hz) by the law that holds around `inside`.
  [[nodiscard]] std::pair<std::complex<double>, std::complex<double>> with_slope(double frequency, double inside) const;

  /// The same over frequencies k times as high: a table over the speed of a shaft as one over the frequency of an
  /// order.
  [[nodiscard]] Amplitude stretched(double k) const;
  /// Multiplied by a complex factor, and by (2πf)^k: what is out of balance grows with k = 2.
  [[nodiscard]] Amplitude times(std::complex<double> factor, int omega_power = 0) const;

 private:
  struct Stretch {
    double f1 = 0, f2 = 0, v1 = 0, v2 = 0, phase1 = 0, phase2 = 0;
    BetweenPoints law = BetweenPoints::power_law;
    [[nodiscard]] std::pair<std::complex<double>, std::complex<double>> at(double f) const;
  };
  [[nodiscard]] std::pair<std::complex<double>, std::complex<double>> scaled(const Stretch& stretch, double f) const;
  std::vector<Stretch> stretches_;
  std::complex<double> factor_ = 1;
  int omega_power_ = 0;
};

/// How large the columns of inputs are that act at once.
class Drive {
 public:
  Drive() = default;
  Drive(std::vector<Amplitude> columns) : columns_(std::move(columns)) {}  // NOLINT: a list of them is one
  Drive(const LogLogTable& levels) : columns_{Amplitude(levels)} {}        // NOLINT: so is one table

  [[nodiscard]] Eigen::Index size() const { return static_cast<Eigen::Index>(columns_.size()); }
  [[nodiscard]] Eigen::VectorXcd at(double frequency) const;
  /// Amplitudes and their derivatives (1/Hz) by the laws that hold around `inside`.
  [[nodiscard]] std::pair<Eigen::VectorXcd, Eigen::VectorXcd> with_slope(double frequency, double inside) const;
  /// Column by column at many frequencies, s x k.
  [[nodiscard]] Eigen::MatrixXcd at(std::span<const double> frequencies) const;
  /// |a| of the first column: ratios refer to it.
  [[nodiscard]] double reference(double frequency) const { return std::abs(columns_.front().at(frequency)); }
  [[nodiscard]] std::vector<double> references(std::span<const double> frequencies) const;
  /// Those of all tables, each with both sides of its steps.
  [[nodiscard]] std::vector<double> curve_points() const;

 private:
  std::vector<Amplitude> columns_;
};

}  // namespace avrenk
