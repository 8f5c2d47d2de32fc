/// core/response/sweep.h: what a sweep that is not slow leaves of a resonance (theory 5).
#pragma once

#include "core/response/steady_state.h"

namespace avrenk {

/// The steady state is an upper bound for a swept peak only while this is small: octaves a minute R, Q and f_n in
///
///     S = R ln 2 · Q² / (60 f_n)
///
/// the sweep over one bandwidth in units of the time the resonance needs to build up (theory 5).
[[nodiscard]] double sweep_parameter(double octaves_per_minute, double quality, double frequency);

/// Above this the swept response is computed and shown beside the steady one.
inline constexpr double slow_sweep = 0.3;

/// Response to a logarithmic sweep upwards, f(t) = f₁ 2^{Rt/60}, that starts in the steady state.
///
/// With the analytic signal a(t) e^{iφ(t)}, φ' = ω(t), each coordinate of the damped modes (see DampedModes) has ċ = s
/// c + p e^{iφ}, or of second order c = (g₁ − g₂)/(s₁ − s₂), g' = s g + p e^{iφ}, with both its poles s. Slow envelopes
/// are integrated step by step (exponential midpoint rule); those that turn against the sweep follow their forcing to
/// (ω'/ω²)².
class SweptResponse {
 public:
  /// @param transfer  its input columns are swept together; referred to
  SweptResponse(const Transfer& transfer, const Drive& drive, double octaves_per_minute, double from, double to);

  /// The largest over phase while the sweep passes one mode and what it leaves rings down, and the frequency of the
  /// sweep at which it occurs. Resolved by points 1/16 of a half-bandwidth apart; at most 0.1 % low for it.
  [[nodiscard]] SinePeak peak(const Measure& measure, int mode) const;

 private:
  [[nodiscard]] Eigen::MatrixXcd response(const Eigen::MatrixXcd& rows, Eigen::Index begin, Eigen::Index end) const;
  const Transfer& transfer_;
  std::vector<std::pair<double, double>> windows_;  // Hz, of each mode
  std::vector<double> grid_, levels_;               // Hz, and the first input
  Eigen::MatrixXcd amplitudes_;                     // of the columns, s x points
  Eigen::MatrixXcd coordinates_, rates_, force_;    // c, ċ of second order, p: each x points of the grid
};

}  // namespace avrenk
