#include "analysis/variants.h"

#include <fmt/format.h>

#include <cmath>

#include "analysis/margins.h"
#include "core/clock.h"

namespace avrenk {

std::vector<VariantAnswers> judge_variants(const Responses& responses, const std::vector<LimitResult>& limits,
                                           const AnalysisRequest& request, bool with_margins, StageReport& report,
                                           const Progress& progress) {
  const StopWatch start;
  std::vector<VariantAnswers> variants;
  for (const std::string& name : responses.model.plan().variants) {
    report_progress(progress, fmt::format("springs {}", name));
    LoadedPlan other = keep_what_is_judged(*responses.model.loaded);
    other.plan.variant = name;
    const DampedModel model = with_springs_of(std::make_shared<const LoadedPlan>(std::move(other)), responses.model);
    VariantAnswers answers{name, model.damping->with_springs, std::vector<double>(limits.size(), std::nan(""))};
    if (with_margins && !limits.empty()) {
      const JudgedModel judged = judge(model, request, &responses.notched);
      answers.margins = judged.margins_of(limits);
      for (const LimitResult& result : judged.limits()) answers.exceeded += result.met ? 0 : 1;
      for (const UnansweredCase& each : judged.responses.unanswered) {
        answers.unanswered.push_back(each.excitation->name());
        report.warnings.push_back(
            fmt::format("springs {}: case {} is not answered: {}", name, each.excitation->name(), each.reason));
      }
    }
    variants.push_back(std::move(answers));
  }
  if (!variants.empty()) report.times.push_back({"variants of springs", start.seconds()});
  return variants;
}

}  // namespace avrenk
