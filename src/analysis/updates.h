/// analysis/updates.h: a model brought to what a low-level run measured, and its margins then (theory, "Changes").
#pragma once

#include "analysis/margins.h"
#include "files/curve_files.h"

namespace avrenk {

/// A mode of the model that a measured curve shows.
struct MeasuredMode {
  int mode = 0;                                                     ///< from 0
  std::string from;                                                 ///< the curve
  double frequency_before = 0, frequency = 0, frequency_error = 0;  ///< Hz; the latter its standard error
  double damping_before = 0, damping = 0, damping_error = 0;        ///< share of critical
  double misfit = 0;                                                ///< of the fit: see CurveMode
  double share = 1, share_before = 1;  ///< of the strengths of all modes under its peak, measured and in the model
};

struct UpdateStudy {
  std::vector<MeasuredMode> modes;  ///< by frequency
  std::vector<std::string> doubts;  ///< why margins that are met are no "go", a sentence each; empty: they are
  JudgedModel before;               ///< the plan as it is
  JudgedModel updated;              ///< with the measured frequencies and damping
};

/// Modes are fitted to each curve over its input (fit_response), and each is taken for the mode of the model within a
/// fifth of its frequency that makes most of the response there when the base moves along the axis, near ones before
/// far ones. Modes of the model that make one peak together, those as strong as a tenth of the strongest within a
/// half-power width (three where one alone leaves more than 5 % of the curve), are fitted together and taken in the
/// order of their frequencies where the curve has phases and tells them apart. A mode gets the measured frequency, with
/// its shape as it was, and the measured damping in place of its own.
/// @param axis  0 to 5, along which the base moved while the curves were measured
/// @throws InputError  no limits; a curve that is not watched, or not over an input; no mode found in any
[[nodiscard]] UpdateStudy update_from_curves(LoadedPlan loaded, const AnalysisRequest& request,
                                             const CurveFile& measured, int axis,
                                             const std::vector<std::filesystem::path>& kept, const Progress& progress);

}  // namespace avrenk
