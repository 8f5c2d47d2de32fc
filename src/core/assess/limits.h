/// core/assess/limits.h: does it pass? Margins of responses and frequencies against what is allowed.
#pragma once

#include "core/response/environment.h"

namespace avrenk {

/// What is taken of a response.
struct Take {
  enum class Form { peak, rms, sigma };
  Form form = Form::peak;
  double sigma = 1;                         ///< multiple of the RMS
  [[nodiscard]] std::string words() const;  ///< "peak", "RMS", "3σ"
};

struct Limit {
  std::string name;
  // A watched quantity …
  std::string of;                         ///< "tip.acceleration.z"; empty for a frequency limit
  std::vector<std::string> environments;  ///< "random" (all its axes) or "random.z"
  Take take;
  double allowable = 0;  ///< SI
  double factor = 1;     ///< product of the factors of safety on the value
  std::string factors;   ///< "yield 1.25 × model 1.1", for tables
  // … or a natural frequency: the lowest mode with enough effective mass along a direction.
  int direction = 2;                   ///< 0..5
  double effective_mass_above = 0;     ///< fraction of the total
  std::optional<double> above, below;  ///< Hz
  [[nodiscard]] bool is_frequency() const { return of.empty(); }
};

struct LimitResult {
  const Limit* limit = nullptr;
  std::string what;   ///< "tip.acceleration.z, 3σ, random.z"
  std::string where;  ///< node or mode
  const Kind* kind = nullptr;
  double value = 0;  ///< SI or Hz
  double allowable = 0;
  double margin = 0;  ///< allowable/(factor × value) − 1; value/allowable − 1 for a frequency that must lie above
  bool met = false;
  bool gaussian = true;  ///< false: n sigma of a magnitude has no fixed probability
};

/// One result a limit: the worst over its environments and axes that were run. Worst margin first. A limit none of
/// whose environments was run gives no result.
[[nodiscard]] std::vector<LimitResult> check_limits(const std::vector<Limit>& limits,
                                                    const std::vector<Outcome>& outcomes,
                                                    const std::vector<Watched>& watched, const ModalBasis& basis);

}  // namespace avrenk
