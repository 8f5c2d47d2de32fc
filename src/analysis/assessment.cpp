#include "analysis/assessment.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/analysis_request.h"
#include "core/clock.h"

namespace avrenk {

bool Assessment::all_met() const {
  return unanswered.empty() &&
         std::all_of(limits.begin(), limits.end(), [](const LimitResult& result) { return result.met; }) &&
         std::all_of(variants.begin(), variants.end(),
                     [](const VariantAnswers& variant) { return variant.exceeded == 0; });
}

namespace {

// Judges limits as not met that look at cases which could not be answered, by themselves or through others.
class Unjudged {
 public:
  Unjudged(const Responses& responses, std::vector<LimitResult>& judged)
      : responses_(responses), plan_(responses.model.plan()), judged_(judged) {}

  void mark() {
    if (responses_.unanswered.empty()) return;
    for (const Limit& limit : plan_.limits)
      if (const std::string open = open_case(limit); !open.empty()) mark(limit, open);
    sort_worst_first(judged_);
  }

 private:
  // The unanswered case that something needs which names environments; empty: none.
  [[nodiscard]] std::string open_in(const std::string& environment) const {
    const auto named = std::find_if(plan_.environments.begin(), plan_.environments.end(),
                                    [&](const Environment& each) { return is_of(environment, each); });
    const std::string on = named == plan_.environments.end() ? "" : named->superposed_on;
    for (const auto& [excitation, reason] : responses_.unanswered)
      if (excitation->is_among({environment, on}) || environment == excitation->environment->name + ".combined")
        return excitation->name();
    return "";
  }
  [[nodiscard]] std::string open_case(const Limit& limit) const {
    std::vector<std::string> needed;
    if (const ResponseLimit* const response = limit.response()) {
      needed = response->environments;
      if (!response->with.empty()) needed.push_back(response->with);
    }
    if (const auto* const life = std::get_if<LifeLimit>(&limit.kind))
      for (const LifeRequest& request : plan_.lives)
        if (std::find(life->lives.begin(), life->lives.end(), request.name) != life->lives.end()) {
          for (const Exposure& exposure : request.through) needed.push_back(exposure.environment);
          if (!request.with.empty()) needed.push_back(request.with);
        }
    for (const std::string& each : needed)
      if (std::string open = open_in(each); !open.empty()) return open;
    if (const auto* const together = std::get_if<InteractionLimit>(&limit.kind))
      for (const auto& [name, other] : together->ratios)
        for (const Limit& each : plan_.limits)
          if (each.name == other)
            if (std::string open = open_case(each); !open.empty()) return open;
    return "";
  }
  void mark(const Limit& limit, const std::string& open) {
    auto found =
        std::find_if(judged_.begin(), judged_.end(), [&](const LimitResult& result) { return result.limit == &limit; });
    if (found == judged_.end()) {
      LimitResult result;
      result.limit = &limit;
      result.kind = &kind::number;
      const ResponseLimit* const response = limit.response();
      if (const Output* const output = response ? find_output(responses_.watched, response->of) : nullptr)
        result.kind = output->quantity->kind;
      result.allowable = limit.allowable;
      found = judged_.insert(judged_.end(), std::move(result));
    }
    found->answered = false;
    found->refuse();
    found->what = fmt::format("{}{} is not answered", limit.response() ? limit.response()->of + ": " : "", open);
    found->where.clear();
    found->value = std::nan("");
  }

  const Responses& responses_;
  const Plan& plan_;
  std::vector<LimitResult>& judged_;
};

// The largest von Mises stress of each part, of noise at 3σ, where it passes the yield of its material.
std::vector<std::string> yielding_parts(const Responses& responses) {
  constexpr double sigma = 3;
  const Assembly& assembly = responses.model.assembly();
  const StressFound found = responses.fields.found_stress();
  const DisplayUnit unit = responses.model.plan().show.unit(kind::stress);
  std::vector<std::string> sentences;
  for (int part = 0; part < static_cast<int>(assembly.parts.size()); ++part) {
    const Part& own = assembly.parts[static_cast<std::size_t>(part)];
    if (own.material < 0) continue;
    const Material& material = assembly.materials[static_cast<std::size_t>(own.material)];
    if (!material.yield) continue;
    double largest = 0;
    const Excitation* in = nullptr;
    const auto take = [&](const Excitation& excitation, double value) {
      const double stress = excitation.is_random() ? sigma * value : value;
      if (stress <= largest || is_replaced(excitation, responses.outcomes)) return;
      largest = stress;
      in = &excitation;
    };
    for (const StressField& field : found.fields)
      if (const WorstStress* const worst = field.worst_of(*found.stations, part);
          worst && field.quantity == StressQuantity::von_mises)
        take(*field.excitation, worst->value);
    for (const BeamStressField& field : found.beams)
      if (const WorstBeamStress* const worst = field.worst_of(assembly, part)) take(*field.excitation, worst->value);
    if (in && largest > *material.yield)
      sentences.push_back(
          fmt::format("part {}: its von Mises stress reaches {:.4g} {} in {}{}, and {} yields at {:.4g} {}", own.name,
                      unit.from_si(largest), unit.text, in->name(), in->is_random() ? " (3σ)" : "", material.name,
                      unit.from_si(*material.yield), unit.text));
  }
  return sentences;
}

}  // namespace

Assessment assess(const Responses& responses) {
  const DampedModel& model = responses.model;
  const Plan& plan = model.plan();
  Assessment assessment;
  assessment.limits = check_limits(plan.limits, responses.outcomes, responses.watched, model.basis(), model.assembly(),
                                   responses.on_random, responses.lives, model.damping->with_springs);
  Unjudged(responses, assessment.limits).mark();
  for (const UnansweredCase& each : responses.unanswered) assessment.unanswered.push_back(each.excitation->name());
  assessment.report.warnings = yielding_parts(responses);
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
