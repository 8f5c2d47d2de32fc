/// core/response/stress_refiner.h: the worst places of a load, located exactly. For the survey of stress.
#pragma once

#include "core/response/stress_load.h"

namespace avrenk {

/// Locates one place of one load: a sine peak between the points of the grid, what the elements that meet there differ
/// by, and the principal stresses at that instant. Holds references to what it is given.
class StressRefiner {
 public:
  StressRefiner(const Assembly& assembly, const Channels& channels, const StressStations& stations)
      : assembly_(assembly), channels_(channels), stations_(stations) {}
  [[nodiscard]] WorstStress locate(const StressPlace& place, const StressField& field, const CaseResponse& excited,
                                   const LoadMatrix& load, std::size_t index) const;

 private:
  const Assembly& assembly_;
  const Channels& channels_;
  const StressStations& stations_;
};

}  // namespace avrenk
