/// core/request/stress_quantity.h: which number a stress is.
#pragma once

#include <string_view>

namespace avrenk {

/// What of the stress at a place is looked at: von Mises; the normal stress in the direction in which it is largest; or
/// a component in the axes of the station.
enum class StressQuantity { von_mises, principal, xx, yy, zz, xy, yz, zx };
/// "von Mises", "principal stress", "stress xx": in plans and tables.
[[nodiscard]] std::string_view name_of(StressQuantity quantity);
/// Shells have neither zz nor yz nor zx: nothing acts on their surfaces.
[[nodiscard]] bool has_quantity(bool shell, StressQuantity quantity);

}  // namespace avrenk
