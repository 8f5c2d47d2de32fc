// PNG and APNG (W3C, Portable Network Graphics, third edition): chunks with CRCs around one zlib stream an image.
#include <zlib.h>

#include <algorithm>

#include "core/error.h"
#include "figures/scene.h"

namespace avrenk {
namespace {

std::string big_endian(std::uint32_t value, int bytes = 4) {
  std::string text;
  for (int i = bytes - 1; i >= 0; --i) text += static_cast<char>(value >> (8 * i) & 0xFF);
  return text;
}

std::string chunk(const std::string& type, const std::string& content) {
  const std::string body = type + content;
  const auto sum = crc32(0, reinterpret_cast<const Bytef*>(body.data()), static_cast<uInt>(body.size()));
  return big_endian(static_cast<std::uint32_t>(content.size())) + body + big_endian(static_cast<std::uint32_t>(sum));
}

// Rows less the row above them, compressed.
std::string compressed(const Image& image) {
  const std::size_t row = 3 * static_cast<std::size_t>(image.width);
  std::string raw;
  raw.reserve((row + 1) * static_cast<std::size_t>(image.height));
  for (std::size_t y = 0; y < static_cast<std::size_t>(image.height); ++y) {
    raw += '\2';
    for (std::size_t i = 0; i < row; ++i) {
      const int above = y ? image.pixels[(y - 1) * row + i] : 0;
      raw += static_cast<char>(image.pixels[y * row + i] - above);
    }
  }
  uLongf size = compressBound(static_cast<uLong>(raw.size()));
  std::string packed(size, '\0');
  if (compress2(reinterpret_cast<Bytef*>(packed.data()), &size, reinterpret_cast<const Bytef*>(raw.data()),
                static_cast<uLong>(raw.size()), 6) != Z_OK)
    throw FileError("a picture could not be compressed");
  packed.resize(size);
  return packed;
}

std::string header(const Image& image) {
  return "\x89PNG\r\n\x1a\n" + chunk("IHDR", big_endian(static_cast<std::uint32_t>(image.width)) +
                                                 big_endian(static_cast<std::uint32_t>(image.height)) +
                                                 std::string("\x08\x02\x00\x00\x00", 5));
}

}  // namespace

std::string to_png(const Image& image) { return header(image) + chunk("IDAT", compressed(image)) + chunk("IEND", ""); }

std::string to_animated_png(const std::vector<Image>& images, int milliseconds) {
  std::string file = header(images.front()) +
                     chunk("acTL", big_endian(static_cast<std::uint32_t>(images.size())) + big_endian(0));  // for ever
  std::uint32_t sequence = 0;
  std::vector<std::string> data;
  for (std::size_t i = 0; i < images.size(); ++i) {
    file += chunk("fcTL", big_endian(sequence++) + big_endian(static_cast<std::uint32_t>(images[i].width)) +
                              big_endian(static_cast<std::uint32_t>(images[i].height)) + big_endian(0) + big_endian(0) +
                              big_endian(static_cast<std::uint32_t>(milliseconds), 2) + big_endian(1000, 2) +
                              std::string(2, '\0'));
    // A motion that goes back and forth shows most of its frames twice.
    const auto same = std::find_if(images.begin(), images.begin() + static_cast<std::ptrdiff_t>(i),
                                   [&](const Image& earlier) { return earlier.pixels == images[i].pixels; });
    const auto first = static_cast<std::size_t>(same - images.begin());
    data.push_back(first < i ? data[first] : compressed(images[i]));
    file += i == 0 ? chunk("IDAT", data[i]) : chunk("fdAT", big_endian(sequence++) + data[i]);
  }
  return file + chunk("IEND", "");
}

}  // namespace avrenk
