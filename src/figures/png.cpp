// PNG and APNG (W3C, Portable Network Graphics, third edition): chunks with CRCs around one zlib stream an image.
#include <zlib.h>

#include <algorithm>
#include <array>
#include <climits>
#include <cmath>
#include <unordered_map>

#include "core/error.h"
#include "figures/scene.h"
#include "files/deflate.h"

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
  return deflated(raw);
}

enum class Pixels : char { of_three = 2, of_a_palette = 3 };

std::string header(const Image& image, Pixels pixels) {
  const std::string form{8, static_cast<char>(pixels), 0, 0, 0};
  return "\x89PNG\r\n\x1a\n" + chunk("IHDR", big_endian(static_cast<std::uint32_t>(image.width)) +
                                                 big_endian(static_cast<std::uint32_t>(image.height)) + form);
}

constexpr std::size_t palette_colours = 256, kept_exactly = 64;

struct Counted {
  std::array<int, 3> colour{};
  double count = 0;
};

// Colours that lie side by side in space, to be shown as their mean.
struct Cluster {
  std::vector<Counted> members;
  std::array<double, 3> mean{};
  double weight = 0;  // sum of squared distances from the mean along the widest channel
  std::size_t widest = 0;

  explicit Cluster(std::vector<Counted> own) : members(std::move(own)) {
    std::array<double, 3> sum{}, squares{};
    double count = 0;
    for (const Counted& counted : members) {
      count += counted.count;
      for (std::size_t c = 0; c < 3; ++c) {
        sum[c] += counted.count * counted.colour[c];
        squares[c] += counted.count * counted.colour[c] * counted.colour[c];
      }
    }
    for (std::size_t c = 0; c < 3; ++c) {
      mean[c] = sum[c] / count;
      if (const double own_weight = squares[c] - count * mean[c] * mean[c]; own_weight > weight) {
        weight = own_weight;
        widest = c;
      }
    }
  }
};

// Few colours for many: the most frequent exactly, the others as the means of clusters, of which that with the largest
// error is cut in two again and again (Wan, Wong & Prusinkiewicz, ACM Trans. Math. Softw. 14, 1988).
std::vector<std::array<int, 3>> palette_of(std::vector<Counted> colours) {
  std::sort(colours.begin(), colours.end(), [](const Counted& a, const Counted& b) {
    return std::pair(-a.count, a.colour) < std::pair(-b.count, b.colour);
  });
  std::vector<std::array<int, 3>> palette;
  const std::size_t exact = colours.size() <= palette_colours ? colours.size() : kept_exactly;
  for (std::size_t i = 0; i < exact; ++i) palette.push_back(colours[i].colour);
  if (exact == colours.size()) return palette;
  std::vector<Cluster> clusters;
  clusters.emplace_back(std::vector<Counted>(colours.begin() + static_cast<std::ptrdiff_t>(exact), colours.end()));
  while (clusters.size() + exact < palette_colours) {
    const auto worst = std::max_element(clusters.begin(), clusters.end(),
                                        [](const Cluster& a, const Cluster& b) { return a.weight < b.weight; });
    if (!(worst->weight > 0)) break;
    const std::size_t c = worst->widest;
    const auto cut = std::partition(worst->members.begin(), worst->members.end(),
                                    [&](const Counted& each) { return each.colour[c] <= worst->mean[c]; });
    std::vector<Counted> upper(cut, worst->members.end());
    worst->members.erase(cut, worst->members.end());
    *worst = Cluster(std::move(worst->members));
    clusters.emplace_back(std::move(upper));
  }
  for (const Cluster& cluster : clusters) {
    std::array<int, 3> colour{};
    for (std::size_t c = 0; c < 3; ++c) colour[c] = static_cast<int>(std::lround(cluster.mean[c]));
    palette.push_back(colour);
  }
  return palette;
}

// A byte a pixel, and the palette: a third of the bytes, and smooth shades lose less than the eye sees.
std::string indexed(const Image& image) {
  const std::size_t pixels = image.pixels.size() / 3;
  const auto key = [&](std::size_t p) {
    return static_cast<std::uint32_t>(image.pixels[3 * p]) << 16U |
           static_cast<std::uint32_t>(image.pixels[3 * p + 1]) << 8U | image.pixels[3 * p + 2];
  };
  std::unordered_map<std::uint32_t, int> counts;
  for (std::size_t p = 0; p < pixels; ++p) ++counts[key(p)];
  const auto split = [](std::uint32_t colour) {
    return std::array{static_cast<int>(colour >> 16U), static_cast<int>(colour >> 8U & 0xFFU),
                      static_cast<int>(colour & 0xFFU)};
  };
  std::vector<Counted> colours;
  colours.reserve(counts.size());
  for (const auto& [colour, count] : counts) colours.push_back({split(colour), static_cast<double>(count)});
  const std::vector<std::array<int, 3>> palette = palette_of(std::move(colours));
  for (auto& [colour, index] : counts) {
    const std::array<int, 3> own = split(colour);
    int nearest = INT_MAX;
    for (std::size_t i = 0; i < palette.size(); ++i) {
      int distance = 0;
      for (std::size_t c = 0; c < 3; ++c) distance += (own[c] - palette[i][c]) * (own[c] - palette[i][c]);
      if (distance < nearest) {
        nearest = distance;
        index = static_cast<int>(i);
      }
    }
  }
  std::string table, raw;
  for (const std::array<int, 3>& each : palette)
    for (const int channel : each) table += static_cast<char>(channel);
  const auto row = static_cast<std::size_t>(image.width);
  raw.reserve(pixels + static_cast<std::size_t>(image.height));
  for (std::size_t p = 0; p < pixels; ++p) {
    if (p % row == 0) raw += '\0';
    raw += static_cast<char>(counts.at(key(p)));
  }
  return chunk("PLTE", table) + chunk("IDAT", deflated(raw));
}

}  // namespace

std::string to_png(const Image& image) {
  return header(image, Pixels::of_a_palette) + indexed(image) + chunk("IEND", "");
}

std::string to_animated_png(const std::vector<Image>& images, int milliseconds) {
  std::string file = header(images.front(), Pixels::of_three) +
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
