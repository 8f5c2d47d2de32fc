#include "analysis/margins.h"

#include <algorithm>
#include <set>

namespace avrenk {

void keep_what_is_judged(Plan& plan) {
  plan.histories.clear();
  plan.cross_spectra.clear();
  plan.equipment.clear();
  plan.figures.clear();
  plan.test_sheets.reset();
  std::set<std::string> names;
  for (const Limit& limit : plan.limits) names.insert(limit.of);
  for (const LifeRequest& life : plan.lives)
    for (const LifeSubject& subject : life.subjects) names.insert(subject.of);
  std::erase_if(plan.watch, [&](const OutputRequest& each) {
    const std::vector<std::string> own = watched_names({each});
    return std::none_of(own.begin(), own.end(), [&](const std::string& name) { return names.contains(name); });
  });
}

namespace {

// Environments that limits and lives name, and what acts beside them.
std::vector<std::string> judged_environments(const Plan& plan) {
  std::set<std::string> named;
  const auto add = [&](const std::string& name) {
    for (const Environment& each : plan.environments)
      if (!each.is_static() && (name == each.name || name.starts_with(each.name + "."))) {
        named.insert(each.name);
        if (!each.superposed_on.empty()) named.insert(each.superposed_on);
      }
  };
  for (const Limit& limit : plan.limits)
    for (const std::string& name : limit.environments) add(name);
  for (const LifeRequest& life : plan.lives)
    for (const Exposure& exposure : life.through) add(exposure.environment);
  return {named.begin(), named.end()};
}

}  // namespace

void judge(Analysis& analysis, AnalysisRequest request) {
  request.figures = false;
  const std::vector<std::string> environments = judged_environments(analysis.plan);
  if (!environments.empty()) excite(analysis, std::nullopt, environments, request);
  assess(analysis);
}

void judge_as_it_is(Analysis& analysis, const AnalysisRequest& request, const std::vector<std::filesystem::path>& kept,
                    const Progress& progress) {
  if (analysis.plan.limits.empty())
    throw InputError(Problem{"", "the plan has no limits, and so no margins that could change",
                             "declare what must be met under limits:", Place{analysis.plan.file, 0, 0}});
  keep_what_is_judged(analysis.plan);
  solve(analysis, kept, progress);
  tell(progress, "margins as they are");
  judge(analysis, request);
}

}  // namespace avrenk
