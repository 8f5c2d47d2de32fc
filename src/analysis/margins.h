/// analysis/margins.h: margins alone, without what is only to be seen.
#pragma once

#include "analysis/analysis.h"

namespace avrenk {

/// Leaves of a plan what its limits and lives look at.
void keep_what_is_judged(Plan& plan);

/// Runs the environments that limits and lives name, without what is only to be seen, and judges the limits. @pre the
/// modes are there
void judge(Analysis& analysis, AnalysisRequest request);

/// Modes and margins of a plan that was loaded, of which the rest is left out.
/// @throws InputError  it has no limits
void judge_as_it_is(Analysis& analysis, const AnalysisRequest& request, const std::vector<std::filesystem::path>& kept,
                    const Progress& progress);

}  // namespace avrenk
