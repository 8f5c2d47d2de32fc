/// analysis/margins.h: margins alone, without what is only to be seen.
#pragma once

#include "analysis/assessment.h"

namespace avrenk {

/// Leaves of a plan what its limits and lives look at.
[[nodiscard]] LoadedPlan keep_what_is_judged(LoadedPlan loaded);

/// Environments that limits and lives name, what acts beside them, and all that are static.
[[nodiscard]] EnvironmentChoice judged_environments(const Plan& plan);

/// A plan, its model and its limits.
struct JudgedModel {
  Responses responses;
  Assessment assessment;
  [[nodiscard]] const DampedModel& model() const { return responses.model; }
  [[nodiscard]] const std::vector<LimitResult>& limits() const { return assessment.limits; }
  /// @throws CaseError  the first case that could not be answered: margins are compared case by case
  void require_answered() const;
  /// What its stages say, in their order.
  [[nodiscard]] StageReport report() const;
  /// Deciding margins of limits of another plan, by their names; NaN where there is none here.
  [[nodiscard]] std::vector<double> margins_of(const std::vector<LimitResult>& limits) const;
};

/// Runs the environments that limits and lives name, without what is only to be seen, and judges the limits.
/// @param as_found  see run_environments
[[nodiscard]] JudgedModel judge(const DampedModel& model, const AnalysisRequest& request,
                                const std::vector<NotchedInput>* as_found = nullptr);

/// Modes and margins of a plan, of which the rest is left out.
/// @throws InputError  it has no limits
/// @throws CaseError   a case could not be answered
[[nodiscard]] JudgedModel judge_as_it_is(LoadedPlan loaded, const AnalysisRequest& request,
                                         const std::vector<std::filesystem::path>& kept, const Progress& progress);

}  // namespace avrenk
