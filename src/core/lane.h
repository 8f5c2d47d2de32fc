/// core/lane.h: eight numbers side by side, for loops that are compiled for wide registers besides: see
/// target_clones.
#pragma once

namespace avrenk {

inline constexpr int lane = 8;
/// Anywhere in an array of double.
using Lane = double __attribute__((vector_size(lane * sizeof(double)), aligned(sizeof(double)), may_alias));

}  // namespace avrenk
