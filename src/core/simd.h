/// core/simd.h: eight numbers side by side, for loops that are compiled for wide registers besides: see
/// target_clones.
#pragma once

namespace avrenk {

inline constexpr int simd_width = 8;
/// Anywhere in an array of double.
using SimdDoubles =
    double __attribute__((vector_size(simd_width * sizeof(double)), aligned(sizeof(double)), may_alias));

}  // namespace avrenk
