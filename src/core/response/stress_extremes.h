/// core/response/stress_extremes.h: the largest of a stress over a sweep, and its RMS, at stations side by side. For
/// the survey of stress.
#pragma once

#include <span>

#include "core/response/stress_load.h"

namespace avrenk {

/// Some stations of one part, and what is looked at there.
struct StressStretch {
  const std::vector<StressStation>& stations;  // all
  std::span<const int> own;
  [[nodiscard]] Eigen::Index count() const { return std::ssize(own); }
  StressQuantity quantity = StressQuantity::von_mises;
  int level = 0;
};

/// The largest of every station over a sweep: value, frequency, phase and, of a principal stress, direction.
/// @param w     six rows component by component, its stations each, x columns of all loads
/// @param grid  Hz, of the load
void take_sine(const StressStretch& stretch, const Eigen::MatrixXd& w, const Columns& own,
               const std::vector<double>& grid, StressField& field);

/// Von Mises stress at all levels of a shell at once: RMS of a random load, or of a static one. @param stretch  its
/// level does not count
void take_mises_sums(const StressStretch& stretch, const Eigen::MatrixXd& w, const Columns& own, StressField& field);

/// Of other quantities: RMS of a random load (root of the sum of squares over its columns), or the stress itself of a
/// static one, with its sign.
void take_sum(const StressStretch& stretch, const Eigen::MatrixXd& w, const Columns& own, StressField& field);

}  // namespace avrenk
