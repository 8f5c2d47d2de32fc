#include "core/response/stress_found.h"

namespace avrenk {

const BeamStressField* StressFound::beams_of(const std::string& load) const {
  for (const BeamStressField& each : beams)
    if (each.name() == load && !each.worst.empty()) return &each;
  return nullptr;
}

}  // namespace avrenk
