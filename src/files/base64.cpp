#include "files/base64.h"

#include <algorithm>
#include <array>
#include <cstdint>

namespace avrenk {

namespace {

constexpr std::string_view letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

}  // namespace

std::string base64(std::string_view bytes) {
  std::string text;
  text.reserve(4 * (bytes.size() / 3 + 1));
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    const std::size_t count = std::min<std::size_t>(3, bytes.size() - i);
    std::uint32_t group = 0;
    for (std::size_t k = 0; k < 3; ++k)
      group = group << 8 | (k < count ? static_cast<unsigned char>(bytes[i + k]) : 0U);
    for (std::size_t k = 0; k < 4; ++k) text += k <= count ? letters[group >> (18 - 6 * k) & 63] : '=';
  }
  return text;
}

std::optional<std::string> bytes_of_base64(std::string_view text) {
  static const std::array<int, 256> values = [] {
    std::array<int, 256> table{};
    table.fill(-1);
    for (std::size_t i = 0; i < letters.size(); ++i)
      table[static_cast<unsigned char>(letters[i])] = static_cast<int>(i);
    return table;
  }();
  if (text.size() % 4 != 0) return std::nullopt;
  std::string bytes;
  bytes.reserve(text.size() / 4 * 3);
  for (std::size_t i = 0; i < text.size(); i += 4) {
    std::uint32_t group = 0;
    std::size_t padding = 0;
    for (std::size_t k = 0; k < 4; ++k) {
      const char c = text[i + k];
      const int value = values[static_cast<unsigned char>(c)];
      if (c == '=' && k >= 2)
        ++padding;
      else if (value < 0 || padding > 0)
        return std::nullopt;
      group = group << 6 | static_cast<std::uint32_t>(c == '=' ? 0 : value);
    }
    if (padding > 0 && i + 4 < text.size()) return std::nullopt;
    for (std::size_t k = 0; k + padding < 3; ++k) bytes += static_cast<char>(group >> (16 - 8 * k) & 0xFF);
  }
  return bytes;
}

}  // namespace avrenk
