/// figures/text.h: how wide text is in a picture, and how it is broken so that none of it is cut.
#pragma once

#include <string>
#include <vector>

namespace avrenk {

/// The one typeface of all figures.
inline constexpr const char* typeface = "DejaVu Sans";

/// Width in pixels of a line of text at a size in points (96 pixels an inch).
[[nodiscard]] double text_width(const std::string& text, double points);

/// The text in lines of at most `width` pixels, broken between words, and inside a word that is longer than a line.
/// Line ends and other control characters count as spaces.
[[nodiscard]] std::vector<std::string> wrapped_text(const std::string& text, double points, double width);

/// The largest size in points, at most `points` and at least 8, at which the text takes no more than `lines` lines.
[[nodiscard]] double fitting_size(const std::string& text, double points, double width, std::size_t lines);

/// @throws FileError  no typeface is installed: text would be missing from every picture
void need_typeface();

}  // namespace avrenk
