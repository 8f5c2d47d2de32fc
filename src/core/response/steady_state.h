/// core/response/steady_state.h: response to a sine input: curves, and peaks that are exact over phase and frequency
/// (theory 5).
#pragma once

#include <optional>

#include "core/excitation/amplitude.h"
#include "core/response/candidates.h"

namespace avrenk {

/// Largest value over one cycle of √(wᵀw), w(t) = Re(ŵ e^{iωt}): with ŵ = a + ib,
///
///     max² = ½(aᵀa + bᵀb) + ½ √((aᵀa − bᵀb)² + 4(aᵀb)²) = ½(ŵᴴŵ + |ŵᵀŵ|)
///
/// For one channel it is |ŵ|.
[[nodiscard]] double largest_over_phase(const Eigen::Ref<const Eigen::VectorXcd>& amplitude);

/// Phase (rad) relative to the input at e^{iωt}, a lag is negative: arg ŵ of one channel; for a magnitude the lag of
/// the instant at which it is largest, in (−π/2, π/2].
[[nodiscard]] double phase_of_largest(const Eigen::VectorXcd& amplitude);

/// Largest value over one cycle of |s + Re(ŵ e^{iθ})| and its instant θ. The square is a trigonometric polynomial of
/// degree two in θ; symmetry tells the quadrant that holds the largest value, and there it has one stationary point.
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

/// Response of one structure to sine inputs of varying amplitude that act together; all states on a grid are computed
/// once.
class SineResponse {
 public:
  /// @param drive      amplitudes of the columns of the transfer over frequency; their breakpoints must be on the grid
  /// @param grid       Hz, ascending
  /// @param near_enough  part of the highest value on the grid below which a grid maximum cannot become the peak: see
  /// grid_shortfall
  SineResponse(const Transfer& transfer, Drive drive, std::vector<double> grid, double near_enough = 0.8);

  [[nodiscard]] const std::vector<double>& grid() const { return grid_; }
  [[nodiscard]] const Drive& drive() const { return drive_; }

  /// ŵ of any number of channels on the whole grid: channels x points, under the input's level.
  [[nodiscard]] Eigen::MatrixXcd curves(const Eigen::MatrixXcd& rows) const { return states_.times(rows); }
  /// ŵ of one measure on the whole grid: rows x points.
  [[nodiscard]] Eigen::MatrixXcd curve(const Measure& measure) const;
  /// ŵ at any frequency inside the band.
  [[nodiscard]] Eigen::VectorXcd at(const Measure& measure, double frequency) const;
  /// Amplitudes of the columns: those of the drive, or for a ratio to the input, which is the first column, over its
  /// magnitude (of a single column 1).
  [[nodiscard]] Eigen::VectorXcd amplitudes(const Measure& measure, double frequency) const;
  /// z under the inputs at any frequency inside the band, or over the first of them for a ratio.
  [[nodiscard]] Eigen::VectorXcd state(const Measure& measure, double frequency) const;

  /// Divides curves at the level applied by the first input; NaN where it is zero.
  void to_ratios(Eigen::MatrixXcd& w) const;

  /// The largest value over phase and frequency, located as a root of the derivative between grid points: it does not
  /// depend on where the points fell.
  [[nodiscard]] SinePeak peak(const Measure& measure) const;

  /// Curves of the bases of candidates, each made when it is first asked for: of thousands of fibres only a few need
  /// more than a bound.
  class Curves {
   public:
    Curves(const SineResponse& response, const Candidates& candidates);
    [[nodiscard]] const Candidates& candidates() const { return candidates_; }
    /// Rows of one candidate over the grid, at the level applied.
    [[nodiscard]] Eigen::MatrixXcd of(std::size_t candidate);
    /// Upper bounds of each row of the bases over the whole grid.
    [[nodiscard]] const Eigen::VectorXd& bounds(bool per_input);

   private:
    const SineResponse& response_;
    const Candidates& candidates_;
    std::vector<Eigen::MatrixXcd> by_base_;
    std::array<Eigen::VectorXd, 2> bounds_;
  };

  /// Peak of many measures: `count` rows from `first` on of each candidate. What a candidate can reach at most follows
  /// from the largest modal coordinates in each stretch of the grid; only those that could be the worst are looked at
  /// on the grid, and only those near the highest there are refined. `statics` is a constant added to each row of the
  /// bases, or empty; `scale` a factor on the sine part.
  struct Many {
    Curves& curves;
    int first = 0, count = 1;
    bool per_input = false;
    Eigen::VectorXd statics = {};
    double scale = 1;
  };
  /// Index of the candidate with the highest peak, and that peak.
  [[nodiscard]] std::pair<std::size_t, SinePeak> worst(const Many& many) const;

  /// Half-power points of the response per unit input around its own peak, the nearest uphill from a peak of the
  /// response; nothing where the curve does not fall to 1/√2 on both sides before it rises above it or the band ends.
  /// @param curve  of the measure on the grid
  [[nodiscard]] std::optional<HalfPower> half_power(const Measure& measure, const SinePeak& peak,
                                                    const Eigen::MatrixXcd& curve) const;

 private:
  [[nodiscard]] SinePeak refine(const Measure& measure, const Eigen::VectorXd& constant, double scale,
                                const Eigen::VectorXd& magnitudes) const;
  [[nodiscard]] Eigen::VectorXd bounds(const Many& many) const;
  [[nodiscard]] Eigen::VectorXd grid_magnitudes(const Many& many, std::size_t candidate) const;
  // The same with their derivatives by f, by the laws that hold around `inside`.
  [[nodiscard]] std::pair<Eigen::VectorXcd, Eigen::VectorXcd> with_slope(const Measure& measure, double frequency,
                                                                         double inside) const;
  const Transfer& transfer_;
  Drive drive_;
  std::vector<double> grid_, levels_;
  StateTable states_;
  double near_enough_;
  std::array<Eigen::MatrixXd, 2> largest_states_;  // of each entry of z in each stretch of the grid; per unit input
};

/// Part of a resonance's peak that its highest point on a grid reaches at least, with n points at equal steps of phase,
/// cos(½π/(n+1)), and three times that shortfall again for what other modes add.
[[nodiscard]] double grid_shortfall(int points_per_resonance);

}  // namespace avrenk
