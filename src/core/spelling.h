/// core/spelling.h: the nearest valid name, for messages about a misspelt one.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace avrenk {

/// Number of insertions, deletions, replacements and swaps of neighbours that turn `a` into `b` (restricted
/// Damerau–Levenshtein distance; Damerau, Comm. ACM 7(3), 1964). Capitals do not count.
[[nodiscard]] int spelling_distance(std::string_view a, std::string_view b);

/// The candidate with the smallest spelling distance, if it is near enough to be what was meant:
/// at most a third of the word's length, and at least 1.
[[nodiscard]] std::optional<std::string> nearest_name(std::string_view word,
                                                      const std::vector<std::string>& candidates);

/// What to write instead of `word`: 'write "deck"', or 'write one of: a, b, c' if none is near; empty without
/// candidates.
[[nodiscard]] std::string suggest_name(std::string_view word, const std::vector<std::string>& candidates);

}  // namespace avrenk
