#include "analysis/notched_cases.h"

#include <fmt/format.h>

#include <algorithm>

#include "analysis/field_survey.h"
#include "core/clock.h"
#include "core/response/run_case.h"

namespace avrenk {

NotchedCases notch_cases(const DampedModel& model, const Cases& cases, const Progress& progress) {
  NotchedCases result;
  const Plan& plan = model.plan();
  const auto is_limited = [&](const Excitation& excitation) {
    return !excitation.is_static() && !excitation.is_combined &&
           std::any_of(plan.limits.begin(), plan.limits.end(),
                       [&](const Limit& limit) { return limit.is_notching() && covers(limit, excitation); });
  };
  Cases needed;
  for (const auto& excitation : cases)
    if (!excitation->is_combined && (excitation->is_static() || is_limited(*excitation))) needed.push_back(excitation);
  if (std::all_of(needed.begin(), needed.end(), [](const auto& excitation) { return excitation->is_static(); }))
    return result;
  report_progress(progress, "notches");
  const StopWatch start;
  const std::vector<CaseGroup> groups = group_cases(model, needed, progress).groups;
  const std::vector<CaseResponses> responses = apply_cases(model, groups);
  const std::vector<std::vector<Output>> watched = survey_cases(model, groups, responses, false, progress).watched;
  std::vector<CaseResults> results_at_rest;
  for (std::size_t g = 0; g < groups.size(); ++g)
    for (std::size_t k = 0; k < groups[g].cases.size(); ++k)
      if (groups[g].cases[k]->is_static()) results_at_rest.push_back(run_case(*responses[g][k], watched[g]));
  std::vector<const CaseResults*> at_rest;
  at_rest.reserve(results_at_rest.size());
  for (const CaseResults& results : results_at_rest) at_rest.push_back(&results);
  for (std::size_t g = 0; g < groups.size(); ++g)
    for (const auto& excitation : groups[g].cases) {
      if (excitation->is_static()) continue;
      auto found = notched_input(excitation, plan.limits, at_rest, watched[g], model.system(), *groups[g].basis,
                                 *groups[g].damping);
      if (!found) continue;
      for (const Limit* limit : found->not_kept)
        result.report.warnings.push_back(
            fmt::format("limit {}: no notch that it allows keeps it in {}", limit->name, excitation->name()));
      result.notched.push_back(std::move(*found));
    }
  result.report.times.push_back({"notches", start.seconds()});
  return result;
}

Cases with_notched(Cases cases, const std::vector<NotchedInput>& notched) {
  for (const NotchedInput& input : notched)
    cases.insert(std::find(cases.begin(), cases.end(), input.specified) + 1, input.applied);
  return cases;
}

}  // namespace avrenk
