/// core/excitation/envelope.h: few straight lines above a curve: what a response becomes as a specification (theory 8).
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "core/excitation/profile.h"

namespace avrenk {

/// Words for the bands over which PSDs are averaged: "none", "sixth octave", "third octave", "octave".
[[nodiscard]] std::vector<std::string> octave_words();
/// Their width in octaves; nullopt of another word.
[[nodiscard]] std::optional<double> octaves_of(std::string_view word);

/// A number > 0 with so many digits, upwards; what lies within 1e-9 of such a number is that.
[[nodiscard]] double rounded_up(double value, int digits = 3);

/// What an envelope is to be.
struct EnvelopeRequest {
  double octaves = 0;          ///< width of the bands over which a PSD is averaged before; 0: as it is
  double factor = 1;           ///< margin on the level
  int points = 8;              ///< at most so many, 2 or more
  double decibel_factor = 10;  ///< 10 of a PSD, 20 of an amplitude
};

struct Envelope {
  LogLogTable table;             ///< levels rounded up to three digits
  std::vector<double> averaged;  ///< the curve as it was averaged, without the margin
  double clipped = 0;     ///< dB by which the curve itself, margin included, passes it at most; 0 without averaging
  double clipped_at = 0;  ///< Hz
};

/// A PSD averaged over a band of `octaves` around each point: its area there, straight lines on log-log paper between
/// its points, over the width of the band, which ends where the curve does.
[[nodiscard]] std::vector<double> averaged_over_octaves(std::span<const double> grid, std::span<const double> psd,
                                                        double octaves);

/// Straight lines on log-log paper that are nowhere below the averaged curve times the margin (rounding: 1e-9 of it).
/// All points of the curve are corners at first; then that is taken out which raises the least area on that paper: a
/// valley by the line across it, a top by a flank that goes on to above a neighbour, or by both neighbours raised to
/// it. No line stands above the highest value of the curve.
/// @param grid    Hz, ascending, at least two
/// @param values  ≥ 0; zeros are lifted to 1e-12 of the largest, because no such line reaches them
/// @throws InputError  fewer than two points, all values zero, fewer than two corners wanted
[[nodiscard]] Envelope straight_envelope(std::span<const double> grid, std::span<const double> values,
                                         const EnvelopeRequest& request);

}  // namespace avrenk
