/// analysis/warnings.h: what a reader of the results must be warned of, added to the warnings of an analysis.
#pragma once

#include "analysis/analysis.h"

namespace avrenk {

/// The frequency that the modes are asked to reach and do not; 0: they do.
[[nodiscard]] double frequency_not_reached(const Analysis& analysis);

/// How far each mesh is good, and parts whose mesh is too coarse for the band that is excited.
void look_at_meshes(Analysis& analysis);
/// Modes that end too near the band, mass that they leave out, a model that the bases strain.
void warn_about_modes(Analysis& analysis);
/// Where a value given near a frequency found no mode.
void warn_about_damping(Analysis& analysis);
/// The watched quantity that coupling of the modes by their damping would change most, where that matters.
void warn_about_coupling(Analysis& analysis);

}  // namespace avrenk
