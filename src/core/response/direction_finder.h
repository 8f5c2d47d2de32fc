/// core/response/direction_finder.h: directions of the largest normal stress of loads that act together. For the survey
/// of stress.
#pragma once

#include "core/response/stress_load.h"

namespace avrenk {

/// Looks at one place after the other; holds references to what it is given.
class DirectionFinder {
 public:
  DirectionFinder(const Channels& channels, const StressStations& stations, const CaseResponses& loads);
  /// Whether any loads act together.
  [[nodiscard]] bool has_goals() const { return !goals_.empty(); }
  /// For each set of loads that act together the direction in which the sum of their normal stresses is largest, on the
  /// grid: of axes combined the root of the sum of the squares, of an environment on top of a static one the sum of
  /// both without their signs (of random three times the RMS), at the level applied and at its upper tolerance.
  /// Ascent as in largest_normal_stress, with the best frequency of each sweep in turn.
  /// @param starts  directions to begin with
  [[nodiscard]] std::vector<Vector3> find(const StressPlace& place, const LoadMatrix& load,
                                          const std::vector<Vector3>& starts) const;

 private:
  // One set of loads: √(Σ of squares of `together`) · scale + |at_rest|.
  struct Goal {
    std::vector<std::size_t> together;
    double scale = 1;
    std::optional<std::size_t> at_rest{};
  };
  const Channels& channels_;
  const StressStations& stations_;
  const CaseResponses& loads_;
  std::vector<Goal> goals_;
};

}  // namespace avrenk
