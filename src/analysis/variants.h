/// analysis/variants.h: a plan's margins with its springs as softer, stiffer or otherwise other ones, from the modes
/// that are known.
#pragma once

#include "analysis/analysis.h"

namespace avrenk {

/// Modes of each variant of the plan, and what it makes of the limits where `with_margins`: all that they name is
/// answered again, with the same modes and residual vectors. What is at rest before all else, preload, bolts and
/// contacts, stays what it is with the springs as they are stated.
/// @param analysis  with its answers; what they were made from is lent meanwhile
void judge_variants(Analysis& analysis, const AnalysisRequest& request, bool with_margins, const Progress& progress);

}  // namespace avrenk
