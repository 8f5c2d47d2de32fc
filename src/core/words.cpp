#include "core/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace avrenk {
namespace {

bool begins_code_point(char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }

}  // namespace

std::string counted(std::size_t number, std::string_view noun) {
  return fmt::format("{} {}{}", number, noun, number == 1 ? "" : "s");
}

std::string_view trimmed(std::string_view text) {
  const auto first = text.find_first_not_of(" \t\r"), last = text.find_last_not_of(" \t\r");
  return first == std::string_view::npos ? std::string_view() : text.substr(first, last - first + 1);
}

std::string in_small_letters(std::string text) {
  for (char& c : text)
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  return text;
}

std::vector<std::string> words_of(std::string_view text) {
  std::vector<std::string> words(1);
  for (const char c : text) {
    if (static_cast<unsigned char>(c) > ' ')
      words.back() += c;
    else if (!words.back().empty())
      words.emplace_back();
  }
  if (words.back().empty()) words.pop_back();
  return words;
}

std::size_t display_width(std::string_view text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), begins_code_point));
}

std::vector<std::string> lines_of_words(const std::vector<std::string>& words, double width,
                                        const std::function<double(const std::string&)>& measure) {
  const auto wide = [&](const std::string& text) {
    return measure ? measure(text) : static_cast<double>(display_width(text));
  };
  std::vector<std::string> lines(1);
  for (const std::string& word : words) {
    std::string longer = lines.back();
    if (!longer.empty()) longer += ' ';
    longer += word;
    if (wide(longer) <= width) {
      lines.back() = std::move(longer);
      continue;
    }
    if (!lines.back().empty()) lines.emplace_back();
    for (std::size_t i = 0, end = 0; i < word.size(); i = end) {
      for (end = i + 1; end < word.size() && !begins_code_point(word[end]);) ++end;
      const std::string character = word.substr(i, end - i);
      if (!lines.back().empty() && wide(lines.back() + character) > width)
        lines.push_back(character);
      else
        lines.back() += character;
    }
  }
  return lines;
}

std::string wrapped(std::string_view text, std::size_t width, const std::string& indent) {
  std::string result;
  for (const std::string& line : lines_of_words(words_of(text), static_cast<double>(width - indent.size())))
    result += (result.empty() ? "" : indent) + line + "\n";
  return result;
}

}  // namespace avrenk
