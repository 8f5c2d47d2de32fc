/// analysis/model_check.h: whether a model is right: findings by grade, each with its remedy; no modes.
#pragma once

#include "analysis/model_at_rest.h"
#include "core/check/element_quality.h"
#include "core/check/gravity.h"
#include "core/system/energy.h"

namespace avrenk {

struct ModelCheck {
  std::shared_ptr<const LoadedPlan> loaded;
  std::vector<Finding> findings{};  ///< errors first
  std::vector<PartQuality> quality{};
  std::vector<GravityCase> gravity{};  ///< empty where something moves freely
  std::vector<HighestStress> stress{};
  StrainEnergy energy{};
  std::vector<std::string> facts{};  ///< sentences about base and equations
  StageReport report{};              ///< notes of the plan and of its static states
};

/// Places, shapes of elements, what touches and is not joined, the equations, statics under 1 g, and the static states
/// that the plan names. What moves freely is an error, or a note where the plan means it.
[[nodiscard]] ModelCheck check_model(const std::shared_ptr<const LoadedPlan>& loaded, const Progress& progress = {});

}  // namespace avrenk
