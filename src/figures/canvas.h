/// figures/canvas.h: triangles and strokes in space as samples of a picture: what is nearest to the eye is seen. For
/// scene.cpp.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

#include "figures/scene.h"

namespace avrenk {

inline constexpr int pixel_samples = 2;  // a pixel, each way

/// The samples of a picture: colour and depth of what is nearest to the eye.
class Canvas {
 public:
  Canvas(int width, int height)
      : width_(pixel_samples * width),
        height_(pixel_samples * height),
        depth_(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_), -1e30F),
        colour_(3 * depth_.size(), 255) {}

  struct Corner {
    Eigen::Vector3d at;  // samples from the upper left, and depth towards the eye
    double value = 0;
  };

  template <class Paint>
  void triangle(const Corner& a, const Corner& b, const Corner& c, Paint&& paint) {
    const auto twice = [](const Eigen::Vector3d& p, const Eigen::Vector3d& q, double x, double y) {
      return (q.x() - p.x()) * (y - p.y()) - (q.y() - p.y()) * (x - p.x());
    };
    const double area = twice(a.at, b.at, c.at.x(), c.at.y());
    if (std::abs(area) < 1e-9) return;
    const auto low = [](double v) { return static_cast<int>(std::floor(std::max(v, 0.0))); };
    const int x0 = low(std::min({a.at.x(), b.at.x(), c.at.x()})), y0 = low(std::min({a.at.y(), b.at.y(), c.at.y()}));
    const int x1 = std::min(width_ - 1, static_cast<int>(std::max({a.at.x(), b.at.x(), c.at.x()})) + 1),
              y1 = std::min(height_ - 1, static_cast<int>(std::max({a.at.y(), b.at.y(), c.at.y()})) + 1);
    // Barycentric coordinates are linear: along a row they change by a step. A sample on the edge of two triangles
    // belongs to both, so that rounding leaves no crack.
    constexpr double edge = -1e-9;
    const double u_step = -(c.at.y() - b.at.y()) / area, v_step = -(a.at.y() - c.at.y()) / area;
    for (int y = y0; y <= y1; ++y) {
      double u = twice(b.at, c.at, x0 + 0.5, y + 0.5) / area, v = twice(c.at, a.at, x0 + 0.5, y + 0.5) / area;
      for (int x = x0; x <= x1; ++x, u += u_step, v += v_step) {
        const double w = 1 - u - v;
        if (u < edge || v < edge || w < edge) continue;
        const double depth = u * a.at.z() + v * b.at.z() + w * c.at.z();
        if (is_nearest(x, y, depth)) put(x, y, depth, paint(u * a.value + v * b.value + w * c.value));
      }
    }
  }

  [[nodiscard]] bool is_nearest(int x, int y, double depth) const {
    return static_cast<float>(depth) > depth_[index(x, y)];
  }
  void put(int x, int y, double depth, const Colour& colour) {
    const std::size_t i = index(x, y);
    depth_[i] = static_cast<float>(depth);
    colour_[3 * i] = byte(colour.red);
    colour_[3 * i + 1] = byte(colour.green);
    colour_[3 * i + 2] = byte(colour.blue);
  }

  // Mean of the samples of each pixel.
  [[nodiscard]] Image image() const {
    Image image{width_ / pixel_samples, height_ / pixel_samples, {}};
    image.pixels.reserve(3 * static_cast<std::size_t>(image.width) * static_cast<std::size_t>(image.height));
    for (int y = 0; y < image.height; ++y)
      for (int x = 0; x < image.width; ++x)
        for (std::size_t channel = 0; channel < 3; ++channel) {
          int sum = 0;
          for (int j = 0; j < pixel_samples; ++j)
            for (int i = 0; i < pixel_samples; ++i)
              sum += colour_[3 * index(pixel_samples * x + i, pixel_samples * y + j) + channel];
          image.pixels.push_back(static_cast<unsigned char>(sum / (pixel_samples * pixel_samples)));
        }
    return image;
  }

 private:
  [[nodiscard]] std::size_t index(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) + static_cast<std::size_t>(x);
  }
  static unsigned char byte(double part) {
    return static_cast<unsigned char>(std::lround(255 * std::clamp(part, 0.0, 1.0)));
  }
  int width_, height_;
  std::vector<float> depth_;
  std::vector<unsigned char> colour_;
};

}  // namespace avrenk
