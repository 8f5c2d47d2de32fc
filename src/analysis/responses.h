/// analysis/responses.h: the fifth stage: what all cases of environments do to the model, and what is asked of them.
#pragma once

#include <map>

#include "analysis/field_survey.h"
#include "core/assess/base_load.h"
#include "core/assess/life.h"
#include "core/assess/notch.h"
#include "core/response/contact_load.h"
#include "core/response/cross_spectrum.h"
#include "core/response/driven_modes.h"
#include "core/response/fields.h"
#include "core/response/fine_curve.h"
#include "core/response/history.h"
#include "core/response/on_random.h"
#include "core/response/power.h"

namespace avrenk {

struct Answers;  // analysis/queries.h

/// A case that could not be answered, and why: a sentence.
struct UnansweredCase {
  std::shared_ptr<const Excitation> excitation;
  std::string reason;
};

struct Responses {
  DampedModel model;                              ///< that responds
  std::vector<CaseGroup> groups{};                ///< the first: all modes
  std::vector<std::vector<Output>> watched_by{};  ///< of each group, by its own basis
  std::vector<Output> watched{};                  ///< of the first
  std::vector<EquivalentCase> equivalents{};      ///< of each case that vibrates, where springs depend on amplitude
  FieldSurvey fields{};
  std::vector<CaseResults> outcomes{};
  std::vector<ContactUnderLoad> contacts{};        ///< that states of the model press, under what vibrates
  std::vector<OperatingDeflectionShape> shapes{};  ///< of sine cases: at the strongest peak, then at what was asked for
  std::vector<std::vector<DrivenMode>> driven{};   ///< of each outcome that loads make; else empty
  std::vector<std::vector<PowerBalance>> power{};  ///< the same, at frequencies asked for and at the modes most driven
  std::vector<NotchedInput> notched{};             ///< inputs that limits lower, and what is applied in their place
  std::map<std::string, BaseLoad> base_loads{};    ///< of cases that test sheets are made of, by their name
  std::vector<Life> lives{};
  std::vector<History> histories{};
  std::vector<CrossSpectrum> cross_spectra{};
  std::vector<OnRandom> on_random{};                ///< tones and bands on random environments
  std::shared_ptr<const Answers> figure_answers{};  ///< of the figures that the plan asks for; nullptr: none
  std::vector<UnansweredCase> unanswered{};         ///< left out of all that stands above; warned of
  StageReport report{};

  /// Of a single case that vibrates: a watched quantity, by its index, where it has its worst, on points of its own.
  [[nodiscard]] FineCurve curve_of(const CaseResults& outcome, std::size_t index) const;
};

/// Runs the environments, all their cases, side by side: first what limits do to inputs, then stress and motion of the
/// whole model, then every case by itself, then cases together. A case that cannot be answered is left out, and what
/// stands for it together with others.
/// @param applied  among them all that the pressure fields of the model were made for
/// @throws NumericalError  none of them can be answered
/// @param as_found  inputs that were lowered for another state of the model, applied here as they are; nullptr: what
///                  limits do to inputs is found for this one
[[nodiscard]] Responses run_environments(const DampedModel& model, const EnvironmentChoice& applied,
                                         const AnalysisRequest& request, const Progress& progress = {},
                                         const std::vector<NotchedInput>* as_found = nullptr);

}  // namespace avrenk
