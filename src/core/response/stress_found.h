/// core/response/stress_found.h: stress of shells and solids beside that of beams, for tables and pictures of both.
#pragma once

#include "core/response/beam_survey.h"
#include "core/response/stress_survey.h"

namespace avrenk {

/// Where stress was looked at, and what was found there. Refers to what it is made from.
struct StressFound {
  const StressStations* stations = nullptr;  ///< of the fields; nullptr: there are neither shells nor solids
  const std::vector<StressField>& fields;
  const std::vector<BeamStressField>& beams;
  [[nodiscard]] const BeamStressField* beams_of(const std::string& load) const;
};

}  // namespace avrenk
