#include "analysis/notched_cases.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/field_survey.h"
#include "core/clock.h"
#include "core/model/spring_law.h"
#include "core/response/run_case.h"

namespace avrenk {
namespace {

bool is_limited(const std::vector<Limit>& limits, const Excitation& excitation) {
  return !excitation.is_static() && !excitation.is_combined &&
         std::any_of(limits.begin(), limits.end(),
                     [&](const Limit& limit) { return limit.is_notching() && covers(limit, excitation); });
}

// Whether what a notch is looked for with depends on the input that is applied.
bool depends_on_input(const DampedModel& model) {
  if (depend_on_amplitude(model.assembly().springs)) return true;
  const std::vector<OutputRequest>& requests = model.plan().watch;
  return std::any_of(requests.begin(), requests.end(),
                     [](const OutputRequest& request) { return request.quantity->of_nodes && !request.parts.empty(); });
}

// Cases, what answers them and what is watched there.
class Surveyed {
 public:
  Surveyed(const DampedModel& model, const Cases& cases, const Progress& progress)
      : model_(model),
        groups_(group_cases(model, cases, progress).groups),
        responses_(apply_cases(model, groups_)),
        watched_(survey_cases(model, groups_, responses_, false, progress).watched) {
    for (std::size_t g = 0; g < groups_.size(); ++g)
      for (std::size_t k = 0; k < groups_[g].cases.size(); ++k)
        if (const Excitation& excitation = *groups_[g].cases[k]; excitation.is_static())
          results_at_rest_.push_back(do_for_case(excitation, [&] { return run_case(*responses_[g][k], watched_[g]); }));
    for (const CaseResults& results : results_at_rest_) at_rest_.push_back(&results);
  }
  Surveyed(const Surveyed&) = delete;
  Surveyed& operator=(const Surveyed&) = delete;
  ~Surveyed() = default;

  // What a case is notched with, by what answers it, or what answers the input that is applied.
  [[nodiscard]] NotchTask task(const std::shared_ptr<const Excitation>& specified, const Excitation& answered) const {
    return {specified, model_.plan().limits, at_rest_, watched_[group_of(groups_, answered)], model_.system()};
  }
  [[nodiscard]] NotchModel answering(const Excitation& answered) const {
    const CaseGroup& group = groups_[group_of(groups_, answered)];
    return {*group.basis, *group.damping};
  }

 private:
  const DampedModel& model_;
  std::vector<CaseGroup> groups_;
  std::vector<CaseResponses> responses_;
  std::vector<std::vector<Output>> watched_;
  std::vector<CaseResults> results_at_rest_;
  std::vector<const CaseResults*> at_rest_;
};

// Notches again with what answers the inputs that were found, but in the last round. @return whether another one may do
// more
bool go_on(const DampedModel& model, const Cases& needed, int round, std::vector<NotchedInput>& notched,
           const Progress& progress) {
  constexpr int plain_rounds = 2, most_rounds = 16;
  constexpr double part = 0.5, margin = 1.002;  // of later ones, which settle where plain ones swing
  const Surveyed surveyed(model, with_notched(needed, notched), progress);
  bool more = false;
  for (NotchedInput& input : notched) {
    const NotchTask task = surveyed.task(input.specified, *input.applied);
    const NotchModel answering = surveyed.answering(*input.applied);
    std::vector<NotKept> passed = do_for_case(*input.specified, [&] { return passed_under(input, task, answering); });
    const bool is_missed =
        std::any_of(passed.begin(), passed.end(), [&](const NotKept& each) { return !input.cut.contains(each.limit); });
    if (!is_missed || round == most_rounds) {
      input.not_kept = std::move(passed);
      continue;
    }
    const bool plain = round < plain_rounds;
    input = do_for_case(*input.specified, [&] {
      return *notched_input(task, answering, NotchApproach{input, plain ? 1 : part, plain ? 1 : margin});
    });
    more = true;
  }
  return more;
}

void warn_about(const NotchedInput& input, StageReport& report) {
  for (const NotKept& each : input.not_kept)
    report.warnings.push_back(fmt::format(
        "limit {}: no notch that it allows keeps it in {}: {}", each.limit->name, input.specified->name(),
        std::isfinite(each.over) ? fmt::format("what is applied passes it by {:.2g} %", 100 * (each.over - 1))
                                 : "what acts at rest takes all that is allowed"));
}

}  // namespace

NotchedCases notch_cases(const DampedModel& model, const Cases& cases, const Progress& progress) {
  NotchedCases result;
  const std::vector<Limit>& limits = model.plan().limits;
  Cases needed;
  for (const auto& excitation : cases)
    if (!excitation->is_combined && (excitation->is_static() || is_limited(limits, *excitation)))
      needed.push_back(excitation);
  if (std::all_of(needed.begin(), needed.end(), [](const auto& excitation) { return excitation->is_static(); }))
    return result;
  report_progress(progress, "notches");
  const StopWatch start;
  {
    const Surveyed surveyed(model, needed, progress);
    for (const auto& excitation : needed) {
      if (excitation->is_static()) continue;
      if (auto found = do_for_case(*excitation, [&] {
            return notched_input(surveyed.task(excitation, *excitation), surveyed.answering(*excitation));
          }))
        result.notched.push_back(std::move(*found));
    }
  }
  if (depends_on_input(model) && !result.notched.empty())
    for (int round = 0; go_on(model, needed, round, result.notched, progress); ++round) continue;
  for (const NotchedInput& input : result.notched) warn_about(input, result.report);
  result.report.times.push_back({"notches", start.seconds()});
  return result;
}

std::vector<NotchedInput> apply_as_found(const Cases& cases, const std::vector<NotchedInput>& found) {
  std::vector<NotchedInput> applied;
  for (const auto& excitation : cases)
    for (const NotchedInput& input : found)
      if (!excitation->is_combined && excitation->name() == input.specified->name()) {
        applied.push_back(input);
        applied.back().specified = excitation;
        applied.back().applied = applied_in_place_of(excitation, input.table);
      }
  return applied;
}

Cases with_notched(Cases cases, const std::vector<NotchedInput>& notched) {
  for (const NotchedInput& input : notched)
    cases.insert(std::find(cases.begin(), cases.end(), input.specified) + 1, input.applied);
  return cases;
}

}  // namespace avrenk
