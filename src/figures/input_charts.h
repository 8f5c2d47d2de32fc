/// figures/input_charts.h: what is specified and what is applied, as charts.
#pragma once

#include "core/assess/notch.h"
#include "core/excitation/amplitude.h"
#include "core/excitation/envelope.h"
#include "core/quantity/show.h"
#include "figures/chart.h"

namespace avrenk {

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
