/// results/field_files.h: what is known at every node, as files for other viewers.
#pragma once

#include "analysis/analysis.h"
#include "files/run_folder.h"
#include "results/jobs.h"

namespace avrenk {

/// Writes fields/*.vtu: the model with the shapes of all modes, the shape of each sine environment at its strongest
/// peak and at frequencies asked for, and the stress of shells and solids, which goes to tables/*.stress.csv too. The
/// longest comes first.
[[nodiscard]] Jobs field_jobs(const Analysis& analysis, const RunFolder& folder);

}  // namespace avrenk
