#include "analysis/analysis.h"

#include <fmt/format.h>

#include "analysis/variants.h"

namespace avrenk {

StageReport report_of(const DampedModel& model) {
  StageReport report;
  report.notes = model.plan().notes;
  const ModalModel& modal = *model.modal;
  for (const StageReport* stage : {&model.loaded->report, &modal.at_rest.report, &modal.report, &model.report})
    report.add(*stage);
  return report;
}

DampedModel solve(const std::shared_ptr<const LoadedPlan>& loaded, const std::vector<std::filesystem::path>& kept,
                  const EnvironmentChoice& applied, const Progress& progress) {
  return damp_model(loaded, std::make_shared<const ModalModel>(
                                solve_modal(bring_to_rest(loaded, progress), kept, applied, progress)));
}

Analysis analyse(const std::shared_ptr<const LoadedPlan>& loaded, const AnalysisRequest& request,
                 const AnalysisScope& scope, const std::vector<std::filesystem::path>& kept, const Progress& progress) {
  const EnvironmentSelection& selected = scope.environments;
  if (scope.responses) selected.require_in(loaded->plan);
  const EnvironmentChoice applied = [&](const Environment& environment) {
    return scope.responses && selected.includes(environment);
  };
  const DampedModel model = solve(loaded, kept, applied, progress);
  Analysis analysis;
  analysis.responses = std::make_shared<const Responses>(
      scope.responses ? run_environments(model, applied, request, progress) : Responses{model});
  const Responses& responses = *analysis.responses;
  analysis.assessment = assess(responses);
  Assessment& assessment = analysis.assessment;
  if (scope.responses) assessment.audit = audit_truncation(responses, request, assessment.report, progress);
  if (scope.variants)
    assessment.variants =
        judge_variants(responses, assessment.limits, request, scope.responses, assessment.report, progress);
  for (const VariantAnswers& variant : assessment.variants)
    for (const std::string& each : variant.unanswered)
      assessment.unanswered.push_back(fmt::format("{} with {} springs", each, variant.name));
  analysis.report = report_of(model);
  analysis.report.add(responses.report);
  analysis.report.add(assessment.report);
  if (request.figures) analysis.surface = surface_of(model.assembly());
  return analysis;
}

}  // namespace avrenk
