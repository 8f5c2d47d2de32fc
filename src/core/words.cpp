#include "core/words.h"

#include <fmt/format.h>

#include <algorithm>

namespace avrenk {
namespace {

bool begins_code_point(char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }

// Bytes of the code point that begins a text, by its first byte and those that go on; 0: it is no UTF-8.
std::size_t code_point_bytes(std::string_view text) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const std::size_t bytes = byte(0) < 0x80   ? 1
                            : byte(0) < 0xC2 ? 0
                            : byte(0) < 0xE0 ? 2
                            : byte(0) < 0xF0 ? 3
                            : byte(0) < 0xF5 ? 4
                                             : 0;
  if (bytes > text.size()) return 0;
  for (std::size_t i = 1; i < bytes; ++i)
    if (begins_code_point(text[i])) return 0;
  const bool overlong = (byte(0) == 0xE0 && byte(1) < 0xA0) || (byte(0) == 0xF0 && byte(1) < 0x90),
             outside = (byte(0) == 0xED && byte(1) > 0x9F) || (byte(0) == 0xF4 && byte(1) > 0x8F);
  return bytes > 2 && (overlong || outside) ? 0 : bytes;
}

// Whether a terminal obeys a code point and does not show it.
bool is_obeyed(std::string_view code_point) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(code_point[i]); };
  if (code_point.size() == 1) return (byte(0) < ' ' && byte(0) != '\n' && byte(0) != '\t') || byte(0) == 0x7F;
  if (code_point.size() == 2) return (byte(0) == 0xC2 && byte(1) < 0xA0) || code_point == "\u061C";
  if (code_point.size() > 3 || byte(0) != 0xE2) return code_point == "\uFEFF";
  const unsigned last = (byte(1) - 0x80U) * 0x40U + (byte(2) - 0x80U);  // from U+2000 on
  return last == 0x0E || last == 0x0F || (last >= 0x28 && last <= 0x2E) || (last >= 0x66 && last <= 0x69);
}

}  // namespace

std::string printable(std::string_view text) {
  std::string shown;
  shown.reserve(text.size());
  for (std::size_t i = 0; i < text.size();) {
    const std::size_t bytes = code_point_bytes(text.substr(i));
    const std::string_view own = text.substr(i, std::max<std::size_t>(bytes, 1));
    shown += bytes == 0 || is_obeyed(own) ? "\uFFFD" : own;
    i += own.size();
  }
  return shown;
}

std::string shortened_lines(std::string_view text, std::size_t most) {
  std::string result;
  for (std::size_t from = 0; from <= text.size();) {
    const std::size_t end = std::min(text.find('\n', from), text.size());
    const std::string_view line = text.substr(from, end - from);
    if (line.size() > most) {
      std::size_t head = 2 * most / 3, tail = line.size() - most / 3;
      while (head > 0 && !begins_code_point(line[head])) --head;
      while (tail < line.size() && !begins_code_point(line[tail])) ++tail;
      result += line.substr(0, head);
      result += fmt::format(" … ({} characters more) … ", display_width(line.substr(head, tail - head)));
      result += line.substr(tail);
    } else {
      result += line;
    }
    if (end < text.size()) result += '\n';
    from = end + 1;
  }
  return result;
}

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
