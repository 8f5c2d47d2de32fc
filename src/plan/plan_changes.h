/// plan/plan_changes.h: what differs between the plans of two runs.
#pragma once

#include <string>
#include <vector>

#include "files/source_files.h"

namespace avrenk {

/// One value of a plan: "parts.deck.thickness", "8 mm", "10 mm"; a side that does not have it is empty. Of a file that
/// a plan names its size, and that its content is another.
struct PlanChange {
  std::string path, first, second;
};

/// Values as they stand after includes, values: and what was set on the command line, in the order of the first plan;
/// those of the second alone at the end. Then files other than plans.
/// @throws InputError, FileError  a plan cannot be read
[[nodiscard]] std::vector<PlanChange> plan_changes(KeptPlan& first, KeptPlan& second);

}  // namespace avrenk
