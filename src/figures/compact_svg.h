/// figures/compact_svg.h: charts as they stand inside a page.
#pragma once

#include <string>

namespace avrenk {

/// The same picture in fewer bytes: groups without content are left out, and paths of straight lines become steps of
/// tenths of a pixel, from corners rounded to these: nothing moves by more than a twentieth.
[[nodiscard]] std::string compact_svg(const std::string& svg);

}  // namespace avrenk
