#include "core/mesh/face_samples.h"

#include <cmath>
#include <tuple>

namespace avrenk {

const std::vector<FaceSample>& face_samples(bool triangle) {
  constexpr int s = face_sample_stretches;
  static const std::vector<FaceSample> on_triangle = [] {
    std::vector<FaceSample> face_samples;
    const double h = 1.0 / s, weight = h * h / 6;
    const auto put = [&](const Eigen::Vector2d& a, const Eigen::Vector2d& b, const Eigen::Vector2d& c) {
      for (const auto& [u, v, w] : {std::tuple(4.0, 1.0, 1.0), {1.0, 4.0, 1.0}, {1.0, 1.0, 4.0}})
        face_samples.push_back({(u * a + v * b + w * c) / 6, weight});
    };
    for (int i = 0; i < s; ++i)
      for (int j = 0; i + j < s; ++j) {
        const Eigen::Vector2d a(i * h, j * h), right(h, 0), up(0, h);
        put(a, a + right, a + up);
        if (i + j + 1 < s) put(a + right, a + right + up, a + up);
      }
    return face_samples;
  }();
  static const std::vector<FaceSample> on_square = [] {
    std::vector<FaceSample> face_samples;
    const double h = 2.0 / s, gauss = 0.5 * h / std::sqrt(3.0);
    for (int i = 0; i < s; ++i)
      for (int j = 0; j < s; ++j)
        for (const double x : {-gauss, gauss})
          for (const double y : {-gauss, gauss})
            face_samples.push_back({{-1 + (i + 0.5) * h + x, -1 + (j + 0.5) * h + y}, 0.25 * h * h});
    return face_samples;
  }();
  return triangle ? on_triangle : on_square;
}

Eigen::MatrixXd positive_functions(Eigen::Index nodes, int corners) {
  Eigen::MatrixXd combination = Eigen::MatrixXd::Identity(nodes, nodes);
  for (Eigen::Index m = corners; m < nodes; ++m) {
    const Eigen::Index a = m - corners, b = (a + 1) % corners;
    combination(a, m) = combination(b, m) = to_corners;
    combination(m, m) = 1 - 2 * to_corners;
  }
  return combination;
}

}  // namespace avrenk
