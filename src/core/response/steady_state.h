/// core/response/steady_state.h: response to a sine input: curves, and peaks that are exact over phase and frequency
/// (theory 5).
#pragma once

#include <span>

#include "core/excitation/profile.h"
#include "core/response/transfer.h"

namespace avrenk {

/// Largest value over one cycle of √(wᵀw), w(t) = Re(ŵ e^{iωt}): with ŵ = a + ib,
///
///     max² = ½(aᵀa + bᵀb) + ½ √((aᵀa − bᵀb)² + 4(aᵀb)²) = ½(ŵᴴŵ + |ŵᵀŵ|)
///
/// For one channel it is |ŵ|.
[[nodiscard]] double largest_over_phase(const Eigen::VectorXcd& amplitude);

/// Phase (rad) relative to the input at e^{iωt}, a lag is negative: arg ŵ of one channel; for a magnitude the lag of
/// the instant at which it is largest, in (−π/2, π/2].
[[nodiscard]] double phase_of_largest(const Eigen::VectorXcd& amplitude);

struct SinePeak {
  double value = 0;      ///< SI
  double frequency = 0;  ///< Hz
  double phase = 0;      ///< rad
  bool at_end = false;   ///< the largest value lies at an end of the band: it may still be rising there
};

/// Relative accuracy to which the frequency of a peak is found.
inline constexpr double peak_frequency_tolerance = 1e-8;

/// Response of one structure to one sine input column of varying amplitude; all states on a grid are computed once.
class SineResponse {
 public:
  /// @param amplitude  base acceleration amplitude over frequency, m/s² (or rad/s²); its breakpoints must be on the
  /// grid
  /// @param grid       Hz, ascending
  SineResponse(const Transfer& transfer, LogLogTable amplitude, std::vector<double> grid);

  [[nodiscard]] const std::vector<double>& grid() const { return grid_; }
  [[nodiscard]] const LogLogTable& amplitude() const { return amplitude_; }

  /// ŵ on the whole grid: rows x points.
  [[nodiscard]] Eigen::MatrixXcd curve(const Measure& measure) const { return measure.rows * states_; }
  /// ŵ at any frequency inside the band.
  [[nodiscard]] Eigen::VectorXcd at(const Measure& measure, double frequency) const;
  /// Largest over phase at each grid point.
  [[nodiscard]] std::vector<double> magnitudes(const Measure& measure) const;

  /// The largest value over phase and frequency, located as a root of the derivative between grid points: it does not
  /// depend on where the points fell.
  [[nodiscard]] SinePeak peak(const Measure& measure) const;

  /// Index of the measure with the highest peak, and that peak. Only measures within 30 % of the highest on the grid
  /// are refined: between neighbouring points of a resonance (8°) a curve rises by less.
  [[nodiscard]] std::pair<std::size_t, SinePeak> worst(std::span<const Measure> measures) const;

 private:
  [[nodiscard]] SinePeak refine(const Measure& measure, const std::vector<double>& magnitudes) const;
  const Transfer& transfer_;
  LogLogTable amplitude_;
  std::vector<double> grid_;
  Eigen::MatrixXcd states_;  // scaled by the amplitude, 3(m+6) x points
};

}  // namespace avrenk
