#include "figures/compact_svg.h"

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <regex>
#include <string_view>

namespace avrenk {
namespace {

// Tenths of a pixel as SVG reads them: "3", "-.5", "12.4".
std::string tenths(long value) {
  if (value % 10 == 0) return fmt::format("{}", value / 10);
  const long whole = std::labs(value) / 10;
  return fmt::format("{}{}.{}", value < 0 ? "-" : "", whole == 0 ? "" : fmt::format("{}", whole),
                     std::labs(value) % 10);
}

// "M1.00,2.00 L3.00,4.00 z" by steps; anything else as it is.
std::string by_steps(const std::string& path) {
  std::string text;
  long x = 0, y = 0;
  bool goes_on = false;  // the last command was a step: its letter holds for the next
  const char* at = path.c_str();
  const auto skip = [&] {
    while (*at == ' ' || *at == '\t' || *at == '\n' || *at == '\r') ++at;
  };
  for (skip(); *at != '\0'; skip()) {
    const char command = *at;
    if (command == 'z' || command == 'Z') {
      text += 'z';
      goes_on = false;
      ++at;
      continue;
    }
    if (command != 'M' && command != 'L') return path;
    char* end = nullptr;
    const double first = std::strtod(at + 1, &end);
    if (end == at + 1 || *end != ',') return path;
    at = end + 1;
    const double second = std::strtod(at, &end);
    if (end == at) return path;
    at = end;
    const long new_x = std::lround(10 * first), new_y = std::lround(10 * second);
    if (command == 'M') {
      text += fmt::format("M{},{}", tenths(new_x), tenths(new_y));
    } else if (new_x != x || new_y != y) {
      const std::string across = tenths(new_x - x), down = tenths(new_y - y);
      if (!goes_on)
        text += 'l';
      else if (across[0] != '-')
        text += ' ';
      text += across;
      if (down[0] != '-') text += ',';
      text += down;
    }
    goes_on = command == 'L' && (goes_on || new_x != x || new_y != y);
    x = new_x;
    y = new_y;
  }
  return text;
}

}  // namespace

std::string compact_svg(const std::string& svg) {
  constexpr std::string_view begin_path = " d='";
  std::string text;
  text.reserve(svg.size());
  for (std::size_t at = 0; at < svg.size();) {
    const std::size_t begin = svg.find(begin_path, at);
    if (begin == std::string::npos) {
      text.append(svg, at);
      break;
    }
    const std::size_t inside = begin + begin_path.size(), end = svg.find('\'', inside);
    if (end == std::string::npos) {
      text.append(svg, at);
      break;
    }
    text.append(svg, at, inside - at);
    text += by_steps(svg.substr(inside, end - inside));
    at = end;
  }
  // Groups without content, and white space at the ends of lines and their beginnings.
  static const std::regex empty_group("<g [^>]*>\\s*</g>\\n?"), around_lines("[ \\t]*\\n\\s*");
  return std::regex_replace(std::regex_replace(text, empty_group, ""), around_lines, "\n");
}

}  // namespace avrenk
