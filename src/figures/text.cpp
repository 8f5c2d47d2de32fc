#include "figures/text.h"

#include <cairo/cairo.h>

#include <algorithm>
#include <memory>

#include "core/error.h"

namespace avrenk {
namespace {

// A drawing surface of one pixel, for measuring only.
class Ruler {
 public:
  Ruler() { cairo_select_font_face(context_.get(), typeface, CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL); }
  double width(const std::string& text, double points) {
    cairo_set_font_size(context_.get(), points * 4 / 3);
    cairo_text_extents_t extents{};
    cairo_text_extents(context_.get(), text.c_str(), &extents);
    return extents.x_advance;
  }
  // Cairo draws with letters of its own where fontconfig finds no typeface.
  [[nodiscard]] bool has_typeface() const {
    return cairo_font_face_status(cairo_get_font_face(context_.get())) == CAIRO_STATUS_SUCCESS &&
           cairo_scaled_font_get_type(cairo_get_scaled_font(context_.get())) == CAIRO_FONT_TYPE_FT;
  }

 private:
  std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> surface_{
      cairo_image_surface_create(CAIRO_FORMAT_ARGB32, 1, 1), cairo_surface_destroy};
  std::unique_ptr<cairo_t, decltype(&cairo_destroy)> context_{cairo_create(surface_.get()), cairo_destroy};
};

Ruler& ruler() {
  thread_local Ruler own;
  return own;
}

std::vector<std::string> words_of(const std::string& text) {
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

bool begins_character(char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }

}  // namespace

double text_width(const std::string& text, double points) { return ruler().width(text, points); }

std::vector<std::string> wrapped_text(const std::string& text, double points, double width) {
  std::vector<std::string> lines(1);
  for (const std::string& word : words_of(text)) {
    std::string& line = lines.back();
    std::string longer = line;
    if (!longer.empty()) longer += ' ';
    longer += word;
    if (text_width(longer, points) <= width) {
      line = std::move(longer);
      continue;
    }
    if (!line.empty()) lines.emplace_back();
    for (std::size_t i = 0; i < word.size();) {
      std::size_t end = i + 1;
      while (end < word.size() && !begins_character(word[end])) ++end;
      const std::string character = word.substr(i, end - i);
      std::string next = lines.back();
      next += character;
      if (!lines.back().empty() && text_width(next, points) > width)
        lines.push_back(character);
      else
        lines.back() = std::move(next);
      i = end;
    }
  }
  return lines;
}

double fitting_size(const std::string& text, double points, double width, std::size_t lines) {
  while (points > 8 && wrapped_text(text, points, width).size() > lines) points -= 0.5;
  return std::max(points, 8.0);
}

void need_typeface() {
  if (!ruler().has_typeface())
    throw FileError("figures need a typeface, and none is installed; install fonts-dejavu-core, or use --no-figures");
}

}  // namespace avrenk
