/// core/response/steady_state.h: response to a sine input: curves, and peaks that are exact over phase and frequency
/// (theory 5).
#pragma once

#include <optional>

#include "core/excitation/profile.h"
#include "core/response/candidates.h"

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

/// Largest value over one cycle of |s + Re(ŵ e^{iθ})| and its instant θ. The square is a trigonometric polynomial of
/// degree two in θ; its stationary points are the roots of a quartic in e^{iθ} (eigenvalues of its companion matrix).
struct LargestWithStatic {
  double value = 0, instant = 0;
};
[[nodiscard]] LargestWithStatic largest_with_static(const Eigen::VectorXd& constant, const Eigen::VectorXcd& amplitude);

struct SinePeak {
  double value = 0;      ///< SI
  double frequency = 0;  ///< Hz
  double phase = 0;      ///< rad
  bool at_end = false;   ///< the largest value lies at an end of the band: it may still be rising there
};

/// Relative accuracy to which the frequency of a peak is found.
inline constexpr double peak_frequency_tolerance = 1e-8;

/// Half-power points on both sides of a peak of the response per unit input, and the Q that they give.
struct HalfPower {
  double from = 0, to = 0;  ///< Hz
  double quality = 0;       ///< f / (to − from)
};

/// Response of one structure to one sine input column of varying amplitude; all states on a grid are computed once.
class SineResponse {
 public:
  /// @param amplitude  base acceleration amplitude over frequency, m/s² (or rad/s²); its breakpoints must be on the
  /// grid
  /// @param grid       Hz, ascending
  SineResponse(const Transfer& transfer, LogLogTable amplitude, std::vector<double> grid);

  [[nodiscard]] const std::vector<double>& grid() const { return grid_; }
  [[nodiscard]] const LogLogTable& amplitude() const { return amplitude_; }

  /// ŵ of any number of channels on the whole grid: channels x points, under the input's level.
  [[nodiscard]] Eigen::MatrixXcd curves(const Eigen::MatrixXcd& rows) const { return states_.times(rows); }
  /// ŵ of one measure on the whole grid: rows x points.
  [[nodiscard]] Eigen::MatrixXcd curve(const Measure& measure) const;
  /// ŵ at any frequency inside the band.
  [[nodiscard]] Eigen::VectorXcd at(const Measure& measure, double frequency) const;
  /// The factor on a unit input: the level of the profile, or 1 for a ratio to the input.
  [[nodiscard]] double level(const Measure& measure, double frequency) const;

  /// The largest value over phase and frequency, located as a root of the derivative between grid points: it does not
  /// depend on where the points fell.
  [[nodiscard]] SinePeak peak(const Measure& measure) const;

  /// Peak of many measures: `count` rows from `first` on of each candidate. The curves of their bases are given; only
  /// those within 30 % of the highest are refined: between neighbouring points of a resonance (8°) a curve rises by
  /// less. `statics` is a constant added to each row of the bases, or empty; `scale` a factor on the sine part.
  struct Many {
    const Candidates& candidates;
    const Eigen::MatrixXcd& curves;
    int first = 0, count = 1;
    bool per_input = false;
    Eigen::VectorXd statics = {};
    double scale = 1;
  };
  /// Index of the candidate with the highest peak, and that peak.
  [[nodiscard]] std::pair<std::size_t, SinePeak> worst(const Many& many) const;

  /// Half-power points of the response per unit input around a peak; nothing where the curve does not fall to 1/√2 on
  /// both sides before it rises above the peak or the band ends.
  [[nodiscard]] std::optional<HalfPower> half_power(const Measure& measure, const SinePeak& peak) const;

 private:
  [[nodiscard]] SinePeak refine(const Measure& measure, const Eigen::VectorXd& constant, double scale,
                                const std::vector<double>& magnitudes) const;
  const Transfer& transfer_;
  LogLogTable amplitude_;
  std::vector<double> grid_, levels_;
  StateTable states_;
};

}  // namespace avrenk
