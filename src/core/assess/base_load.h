/// core/assess/base_load.h: what one base takes from the vibrator under it while the model vibrates.
#pragma once

#include "core/response/case_response.h"
#include "core/response/channels.h"

namespace avrenk {

/// Of a sine the largest over frequency and phase, of a random input RMS values.
struct BaseLoad {
  double force = 0, force_at = 0;    ///< N, Hz: along the axis, a rigid mass that moves with the base included
  double moment = 0, moment_at = 0;  ///< N m, Hz: overturning, about the base's point, across the axis
};

/// F = F_base + m ü along an axis of translation, and the length of the two moments across it: exact over the
/// resonances of the model, where its mass alone would say little.
/// @param load  a sine or random
/// @param axis  0, 1, 2
/// @param mass  kg, of table, fixture and armature
[[nodiscard]] BaseLoad base_load(const CaseResponse& load, const Channels& channels, int base, const Vector3& point,
                                 int axis, double mass);

}  // namespace avrenk
