/// core/assess/notch_lines.h: the straight lines of a notch, below what limits leave of an input (theory, "Notches").
#pragma once

#include <span>

#include "core/assess/notch.h"

namespace avrenk {

/// The part of an input that is left at each point, and whose limit says so (nullptr: nobody's).
struct Gains {
  explicit Gains(std::size_t points) : gain(points, 1), lowest(points, 0), by(points, nullptr) {}
  std::vector<double> gain, lowest;  ///< the latter as depth and floor of the limit that counts allow it
  std::vector<const Limit*> by;
  std::set<const Limit*> cut;  ///< that depth or floor keep from being met
  /// @param to  what a limit wants, @param allowed  how low it may have it
  void lower(std::size_t point, double to, double allowed, const Limit* limit);
};

/// First and last point of each notch: the points beside it, at which nothing is lowered, belong to it.
using Stretches = std::vector<std::pair<std::size_t, std::size_t>>;
[[nodiscard]] Stretches stretches_of(const std::vector<double>& gain);

/// A specified table times straight lines on log-log paper through each notch: nowhere above the gains at their points,
/// within a decibel of them, and nowhere below the least gains.
[[nodiscard]] LogLogTable lowered(const LogLogTable& specified, std::span<const double> grid, const Gains& gains,
                                  double decibel_factor);

/// Each notch of such a table. @param specified  at each point of the grid
[[nodiscard]] std::vector<Notch> notches_of(const Gains& gains, const std::vector<double>& grid,
                                            const std::vector<double>& specified, const LogLogTable& applied,
                                            double decibel_factor);

}  // namespace avrenk
