/// analysis/variants.h: a plan's margins with its springs as softer, stiffer or otherwise other ones, from the modes
/// that are known.
#pragma once

#include "analysis/assessment.h"

namespace avrenk {

/// Modes of each variant of the plan, and what it makes of the limits where `with_margins`: all that they name is
/// answered again, with the same modes and residual vectors, under the inputs as limits lowered them for the plan as it
/// is. What is at rest before all else, preload, bolts and contacts, stays what it is with the springs as they are
/// stated.
/// @param limits  of the plan as it is
/// @param report  takes the time
[[nodiscard]] std::vector<VariantAnswers> judge_variants(const Responses& responses,
                                                         const std::vector<LimitResult>& limits,
                                                         const AnalysisRequest& request, bool with_margins,
                                                         StageReport& report, const Progress& progress);

}  // namespace avrenk
