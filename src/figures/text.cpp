#include "figures/text.h"

#include <cairo/cairo.h>

#include <algorithm>
#include <memory>

#include "core/error.h"
#include "core/words.h"

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

}  // namespace

double text_width(const std::string& text, double points) { return ruler().width(text, points); }

std::vector<std::string> wrapped_text(const std::string& text, double points, double width) {
  return lines_of_words(words_of(text), width, [&](const std::string& line) { return text_width(line, points); });
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
