/// analysis/judging.h: margins alone, without what is only to be seen.
#pragma once

#include "analysis/analysis.h"

namespace avrenk {

/// Leaves of a plan what its limits and lives look at.
void keep_what_is_judged(Plan& plan);

/// Runs the environments that limits and lives name, and judges the limits. @pre the modes are there
void judge(Analysis& analysis, const AnalysisRequest& request);

}  // namespace avrenk
