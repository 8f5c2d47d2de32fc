/// analysis/field_survey.h: stress and motion of the whole model under every case, and all that is watched.
#pragma once

#include "analysis/case_groups.h"
#include "core/response/motion_survey.h"
#include "core/response/output.h"
#include "core/response/stress_found.h"

namespace avrenk {

/// What is known of the whole model, as far as somebody will look at it.
struct FieldSurvey {
  std::shared_ptr<const StressStations> stations{};  ///< of shells and solids; nullptr: none were looked at
  StressSurvey stress{};
  StressSurvey stress_asked{};                                      ///< of sines held at the frequencies asked for
  std::vector<BeamStressField> beam_stress{}, beam_stress_asked{};  ///< the same of the ends of beams
  std::vector<MotionField> motions{};                               ///< of random cases
  [[nodiscard]] StressFound found_stress() const { return {stations.get(), stress.fields, beam_stress}; }
  [[nodiscard]] StressFound found_stress_asked() const {
    return {stations.get(), stress_asked.fields, beam_stress_asked};
  }
  /// Where stress is looked at for what is watched.
  [[nodiscard]] StressSource source() const {
    return stations ? StressSource{stations.get(), &stress} : StressSource{};
  }
};

struct SurveyedCases {
  FieldSurvey fields;
  std::vector<std::vector<Output>> watched;  ///< of each group, by its own basis
  StageReport report{};
};

/// Stress of all shells and solids, or of those watched where nobody looks at fields; then all that is watched.
/// @param responses  of each group: see apply_cases
[[nodiscard]] SurveyedCases survey_cases(const DampedModel& model, const std::vector<CaseGroup>& groups,
                                         const std::vector<CaseResponses>& responses, bool with_fields,
                                         const Progress& progress = {});

}  // namespace avrenk
