/// analysis/analysis_request.h: how a plan is to be worked with, and which of its environments.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/excitation/environment.h"
#include "plan/tree.h"

namespace avrenk {

struct Plan;

/// How a plan is to be worked with.
struct AnalysisRequest {
  std::vector<Override> overrides;
  int threads = 0;                 ///< 0: all cores
  bool figures = true;             ///< somebody will look at fields: stress of all shells and solids
  bool curves = true;              ///< somebody will look at curves: the largest of a place at every frequency
  std::optional<int> audit;        ///< frequencies at which the full equations are solved; absent: as time allows
  std::vector<double> audit_at{};  ///< Hz: stated ones, in their place
};

/// Whether an environment is to be answered.
using EnvironmentChoice = std::function<bool(const Environment& environment)>;

/// Whether a name is that of an environment or of one of its cases: "sine" and "sine.x" are of the environment sine.
[[nodiscard]] bool is_of(const std::string& name, const Environment& environment);

/// Environments by type and name.
struct EnvironmentSelection {
  std::optional<Environment::Type> type{};  ///< absent: of any
  std::vector<std::string> names{};         ///< empty: all
  /// Static environments are always among them: they act beside the others.
  [[nodiscard]] bool includes(const Environment& environment) const;
  /// @throws InputError  a name that is no environment of the type, or a type of which there is none
  void require_in(const Plan& plan) const;
};
/// No environment at all.
[[nodiscard]] inline bool no_environment(const Environment& /*environment*/) { return false; }

}  // namespace avrenk
