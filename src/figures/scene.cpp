#include "figures/scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>

#include "figures/canvas.h"
#include "figures/pen.h"
#include "figures/text.h"
#include "files/table.h"

namespace avrenk {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

double srgb(double linear) {
  linear = std::clamp(linear, 0.0, 1.0);
  return linear <= 0.0031308 ? 12.92 * linear : 1.055 * std::pow(linear, 1 / 2.4) - 0.055;
}

Colour from_oklab(double lightness, double a, double b) {
  const double l = std::pow(lightness + 0.3963377774 * a + 0.2158037573 * b, 3),
               m = std::pow(lightness - 0.1055613458 * a - 0.0638541728 * b, 3),
               s = std::pow(lightness - 0.0894841775 * a - 1.2914855480 * b, 3);
  return {srgb(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s),
          srgb(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s),
          srgb(-0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s)};
}

constexpr int field_steps = 1000;

Colour exact_field_colour(double p) {
  const double lightness = 0.36 + 0.57 * p, hue = (295 - 190 * p) * std::numbers::pi / 180;
  const double chroma = 0.095 + 0.055 * p * p;
  return from_oklab(lightness, chroma * std::cos(hue), chroma * std::sin(hue));
}

// From space to samples on the canvas.
struct Projection {
  Eigen::Matrix3d axes;
  double scale = 1;
  Vector2d origin = Vector2d::Zero();
  [[nodiscard]] Vector3d operator()(const Vector3d& point) const {
    const Vector3d p = axes * point;
    return {origin.x() + scale * p.x(), origin.y() - scale * p.y(), scale * p.z()};
  }
};

struct Room {  // px: where the model goes
  double left, right, top, bottom;
};

Projection fitted(const Scene& scene, const std::vector<Vector3d>& frame, const View& view, const Room& room) {
  Projection projection{view.axes()};
  Vector2d low = Vector2d::Constant(HUGE_VAL), high = -low;
  const auto take = [&](const Vector3d& point) {
    const Vector2d p = (projection.axes * point).head<2>();
    low = low.cwiseMin(p);
    high = high.cwiseMax(p);
  };
  for (const Vector3d& point : scene.points) take(point);
  for (const Vector3d& point : frame) take(point);
  if (!(low.x() <= high.x())) low = high = Vector2d::Zero();
  const Vector2d span = (high - low).cwiseMax(1e-12);
  projection.scale = pixel_samples * std::min((room.right - room.left) / span.x(), (room.bottom - room.top) / span.y());
  const Vector2d middle = 0.5 * (low + high);
  projection.origin = {0.5 * pixel_samples * (room.left + room.right) - projection.scale * middle.x(),
                       0.5 * pixel_samples * (room.top + room.bottom) + projection.scale * middle.y()};
  return projection;
}

void draw_faces(const Scene& scene, const Projection& project, Canvas& canvas) {
  const Vector3d light = Vector3d(-0.3, 0.5, 0.8).normalized();  // in the axes of the eye
  for (const Scene::Face& face : scene.faces) {
    std::array<Canvas::Corner, 4> corners;
    const std::size_t count = face.corners[3] < 0 ? 3 : 4;
    for (std::size_t i = 0; i < count; ++i) {
      const auto point = static_cast<std::size_t>(face.corners[i]);
      corners[i] = {project(scene.points[point]), scene.values[point]};
    }
    Vector3d normal = (corners[2].at - corners[0].at).cross(corners[count - 1].at - corners[1].at);
    if (count == 3) normal = (corners[1].at - corners[0].at).cross(corners[2].at - corners[0].at);
    normal.y() *= -1;
    normal.normalize();
    const double bright = 0.8 + 0.2 * std::abs(normal.dot(light));
    const auto paint = [&](double value) {
      Colour colour = face.paint < 0 ? field_colour(value) : scene.paints[static_cast<std::size_t>(face.paint)];
      return Colour{bright * colour.red, bright * colour.green, bright * colour.blue};
    };
    canvas.triangle(corners[0], corners[1], corners[2], paint);
    if (count == 4) canvas.triangle(corners[0], corners[2], corners[3], paint);
  }
}

// A stroke is a narrow rectangle; on a surface it lies a little nearer to the eye than what it runs along.
void draw_strokes(const Scene& scene, const Projection& project, Canvas& canvas) {
  for (const Scene::Stroke& stroke : scene.strokes) {
    constexpr double in_front_of_all = 1e6;  // samples
    const Vector3d a = project(scene.points[static_cast<std::size_t>(stroke.from)]),
                   b = project(scene.points[static_cast<std::size_t>(stroke.to)]);
    const Vector2d along = (b - a).head<2>();
    const double length = along.norm(), half = 0.5 * pixel_samples * stroke.width;
    const Vector2d unit = length > 1e-9 ? Vector2d(along / length) : Vector2d(1, 0);
    const Vector3d side(-unit.y() * half, unit.x() * half, 0), end(unit.x() * half * 0.5, unit.y() * half * 0.5, 0),
        nearer(0, 0,
               stroke.in_front     ? in_front_of_all
               : stroke.on_surface ? pixel_samples * (0.75 + 0.5 * stroke.width)
                                   : 0);
    const double va = scene.values[static_cast<std::size_t>(stroke.from)],
                 vb = scene.values[static_cast<std::size_t>(stroke.to)];
    const Canvas::Corner c0{a + side - end + nearer, va}, c1{a - side - end + nearer, va},
        c2{b - side + end + nearer, vb}, c3{b + side + end + nearer, vb};
    const auto paint = [&](double value) {
      return stroke.paint < 0 ? field_colour(value) : scene.paints[static_cast<std::size_t>(stroke.paint)];
    };
    canvas.triangle(c0, c1, c2, paint);
    canvas.triangle(c0, c2, c3, paint);
  }
}

void draw_triad(Pen& pen, const Eigen::Matrix3d& axes, double x, double y, double size) {
  const Colour colours[] = {{0.78, 0.20, 0.14}, {0.0, 0.53, 0.22}, {0.09, 0.33, 0.75}};
  const char* names[] = {"x", "y", "z"};
  std::array<int, 3> order{0, 1, 2};
  std::sort(order.begin(), order.end(), [&](int a, int b) { return axes(2, a) < axes(2, b); });  // nearest last
  for (const int d : order) {
    const Vector2d tip(size * axes(0, d), -size * axes(1, d));
    const Vector2d along = tip.norm() > 1e-6 ? Vector2d(tip.normalized()) : Vector2d(0, -1);
    pen.line(x, y, x + tip.x(), y + tip.y(), 2.6, colours[d]);
    pen.arrow_head(x + tip.x(), y + tip.y(), along, colours[d]);
    pen.text(x + tip.x() + 21 * along.x(), y + tip.y() + 21 * along.y() + 5, names[d], 12, colours[d], 0.5);
  }
}

void draw_bar(Pen& pen, const ColourBar& bar, double x, double top, double bottom, double room) {
  double y = top;
  y = pen.lines(x, y, wrapped_text(bar.title, 11, room), 11, ink);
  y += 4;
  const int steps = static_cast<int>(bottom - y);
  for (int i = 0; i < steps; ++i) {
    const double part = 1 - (i + 0.5) / steps;
    pen.box(x, y + i, 24, 1.5, field_colour(part));
  }
  constexpr int ticks = 8;
  for (int k = 0; k <= ticks; ++k) {
    const double part = static_cast<double>(k) / ticks, at = bottom - (bottom - y) * part;
    const double value =
        bar.logarithmic ? bar.from * std::pow(bar.to / bar.from, part) : bar.from + (bar.to - bar.from) * part;
    pen.line(x + 24, at, x + 30, at, 1, grey);
    pen.text(x + 36, at + 5, format_number(value, 3), 11, ink);
  }
}

}  // namespace

