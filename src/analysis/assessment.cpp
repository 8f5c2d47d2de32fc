#include "analysis/assessment.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/clock.h"

namespace avrenk {

bool Assessment::all_met() const {
  return std::all_of(limits.begin(), limits.end(), [](const LimitResult& result) { return result.met; }) &&
         std::all_of(variants.begin(), variants.end(),
                     [](const VariantAnswers& variant) { return variant.exceeded == 0; });
}

Assessment assess(const Responses& responses) {
  const DampedModel& model = responses.model;
  const Plan& plan = model.plan();
  Assessment assessment;
  assessment.limits = check_limits(plan.limits, responses.outcomes, responses.watched, model.basis(), model.assembly(),
                                   responses.on_random, responses.lives, model.damping->with_springs);
  assessment.equipment = equipment_levels(plan.equipment, responses.outcomes, responses.watched);
  return assessment;
}

Audit audit_truncation(const Responses& responses, const AnalysisRequest& request, StageReport& report,
                       const Progress& progress) {
  Audit found;
  if (responses.watched.empty() || responses.outcomes.empty()) return found;
  const DampedModel& model = responses.model;
  // A complex factorisation takes four times the operations of a real one, and about as long for each.
  constexpr double rate = 8e9, affordable = 5;  // operations a second; s
  constexpr int usual = 2;
  const double seconds = 4 * model.basis().factor_operations / rate;
  if (!request.audit && !model.modal->modes_from.empty()) {
    found.note = fmt::format(
        "Not audited against the full equations, because the modes were there already: --audit {} does it.", usual);
    return found;
  }
  if (!request.audit && usual * seconds > affordable) {
    found.note = fmt::format(
        "Not audited against the full equations, which would take about {:.0f} s a frequency: --audit {} does it.",
        seconds, usual);
    return found;
  }
  const StopWatch watch;
  for (std::size_t g = 0; g < responses.groups.size(); ++g) {
    const CaseGroup& group = responses.groups[g];
    if (group.basis->modes == 0) continue;
    std::vector<const CaseResults*> outcomes;  // and what acts at rest: beside it zero is told from rounding
    for (const CaseResults& outcome : responses.outcomes)
      if (outcome.at_rest() ||
          std::find(group.cases.begin(), group.cases.end(), outcome.excitation) != group.cases.end())
        outcomes.push_back(&outcome);
    const AuditSource source{model.assembly(),
                             model.system(),
                             *group.basis,
                             *group.damping,
                             model.plan().damping,
                             model.plan().watch,
                             responses.fields.source(),
                             responses.watched_by[g],
                             outcomes,
                             request.audit_at};
    const std::vector<double> frequencies =
        request.audit_at.empty() ? frequencies_that_matter(source, request.audit.value_or(usual)) : request.audit_at;
    for (AuditedAnswer& answer : audit(source, frequencies, progress)) found.answers.push_back(std::move(answer));
  }
  for (const double stated : request.audit_at)
    if (std::none_of(found.answers.begin(), found.answers.end(),
                     [&](const AuditedAnswer& answer) { return answer.frequency == stated; }))
      report.warnings.push_back(
          fmt::format("audit: no environment reaches {:.5g} Hz, so nothing was compared there", stated));
  report.times.push_back({"audit", watch.seconds()});
  return found;
}

}  // namespace avrenk
