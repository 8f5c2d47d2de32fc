#include "core/spelling.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

namespace avrenk {

int spelling_distance(std::string_view a, std::string_view b) {
  const auto same = [](char x, char y) {
    return std::tolower(static_cast<unsigned char>(x)) == std::tolower(static_cast<unsigned char>(y));
  };
  std::vector<std::vector<int>> d(a.size() + 1, std::vector<int>(b.size() + 1));
  for (std::size_t i = 0; i <= a.size(); ++i) d[i][0] = static_cast<int>(i);
  for (std::size_t j = 0; j <= b.size(); ++j) d[0][j] = static_cast<int>(j);
  for (std::size_t i = 1; i <= a.size(); ++i) {
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const int replace = d[i - 1][j - 1] + (same(a[i - 1], b[j - 1]) ? 0 : 1);
      d[i][j] = std::min({d[i - 1][j] + 1, d[i][j - 1] + 1, replace});
      const bool swapped = i > 1 && j > 1 && same(a[i - 1], b[j - 2]) && same(a[i - 2], b[j - 1]);
      if (swapped) d[i][j] = std::min(d[i][j], d[i - 2][j - 2] + 1);
    }
  }
  return d[a.size()][b.size()];
}

std::optional<std::string> nearest_name(std::string_view word, const std::vector<std::string>& candidates) {
  std::optional<std::string> best;
  int smallest = std::max(1, static_cast<int>(word.size()) / 3) + 1;
  for (const std::string& candidate : candidates) {
    const int distance = spelling_distance(word, candidate);
    if (distance < smallest) {
      smallest = distance;
      best = candidate;
    }
  }
  return best;
}

std::string suggest_name(std::string_view word, const std::vector<std::string>& candidates) {
  if (candidates.empty()) return "";
  if (const auto nearest = nearest_name(word, candidates)) return fmt::format("write \"{}\"", *nearest);
  constexpr std::size_t most = 16;
  std::string list;
  for (std::size_t i = 0; i < std::min(candidates.size(), most); ++i) list += (i ? ", " : "") + candidates[i];
  if (candidates.size() > most) list += ", …";
  return candidates.size() == 1 ? fmt::format("write \"{}\"", candidates[0]) : fmt::format("write one of: {}", list);
}

}  // namespace avrenk