Colour field_colour(double part) {
  // Looked up: it is asked for at every sample of a picture.
  static const std::vector<Colour> table = [] {
    std::vector<Colour> steps;
    for (int i = 0; i <= field_steps; ++i) steps.push_back(exact_field_colour(static_cast<double>(i) / field_steps));
    return steps;
  }();
  return table[static_cast<std::size_t>(std::lround(std::clamp(part, 0.0, 1.0) * field_steps))];
}

Colour part_colour(std::size_t i) {
  // Soft tones of the charts' colours; further ones by lightness.
  constexpr Colour tones[] = {{0.36, 0.60, 0.80}, {0.90, 0.62, 0.38}, {0.40, 0.73, 0.60}, {0.84, 0.64, 0.76},
                              {0.93, 0.79, 0.42}, {0.62, 0.80, 0.92}, {0.66, 0.66, 0.70}, {0.70, 0.55, 0.45},
                              {0.75, 0.34, 0.30}, {0.60, 0.70, 0.35}, {0.52, 0.47, 0.72}, {0.30, 0.52, 0.52}};
  const Colour tone = tones[i % std::size(tones)];
  const double darker = 1 - 0.18 * static_cast<double>((i / std::size(tones)) % 3);
  return {darker * tone.red, darker * tone.green, darker * tone.blue};
}

Eigen::Matrix3d View::axes() const {
  const double a = azimuth * std::numbers::pi / 180, e = elevation * std::numbers::pi / 180;
  const Vector3d eye(std::cos(e) * std::cos(a), std::cos(e) * std::sin(a), std::sin(e)),
      right(-std::sin(a), std::cos(a), 0);
  Eigen::Matrix3d rows;
  rows.row(0) = right;
  rows.row(1) = eye.cross(right);
  rows.row(2) = eye;
  return rows;
}

