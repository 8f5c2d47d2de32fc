/// core/response/damping_rest.h: how much of a force or stress no element makes by its own damping (theory, "Forces in
/// elements").
#pragma once

#include "core/response/case_response.h"
#include "core/response/case_results.h"

namespace avrenk {

struct DampingRest {
  double part = 0;       ///< of the whole; 0 where nothing is left
  double frequency = 0;  ///< Hz, at which it was looked at
};

/// Of the worst candidate of a watched force or stress of elements what ModalDamping::rest_viscous and rest_loss make:
/// at the peak of a sine, at the dominating frequency of a random case. Nothing of motions and of bases.
/// @param row  of the results. @pre the case vibrates
[[nodiscard]] DampingRest rest_of_damping(const CaseResponse& response, const Output& watched,
                                          const CaseResults& results, std::size_t row);

}  // namespace avrenk
