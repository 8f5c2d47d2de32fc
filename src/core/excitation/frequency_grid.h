/// core/excitation/frequency_grid.h: the frequencies at which curves are drawn and peaks are bracketed (theory 6).
#pragma once

#include <cstddef>
#include <utility>
#include <vector>

namespace avrenk {

struct GridRequest {
  double from = 0, to = 0;        ///< Hz
  double per_octave = 24;         ///< base points, equally spaced in log frequency
  int points_per_resonance = 21;  ///< odd
  std::vector<double> at;         ///< further frequencies, Hz
  double every = 0;               ///< Hz: base points at equal steps besides; 0: none
  std::vector<double> beside{};   ///< parts of each natural frequency at which a point lies beside it
};

/// Base points, `at`, the points of the profile, those beside the natural frequencies, and around each resonance (f_r
/// in Hz, fraction of critical damping ζ_r; see `resonances`) points at equal steps of phase along the resonance
/// circle: f_r (1 + ζ_r tan θ_k), θ_k equally spaced in (−90°, 90°), so that so many points fix the resolution of the
/// curve whatever the damping. Ascending, each once, inside [from, to].
[[nodiscard]] std::vector<double> frequency_grid(const GridRequest& request, const std::vector<double>& curve_points,
                                                 const std::vector<std::pair<double, double>>& resonances);

/// How many points there may be at most, from so many resonances.
[[nodiscard]] double most_points(const GridRequest& request, std::size_t curve_points, std::size_t resonances);

/// Those inside [from, to], ascending, each once: neighbours differ by more than 1e-12 of themselves.
[[nodiscard]] std::vector<double> once_inside(std::vector<double> frequencies, double from, double to);

}  // namespace avrenk
