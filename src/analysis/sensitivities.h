/// analysis/sensitivities.h: what changes of a plan do to its margins, from the modes that are known (theory,
/// "Changes").
#pragma once

#include "analysis/margins.h"
#include "plan/plan_numbers.h"

namespace avrenk {

/// One number of the plan.
struct Change {
  PlanNumber number;
  /// Of each limit dm/d ln x: what its margin m gains for each per cent that the number grows, over one per cent. NaN
  /// where it cannot be said.
  std::vector<double> slopes;
  std::string why_not;  ///< why nothing can be said; empty where it can
};

/// What one change would have to be for a limit to be just met, and what the changed plan says when it is run.
struct ConfirmedChange {
  std::size_t limit = 0, change = 0;
  double factor = 1;         ///< on the number
  double margin = 0;         ///< of the limit then, with modes of its own
  std::size_t exceeded = 0;  ///< limits that are exceeded then
};

/// Frequencies and damping that may be others than they are thought to be, and the margin with them.
struct ScatteredMargin {
  double frequencies = 0;         ///< by which part all natural frequencies are off
  std::optional<double> damping;  ///< ζ of the general damping; absent: as it is
  std::vector<double> margins;    ///< of each limit
};

struct ChangeStudy {
  JudgedModel base;  ///< the plan as it is
  std::vector<Change> changes{};
  std::vector<ConfirmedChange> confirmed{};  ///< every one that was run, as far as one that does
  std::vector<ScatteredMargin> scattered{};  ///< the plan as it is among them; empty: no scatter is stated
};

/// Each number is made half a per cent larger and smaller, and the limits judged with modes in the span of those known
/// (KnownModes); stress is looked at where it was among the worst. For up to three limits that are exceeded the
/// least changes that would do on a straight line are run with modes of their own, the best of them twice, until one
/// does.
/// @throws InputError  no limits
[[nodiscard]] ChangeStudy study_changes(LoadedPlan loaded, const AnalysisRequest& request,
                                        const std::vector<PlanNumber>& numbers,
                                        const std::vector<std::filesystem::path>& kept, const Progress& progress);

}  // namespace avrenk
