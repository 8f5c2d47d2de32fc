/// core/mesh/face_samples.h: points over which joints between surfaces are integrated.
#pragma once

#include <vector>

#include "core/algebra.h"

namespace avrenk {

struct FaceSample {
  Eigen::Vector2d at;
  double weight;
};

/// Stretches along each side of a face, with Gauss points in each.
inline constexpr int face_sample_stretches = 4;

/// Of a triangle, or of a quadrilateral, as face_functions() has them.
[[nodiscard]] const std::vector<FaceSample>& face_samples(bool triangle);

/// Part of the function of a middle node that goes to each corner beside it.
inline constexpr double to_corners = 0.2;

/// T of N' = T N: with the functions of middle nodes turned partly to the corners, N'_c = N_c + αΣN_m and
/// N'_m = (1 − 2α) N_m, every node has a positive integral of its own; all of them still add up to one. Corners first.
[[nodiscard]] Eigen::MatrixXd positive_functions(Eigen::Index nodes, int corners);

}  // namespace avrenk
