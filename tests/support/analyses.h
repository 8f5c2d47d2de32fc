/// Plans of the examples, worked through without a terminal.
#pragma once

#include <string>

#include "analysis/analysis.h"
#include "support/example.h"

namespace avrenk::test {

inline std::shared_ptr<const LoadedPlan> load_shared(const std::string& file, const AnalysisRequest& request = {}) {
  return std::make_shared<const LoadedPlan>(load(file, request));
}

inline bool every_environment(const Environment& /*environment*/) { return true; }

/// To modes and damping; all environments may be applied.
inline DampedModel solved(const std::string& file) { return solve(load_shared(file), {}, every_environment); }

}  // namespace avrenk::test
