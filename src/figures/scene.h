/// figures/scene.h: faces and strokes in space, drawn into a picture with a z-buffer; text and colour bar by Cairo.
///
/// It knows nothing of beams or masses: whatever has faces can be drawn.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

struct Colour {
  double red = 0, green = 0, blue = 0;  ///< 0 to 1, sRGB
};

/// Perceptually uniform, dark to light: lightness of OKLab (Ottosson, 2020) runs evenly from 0.36 to 0.93 while the hue
/// turns from violet over green to yellow. @param part  0 to 1
[[nodiscard]] Colour field_colour(double part);

/// Colour number i of the figures' palette for things that are told apart by colour.
[[nodiscard]] Colour part_colour(std::size_t i);

struct Scene {
  static constexpr int by_value = -1;
  struct Face {
    std::array<int, 4> corners{};  ///< indices into points; the last is −1 of a triangle
    int paint = by_value;          ///< index into paints
  };
  struct Stroke {
    int from = 0, to = 0;
    int paint = 0;
    double width = 1;        ///< px
    bool on_surface = true;  ///< drawn over a face that it runs along
    bool in_front = false;   ///< drawn over all that would hide it
  };
  std::vector<Eigen::Vector3d> points;
  std::vector<double> values;            ///< of each point, 0 to 1; read where a face or stroke is painted by value
  std::vector<std::array<int, 2>> tags;  ///< of each point, as whoever made it wants to know it again
  std::vector<Colour> paints;
  std::vector<Face> faces;
  std::vector<Stroke> strokes;

  int add(const Eigen::Vector3d& point, double value = 0, const std::array<int, 2>& tag = {-1, -1}) {
    points.push_back(point);
    values.push_back(value);
    tags.push_back(tag);
    return static_cast<int>(points.size()) - 1;
  }
  int add_paint(const Colour& colour) {
    paints.push_back(colour);
    return static_cast<int>(paints.size()) - 1;
  }
};

/// A colour bar: values at its ends.
struct ColourBar {
  std::string title;  ///< "Displacement (mm)"
  double from = 0, to = 1;
  bool logarithmic = false;  ///< equal steps are equal ratios
};

struct Picture {
  std::string title, subtitle;
  int width = 1280, height = 800;
  std::optional<ColourBar> bar{};
  std::vector<std::pair<std::string, Colour>> legend{};
  struct Mark {
    Eigen::Vector3d point;
    std::string text;
  };
  std::vector<Mark> marks{};  ///< labels that would cover one another are moved up
  bool triad = true;
  double margin = 1;  ///< of the sizes of text and room around the model: less for small pictures
};

/// The direction from which models are looked at, in degrees: azimuth from x towards y, elevation above the xy plane.
struct View {
  double azimuth = -62, elevation = 24;
  [[nodiscard]] Eigen::Matrix3d axes() const;  ///< rows: right, up, towards the eye
};

/// Pixels, red green blue, row by row from the top.
struct Image {
  int width = 0, height = 0;
  std::vector<unsigned char> pixels;
};

/// Draws a scene in orthographic projection so that all its points (and those of `frame`, to hold several pictures
/// still) fit. Depth is resolved at each of 2 x 2 samples a pixel; shading takes at most a fifth of the light, so that
/// it does not falsify colours.
/// @throws FileError  no typeface is installed
[[nodiscard]] Image draw(const Scene& scene, const Picture& picture, const View& view = {},
                         const std::vector<Eigen::Vector3d>& frame = {});

/// Several pictures of one size in a grid, row by row, under a title.
[[nodiscard]] Image sheet(const std::vector<Image>& pictures, int columns, const std::string& title,
                          const std::string& subtitle);

/// PNG of one image, in 256 colours (see png.cpp), or an animation (APNG, which shows the first image where it is not
/// understood).
[[nodiscard]] std::string to_png(const Image& image);
[[nodiscard]] std::string to_animated_png(const std::vector<Image>& images, int milliseconds);

}  // namespace avrenk
