/// figures/response_charts.h: the charts of a run, from results to chart descriptions.
#pragma once

#include <functional>

#include "core/assess/limits.h"
#include "core/assess/notch.h"
#include "core/excitation/envelope.h"
#include "core/quantity/show.h"
#include "core/response/cross_spectrum.h"
#include "core/response/fine_curve.h"
#include "figures/chart.h"

namespace avrenk {

/// A chart with the name its file gets, and in one sentence what it shows: the text for those who cannot see it.
struct NamedChart {
  std::string name;
  Chart chart;
  std::string in_words;
};

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

/// A profile as the specification states it, with its tolerance band, the slopes of its stretches and, of a random one,
/// their areas.
struct ProfileSource {
  std::string name, heading;
  const LogLogTable& input;
  bool random = false;
  const Kind* kind = &kind::acceleration;  ///< what it is of: base motion, or a load where it is random
  double upper = 1, lower = 1;             ///< edges of the tolerance band, as factors on the level
  std::string tolerance;                   ///< "±3 dB"; empty: none
};
[[nodiscard]] NamedChart profile_chart(const ProfileSource& source, const Show& show);

/// Cross PSD, its phase, and the coherence of two responses.
[[nodiscard]] NamedChart cross_chart(const CrossSpectrum& spectrum, const Show& show);

/// Several of one kind in one picture.
[[nodiscard]] NamedChart profiles_chart(const std::vector<ProfileSource>& sources, const Show& show);

/// A curve under few straight lines: as it is, averaged where it was, and the lines.
struct EnvelopeSource {
  std::string name, title, heading;
  std::span<const double> grid, values;
  const Envelope& envelope;
  bool averaged = false;
  bool random = false;
  const Kind& kind;
};
[[nodiscard]] NamedChart envelope_chart(const EnvelopeSource& source, const Show& show);

/// What is specified, what no limit is passed under, and what is applied.
[[nodiscard]] NamedChart notch_chart(const NotchedInput& input, const Show& show);

/// The amplitude of a load over frequency, and its phase where it has one.
struct LoadProfileSource {
  std::string name, heading;
  Amplitude amplitude;
  const Kind& kind;
  double upper = 1, lower = 1;
  std::string tolerance;
};
[[nodiscard]] NamedChart load_profile_chart(const LoadProfileSource& source, const Show& show);

}  // namespace avrenk
