/// core/response/fine_curve.h: the curve of one watched quantity on points of its own, as many as it needs to be drawn.
#pragma once

#include <span>
#include <vector>

#include "core/excitation/excitation.h"
#include "core/response/case_results.h"

namespace avrenk {

struct FineCurve {
  std::vector<double> frequency;  ///< Hz, ascending
  std::vector<double> value;      ///< largest over the phase under a sine, PSD of a random case; NaN: there is none
  std::vector<double> phase;      ///< rad, of a single channel under a sine, of one candidate; else empty
};

/// Straight lines between points, on log-log paper, differ from the curve by this part of it at most, where it is not
/// below `depth_drawn` of its highest value; of phases, on plain paper over the logarithm of frequency, by
/// `phase_drawn`, rad.
inline constexpr double straight_enough = 2.5e-3;
inline constexpr double depth_drawn = 1e-6;
inline constexpr double phase_drawn = 0.02;

/// Starts with a grid, which the curve keeps, and cuts each of its stretches into three where either of two points
/// inside lies off the straight line, until none does. Steps of the input, two points side by side, stay steps.
/// @param transfer   of the excitation, whose inputs it has
/// @param candidates  indices into watched.candidates, one at least: of several the largest at each frequency
/// @param grid       Hz, ascending, with a point near each resonance: see frequency_grid
[[nodiscard]] FineCurve fine_curve(const Excitation& excitation, const Transfer& transfer, const Output& watched,
                                   std::span<const std::size_t> candidates, std::span<const double> grid);
/// Of a row of the answers of a single case that vibrates, from the grid of these: of all its leaders.
/// @param index  of the row
[[nodiscard]] FineCurve fine_curve(const CaseResults& outcome, std::size_t index, const Transfer& transfer,
                                   const Output& watched);

}  // namespace avrenk
