/// core/response/place_envelope.h: the largest of all candidates of a place at each frequency.
#pragma once

#include "core/response/case_response.h"
#include "core/response/output.h"

namespace avrenk {

/// Of a place with several nodes the curve that none of them exceeds: PSD (random), or amplitude over the phase (sine).
/// @param grid  Hz, ascending. @pre the load is a sine or a random one, and the quantity has a meaning there
[[nodiscard]] std::vector<double> envelope_of_place(const CaseResponse& load, const Output& watched,
                                                    const std::vector<double>& grid);

}  // namespace avrenk
