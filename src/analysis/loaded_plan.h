/// analysis/loaded_plan.h: the first stage: a plan as it was read, and what its numbers alone show.
#pragma once

#include <memory>

#include "analysis/analysis_request.h"
#include "analysis/stage_report.h"
#include "core/check/finding.h"
#include "core/mesh/resolution.h"
#include "plan/plan.h"

namespace avrenk {

struct LoadedPlan {
  Plan plan;
  SourceFiles sources{};            ///< that it was made from
  int threads = 0;                  ///< 0: one a processor
  std::vector<MeshReach> reach{};   ///< of each part
  std::vector<Finding> findings{};  ///< about materials, masses and meshes
  StageReport report{};
};

/// @throws InputError, FileError  @see read_plan
[[nodiscard]] LoadedPlan load(const std::string& file, const AnalysisRequest& request);

}  // namespace avrenk
