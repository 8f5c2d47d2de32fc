/// analysis/queries.h: answers to questions about a finished run, from its modes.
#pragma once

#include "analysis/responses.h"

namespace avrenk {

/// One number.
struct Answer {
  enum class What { largest, at_frequency, at_instant, rms, within, psd, steady };
  std::size_t question = 0;
  std::string of;  ///< "acceleration.z of tip"
  std::string in;  ///< the case: "sine.x"
  What what = What::largest;
  double value = 0;                                       ///< SI
  double frequency = std::nan(""), phase = std::nan("");  ///< Hz, rad; NaN where there is none
  std::string where;                                      ///< the worst place, or the only one
};

/// One curve over frequency: amplitude over the phase, with its phase where it is a single number; or a PSD.
struct AnswerCurve {
  std::size_t question = 0;
  std::string of, in;
  bool is_psd = false;
  std::vector<double> grid, value, phase;  ///< Hz; SI; rad, empty where there is none
  std::optional<SinePeak> peak{};          ///< of a sine, located exactly
};

/// One field; which of them there is, its question says.
struct AnswerField {
  std::size_t question = 0;
  std::shared_ptr<const Excitation> excitation;
  std::optional<StressField> stress;
  std::optional<BeamStressField> beams;
  std::optional<MotionField> motion;              ///< RMS and envelope under a random input
  std::optional<OperatingDeflectionShape> shape;  ///< of a sine; beside stress: what the model does meanwhile
};

struct Answers {
  std::vector<Answer> values;
  std::vector<AnswerCurve> curves;
  std::vector<AnswerField> fields;
  std::shared_ptr<const StressStations> stations;  ///< of fields of stress; nullptr: there are none
  std::vector<CaseGroup> groups;                   ///< whose modes shapes are of
};

/// Whether any question names the environment or a case of it, or none by name, and modes answer it.
[[nodiscard]] bool is_asked_of(const Environment& environment, const std::vector<Question>& questions);

/// Solves nothing: the cases asked for are applied to the modes. Of a place with several nodes the worst counts: of a
/// peak or RMS that of the whole band, at a frequency the largest there.
/// @throws InputError  a case that is combined or not answered by modes, a frequency outside its band, a mode that
/// there is not, a quantity without a meaning there: with the question
[[nodiscard]] Answers answer(const DampedModel& model, const std::vector<Question>& questions,
                             const Progress& progress = {});

/// Cases as they are applied to a model. Refers to what it is made from.
struct AppliedCases {
  const DampedModel& model;
  const std::vector<CaseGroup>& groups;
  std::vector<CaseResponses>& responses;             ///< of each group; as they were when all is answered
  std::shared_ptr<const StressStations> stations{};  ///< if they are known
};
/// The curves and fields of the figures that the plan asks for; Answer…::question counts these. One that has none
/// becomes a warning; one whose cases were not run is left out.
[[nodiscard]] std::shared_ptr<const Answers> answer_figures(const AppliedCases& applied,
                                                            std::vector<std::string>& warnings);

}  // namespace avrenk
