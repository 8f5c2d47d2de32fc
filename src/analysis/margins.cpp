#include "analysis/margins.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "analysis/analysis.h"

namespace avrenk {

LoadedPlan keep_what_is_judged(LoadedPlan loaded) {
  Plan& plan = loaded.plan;
  plan.histories.clear();
  plan.cross_spectra.clear();
  plan.equipment.clear();
  plan.figures.clear();
  plan.test_sheets.reset();
  std::set<std::string> names;
  for (const Limit& limit : plan.limits)
    if (limit.response()) names.insert(limit.response()->of);
  for (const LifeRequest& life : plan.lives)
    for (const LifeSubject& subject : life.subjects) names.insert(subject.of);
  std::erase_if(plan.watch, [&](const OutputRequest& request) {
    const std::vector<std::string> watched = watched_names({request});
    return std::none_of(watched.begin(), watched.end(), [&](const std::string& name) { return names.contains(name); });
  });
  return loaded;
}

EnvironmentChoice judged_environments(const Plan& plan) {
  std::set<std::string> named;
  const auto add = [&](const std::string& name) {
    for (const Environment& environment : plan.environments)
      if (is_of(name, environment)) {
        named.insert(environment.name);
        if (!environment.superposed_on.empty()) named.insert(environment.superposed_on);
      }
  };
  for (const Limit& limit : plan.limits)
    if (limit.response())
      for (const std::string& name : limit.response()->environments) add(name);
  for (const LifeRequest& life : plan.lives)
    for (const Exposure& exposure : life.through) add(exposure.environment);
  return [named = std::move(named)](const Environment& environment) {
    return !named.empty() && (environment.is_static() || named.contains(environment.name));
  };
}

std::vector<double> JudgedModel::margins_of(const std::vector<LimitResult>& limits) const {
  std::vector<double> margins(limits.size(), std::nan(""));
  for (std::size_t i = 0; i < margins.size(); ++i)
    for (const LimitResult& result : assessment.limits)
      if (result.limit->name == limits[i].limit->name) margins[i] = result.deciding();
  return margins;
}

void JudgedModel::require_answered() const {
  if (responses.unanswered.empty()) return;
  const UnansweredCase& first = responses.unanswered.front();
  throw CaseError(first.excitation->name(), first.reason);
}

StageReport JudgedModel::report() const {
  StageReport report = report_of(model());
  report.add(responses.report);
  return report;
}

JudgedModel judge(const DampedModel& model, const AnalysisRequest& request, const std::vector<NotchedInput>* as_found) {
  AnalysisRequest quick = request;
  quick.figures = quick.curves = false;
  const std::vector<Environment>& environments = model.plan().environments;
  const EnvironmentChoice judged = judged_environments(model.plan());
  Responses responses = std::any_of(environments.begin(), environments.end(), judged)
                            ? run_environments(model, judged, quick, {}, as_found)
                            : Responses{model};
  Assessment assessment = assess(responses);
  return {std::move(responses), std::move(assessment)};
}

JudgedModel judge_as_it_is(LoadedPlan loaded, const AnalysisRequest& request,
                           const std::vector<std::filesystem::path>& kept, const Progress& progress) {
  if (loaded.plan.limits.empty())
    throw InputError(Problem{"", "the plan has no limits, and so no margins that could change",
                             "declare what must be met under limits:", Place{loaded.plan.file, 0, 0}});
  const auto judged = std::make_shared<const LoadedPlan>(keep_what_is_judged(std::move(loaded)));
  const DampedModel model = solve(judged, kept, judged_environments(judged->plan), progress);
  report_progress(progress, "margins as they are");
  JudgedModel judged_model = judge(model, request);
  judged_model.require_answered();
  return judged_model;
}

}  // namespace avrenk
