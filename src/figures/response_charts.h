/// figures/response_charts.h: the charts of a run, from results to chart descriptions.
#pragma once

#include "core/assess/limits.h"
#include "core/quantity/show.h"
#include "figures/chart.h"

namespace avrenk {

/// A chart with the name its file gets.
struct NamedChart {
  std::string name;
  Chart chart;
};

/// For each quantity of motion that is watched: the components along the excited axis, magnitude and phase (sine), or
/// PSD with the input (random). `heading` says damping and modes.
[[nodiscard]] std::vector<NamedChart> response_charts(const Outcome& outcome, const std::vector<Watched>& watched,
                                                      const std::vector<Limit>& limits, const std::string& heading,
                                                      const Show& show);

/// A profile as the specification states it.
[[nodiscard]] Chart profile_chart(const std::string& name, const LogLogTable& input, bool random, bool angular,
                                  const std::string& heading, const Show& show);

}  // namespace avrenk
