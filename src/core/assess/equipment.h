/// core/assess/equipment.h: what a response becomes as a specification for the equipment that stands there.
#pragma once

#include "core/excitation/envelope.h"
#include "core/request/equipment_request.h"
#include "core/response/case_results.h"

namespace avrenk {

/// The largest over the cases of the curves of one watched quantity, and few straight lines above it.
struct EquipmentLevel {
  const EquipmentRequest* request = nullptr;
  const Kind* kind = nullptr;  ///< of the quantity
  bool random = false;         ///< PSDs; else amplitudes of a sine, 0 to peak
  std::vector<double> grid, largest;
  std::vector<std::string> cases;  ///< whose curves they are
  Envelope envelope;
};

/// True if the curves of a case go into a request.
[[nodiscard]] bool goes_into(const EquipmentRequest& request, const CaseResults& outcome, const Output& watched);

/// Of all requests whose environments were run: of a place with several candidates their largest at each frequency,
/// where the outcomes have it. PSDs of a band that sweeps on a random environment are added to those of that one.
/// @throws InputError  a curve that is zero everywhere
[[nodiscard]] std::vector<EquipmentLevel> equipment_levels(const std::vector<EquipmentRequest>& requests,
                                                           const std::vector<CaseResults>& outcomes,
                                                           const std::vector<Output>& watched);

}  // namespace avrenk