namespace {

void draw_marks(Pen& pen, const Picture& picture, const Projection& project, double right, double top) {
  struct Label {
    double x, y, wide;
  };
  std::vector<Label> labels;
  for (const Picture::Mark& mark : picture.marks) {
    const Vector3d at = project(mark.point) / pixel_samples;
    const double wide = text_width(mark.text, 11) + 12;
    Label label{at.x() + 16 + wide > right ? at.x() - 16 - wide : at.x() + 16, std::max(at.y() - 18, top), wide};
    const auto covers = [&](const Label& other) {
      return std::abs(label.y - other.y) < 24 && label.x < other.x + other.wide && other.x < label.x + label.wide;
    };
    for (bool again = true; again && label.y > top;) {
      again = false;
      for (const Label& other : labels)
        if (covers(other)) {
          label.y = other.y - 24;
          again = true;
        }
    }
    labels.push_back(label);
    pen.box(label.x, label.y - 15, wide, 22, {1, 1, 1}, 0.85);
    pen.text(label.x + 6, label.y + 1, mark.text, 11, ink);
    pen.ring(at.x(), at.y(), 5);
  }
}

}  // namespace

Image draw(const Scene& scene, const Picture& picture, const View& view, const std::vector<Vector3d>& frame) {
  need_typeface();
  const double m = picture.margin;
  const bool beside = picture.bar || !picture.legend.empty();
  const double w = picture.width, h = picture.height, beside_width = beside ? 230 : 40 * m;
  const double title_points = fitting_size(picture.title, 16 * m, w - 60 * m, 1),
               subtitle_points = fitting_size(picture.subtitle, 11 * m, w - 60 * m, 2);
  const auto title = wrapped_text(picture.title, title_points, w - 60 * m),
             subtitle = wrapped_text(picture.subtitle, subtitle_points, w - 60 * m);
  const double top = (picture.title.empty() ? 10 : 36 * m + 26 * m * static_cast<double>(title.size())) +
                     (picture.subtitle.empty() ? 0 : 20 * m * static_cast<double>(subtitle.size()));
  const Room room{50 * m, w - beside_width - 20 * m, top + 24 * m, h - (picture.triad ? 60 * m : 14)};
  const Projection project = fitted(scene, frame, view, room);
  Canvas canvas(picture.width, picture.height);
  draw_faces(scene, project, canvas);
  draw_strokes(scene, project, canvas);
  Image image = canvas.image();
  Pen pen(image);
  double y = 42 * m;
  if (!picture.title.empty()) y = pen.lines(36 * m, y, title, title_points, ink);
  if (!picture.subtitle.empty()) pen.lines(36 * m, y, subtitle, subtitle_points, grey);
  if (picture.triad) draw_triad(pen, project.axes, 84, h - 84, 46);
  if (picture.bar) draw_bar(pen, *picture.bar, w - 200, top + 30, h - 130, 180);
  y = top + 30;
  for (const auto& [name, colour] : picture.legend) {
    pen.box(w - 224, y - 12, 18, 14, colour);
    y = pen.lines(w - 198, y, wrapped_text(name, 11, 186), 11, ink) + 4;
  }
  draw_marks(pen, picture, project, room.right, top + 14);
  return image;
}

Image sheet(const std::vector<Image>& pictures, int columns, const std::string& title, const std::string& subtitle) {
  const int wide = pictures.front().width, tall = pictures.front().height,
            rows = (static_cast<int>(pictures.size()) + columns - 1) / columns, head = 86;
  Image image{wide * columns, head + tall * rows, {}};
  image.pixels.assign(3 * static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height), 255);
  for (std::size_t i = 0; i < pictures.size(); ++i) {
    const std::size_t column = i % static_cast<std::size_t>(columns), row = i / static_cast<std::size_t>(columns);
    for (std::size_t y = 0; y < static_cast<std::size_t>(tall); ++y)
      std::copy_n(
          pictures[i].pixels.begin() + static_cast<std::ptrdiff_t>(3 * y * static_cast<std::size_t>(wide)), 3 * wide,
          image.pixels.begin() + static_cast<std::ptrdiff_t>(
                                     3 * ((static_cast<std::size_t>(head) + row * static_cast<std::size_t>(tall) + y) *
                                              static_cast<std::size_t>(image.width) +
                                          column * static_cast<std::size_t>(wide))));
  }
  Pen pen(image);
  pen.text(28, 40, title, fitting_size(title, 16, image.width - 50, 1), ink);
  pen.text(28, 66, subtitle, fitting_size(subtitle, 11, image.width - 50, 1), grey);
  return image;
}

}  // namespace avrenk
