/// figures/response_charts.h: the charts of a run, from results to chart descriptions.
#pragma once

#include <functional>

#include "core/assess/limits.h"
#include "core/quantity/show.h"
#include "core/response/cross_spectrum.h"
#include "core/response/fine_curve.h"
#include "figures/chart.h"

namespace avrenk {

/// What the charts of a run are made from.
struct ChartSource {
  const std::vector<Output>& watched;
  const std::vector<Limit>& limits;
  const ModalBasis& basis;
  std::string heading;  ///< damping and modes
  const Show& show;
  /// The curve of a watched quantity, by its index, where an outcome has its worst: see core/response/fine_curve.h.
  std::function<FineCurve(const CaseResults& outcome, std::size_t watched)> curve;
};

/// Sine: magnitude and phase, with input, limits, natural frequencies and peaks. Random: PSD with the input and the
/// dominating frequencies, and the running RMS. One chart for each quantity of motion, components along the excited
/// axis together, and for each other quantity that a limit judges in this environment.
[[nodiscard]] std::vector<NamedChart> response_charts(const CaseResults& outcome, const ChartSource& source);

/// Real and imaginary part of the same sine responses, where one channel makes the quantity.
[[nodiscard]] std::vector<NamedChart> complex_charts(const CaseResults& outcome, const ChartSource& source);

/// Cross PSD, its phase, and the coherence of two responses.
[[nodiscard]] NamedChart cross_chart(const CrossSpectrum& spectrum, const Show& show);

}  // namespace avrenk
