/// core/response/place_envelope.h: the largest of all candidates of a place at each frequency.
#pragma once

#include "core/response/case_response.h"
#include "core/response/case_results.h"
#include "core/response/output.h"

namespace avrenk {

/// Of a place with several nodes the curve that none of them exceeds: PSD (random), or amplitude over the phase (sine).
/// @param grid  Hz, ascending. @pre the load is a sine or a random one, and the quantity has a meaning there
/// @param leaders  takes the candidates that it follows somewhere, by their index; its first, if any, is one that is
///                 followed wherever another is larger by rounding only (1e-9)
/// @param among  those that are looked at; empty: all
[[nodiscard]] std::vector<double> envelope_of_place(const CaseResponse& load, const Output& watched,
                                                    const std::vector<double>& grid,
                                                    std::vector<std::size_t>* leaders = nullptr,
                                                    const std::vector<std::size_t>& among = {});

/// Gives a row of the answers of a case that curve, on its own grid, where it is not there already and its place has
/// several candidates. Of what is upside down there is none.
/// @param exact  else of more than a hundred candidates those are followed that lead at every fourth point of the grid,
///               which has more than that around each resonance
void draw_place(const CaseResponse& load, const Output& watched, std::size_t row, bool exact, CaseResults& results);

}  // namespace avrenk
