/// figures/pen.h: text and lines over an image, by Cairo. For scene.cpp.
#pragma once

#include <cairo/cairo.h>

#include <cmath>
#include <memory>
#include <string>

#include "figures/scene.h"
#include "figures/text.h"

namespace avrenk {

inline const Colour ink{0.12, 0.16, 0.22}, grey{0.42, 0.45, 0.50};  // of texts

/// Text and lines over an image.
class Pen {
 public:
  explicit Pen(Image& image)
      : image_(image),
        surface_(cairo_image_surface_create(CAIRO_FORMAT_RGB24, image.width, image.height), cairo_surface_destroy),
        context_(cairo_create(surface_.get()), cairo_destroy) {
    unsigned char* data = cairo_image_surface_get_data(surface_.get());
    const auto stride = static_cast<std::size_t>(cairo_image_surface_get_stride(surface_.get()));
    each_pixel([&](std::size_t x, std::size_t y, unsigned char* own) {
      unsigned char* at = data + y * stride + 4 * x;  // blue, green, red on every machine we build for
      at[0] = own[2];
      at[1] = own[1];
      at[2] = own[0];
    });
    cairo_surface_mark_dirty(surface_.get());
    cairo_select_font_face(context_.get(), typeface, CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
  }
  ~Pen() {
    cairo_surface_flush(surface_.get());
    const unsigned char* data = cairo_image_surface_get_data(surface_.get());
    const auto stride = static_cast<std::size_t>(cairo_image_surface_get_stride(surface_.get()));
    each_pixel([&](std::size_t x, std::size_t y, unsigned char* own) {
      const unsigned char* at = data + y * stride + 4 * x;
      own[0] = at[2];
      own[1] = at[1];
      own[2] = at[0];
    });
  }
  Pen(const Pen&) = delete;
  Pen& operator=(const Pen&) = delete;

  void text(double x, double y, const std::string& words, double points, const Colour& colour, double align = 0) {
    const double from = x - align * text_width(words, points);
    use(colour);
    cairo_set_font_size(context(), points * 4 / 3);
    cairo_move_to(context(), from, y);
    cairo_show_text(context(), words.c_str());
    cairo_new_path(context());
  }
  // Lines of text downwards; the next free height.
  double lines(double x, double y, const std::vector<std::string>& all, double points, const Colour& colour,
               double align = 0) {
    for (const std::string& line : all) {
      text(x, y, line, points, colour, align);
      y += 1.6 * points * 4 / 3 * 0.9;
    }
    return y;
  }
  void line(double x0, double y0, double x1, double y1, double width, const Colour& colour) {
    use(colour);
    cairo_set_line_width(context(), width);
    cairo_move_to(context(), x0, y0);
    cairo_line_to(context(), x1, y1);
    cairo_stroke(context());
  }
  void box(double x, double y, double width, double height, const Colour& colour, double alpha = 1) {
    cairo_set_source_rgba(context(), colour.red, colour.green, colour.blue, alpha);
    cairo_rectangle(context(), x, y, width, height);
    cairo_fill(context());
  }
  void ring(double x, double y, double radius) {
    cairo_new_path(context());
    cairo_arc(context(), x, y, radius, 0, 2 * std::numbers::pi);
    cairo_set_source_rgb(context(), 1, 1, 1);
    cairo_fill_preserve(context());
    cairo_set_line_width(context(), 2);
    use(ink);
    cairo_stroke(context());
  }
  void arrow_head(double x, double y, const Eigen::Vector2d& along, const Colour& colour) {
    const Eigen::Vector2d side(-along.y(), along.x());
    use(colour);
    cairo_move_to(context(), x + 9 * along.x(), y + 9 * along.y());
    cairo_line_to(context(), x + 4 * side.x(), y + 4 * side.y());
    cairo_line_to(context(), x - 4 * side.x(), y - 4 * side.y());
    cairo_close_path(context());
    cairo_fill(context());
  }

 private:
  template <class Each>
  void each_pixel(Each&& each) {
    for (std::size_t y = 0; y < static_cast<std::size_t>(image_.height); ++y)
      for (std::size_t x = 0; x < static_cast<std::size_t>(image_.width); ++x)
        each(x, y, image_.pixels.data() + 3 * (y * static_cast<std::size_t>(image_.width) + x));
  }
  [[nodiscard]] cairo_t* context() const { return context_.get(); }
  void use(const Colour& colour) { cairo_set_source_rgb(context(), colour.red, colour.green, colour.blue); }

  Image& image_;
  std::unique_ptr<cairo_surface_t, decltype(&cairo_surface_destroy)> surface_;
  std::unique_ptr<cairo_t, decltype(&cairo_destroy)> context_;
};

}  // namespace avrenk
