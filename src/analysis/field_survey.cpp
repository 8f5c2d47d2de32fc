#include "analysis/field_survey.h"

#include <algorithm>
#include <iterator>

#include "core/clock.h"
#include "core/response/channels.h"

namespace avrenk {
namespace {

// Sine cases held at the frequencies asked for.
CaseResponses held_responses(const DampedModel& model, const CaseGroup& group) {
  CaseResponses held;
  for (const auto& excitation : group.cases) {
    if (!excitation->is_sine()) continue;
    for (const AskedFrequency& at : excitation->asked)
      held.push_back(
          std::make_unique<CaseResponse>(held_at(*excitation, at), model.system(), *group.basis, *group.damping));
  }
  return held;
}

// What stress is looked at: von Mises of all shells and solids for fields, and what is watched.
std::vector<StressDemand> stress_demands(const Plan& plan, const Assembly& assembly, bool with_fields) {
  std::vector<StressDemand> demands;
  if (with_fields && !assembly.groups.empty()) {
    demands.emplace_back();
    for (std::size_t p = 0; p < assembly.parts.size(); ++p) demands[0].parts.push_back(static_cast<int>(p));
  }
  for (const OutputRequest& watched : plan.watch)
    if (!watched.parts.empty() && watched.quantity->of_nodes)
      demands.push_back({*watched.quantity->of_nodes, watched.parts, watched.stress_at});
  return demands;
}

}  // namespace

SurveyedCases survey_cases(const DampedModel& model, const std::vector<CaseGroup>& groups,
                           const std::vector<CaseResponses>& responses, bool with_fields, const Progress& progress) {
  SurveyedCases surveyed;
  FieldSurvey& fields = surveyed.fields;
  const Assembly& assembly = model.assembly();
  StopWatch start;
  std::vector<CaseResponses> held(groups.size());  // of each group, for fields
  for (std::size_t g = 0; with_fields && g < groups.size(); ++g) held[g] = held_responses(model, groups[g]);
  if (const std::vector<StressDemand> demands = stress_demands(model.plan(), assembly, with_fields); !demands.empty()) {
    report_progress(progress, "stress of shells and solids");
    fields.stations = std::make_shared<const StressStations>(assembly);
    for (std::size_t g = 0; g < groups.size(); ++g) {
      const auto survey = [&](const CaseResponses& of) {
        return survey_stress(assembly, model.system(), *groups[g].basis, *groups[g].damping, *fields.stations, of,
                             demands, model.threads());
      };
      add(fields.stress, survey(responses[g]));
      if (!held[g].empty()) add(fields.stress_asked, survey(held[g]));
    }
    surveyed.report.times.push_back({"stress of shells and solids", start.seconds()});
  }
  start = StopWatch();
  for (std::size_t g = 0; g < groups.size(); ++g) {
    const Channels channels(assembly, model.system(), *groups[g].basis, *groups[g].damping);
    surveyed.watched.push_back(watch(assembly, channels, model.plan().watch, fields.source()));
    if (!with_fields) continue;
    std::vector<MotionField> motions = survey_motion(assembly, channels, responses[g], model.threads());
    std::move(motions.begin(), motions.end(), std::back_inserter(fields.motions));
    const auto beams = [&](const CaseResponses& of, std::vector<BeamStressField>& found) {
      std::vector<BeamStressField> more = survey_beams(assembly, channels, *groups[g].basis, of, model.threads());
      std::move(more.begin(), more.end(), std::back_inserter(found));
    };
    beams(responses[g], fields.beam_stress);
    beams(held[g], fields.beam_stress_asked);
  }
  surveyed.report.times.push_back({"channels, motion, stress of beams", start.seconds()});
  return surveyed;
}

}  // namespace avrenk
