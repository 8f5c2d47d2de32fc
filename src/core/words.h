/// core/words.h: plain text for those who read it: counted, trimmed, put on lines.
#pragma once

#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace avrenk {

/// "1 cell", "12 cells".
[[nodiscard]] std::string counted(std::size_t number, std::string_view noun);

/// Without spaces, tabs and carriage returns at its ends.
[[nodiscard]] std::string_view trimmed(std::string_view text);

/// With a to z in the place of A to Z.
[[nodiscard]] std::string in_small_letters(std::string text);

/// Words between spaces and control characters.
[[nodiscard]] std::vector<std::string> words_of(std::string_view text);

/// A text of anybody as it may stand on a terminal and in a log: whatever else would be obeyed there and not be shown,
/// control characters (C0, C1), marks that turn the direction of writing, and bytes that are no UTF-8, stands as �.
/// Line ends and tabs stay.
[[nodiscard]] std::string printable(std::string_view text);

/// Each line of a text of at most `most` columns: of longer ones the middle is left out, and how much that is stands
/// there.
[[nodiscard]] std::string shortened_lines(std::string_view text, std::size_t most);

/// Columns that a text takes on a terminal: its code points.
[[nodiscard]] std::size_t display_width(std::string_view text);

/// The words in lines of at most `width`, broken between words, and inside a word that is longer than a line; one empty
/// line without words.
/// @param measure  how wide a text is; absent: its columns on a terminal
[[nodiscard]] std::vector<std::string> lines_of_words(const std::vector<std::string>& words, double width,
                                                      const std::function<double(const std::string&)>& measure = {});

/// The text in lines of at most `width` columns, each line but the first after an indent, each ended.
[[nodiscard]] std::string wrapped(std::string_view text, std::size_t width, const std::string& indent = "");

}  // namespace avrenk
