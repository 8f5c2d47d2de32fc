/// core/modes/shape_match.h: which modes of two models are the same.
#pragma once

#include <vector>

#include "core/algebra.h"

namespace avrenk {

/// Motions (6 x points: m, rad) of modes at points, with the mass that moves with each of them.
struct SampledModes {
  Eigen::Matrix3Xd points;                        ///< m
  Eigen::Matrix<double, 6, Eigen::Dynamic> mass;  ///< kg ×3, kg m² ×3; zero where nothing turns
  std::vector<Eigen::Matrix<double, 6, Eigen::Dynamic>> motions;
};

/// Modal assurance between modes of two models,
///
///     MAC = |φ₁ᵀ W φ₂|² / (φ₁ᵀ W φ₁ · φ₂ᵀ W φ₂)        (Allemang & Brown, IMAC 1982)
///
/// over the motions at the points that both have, W their mass and inertia in the first model, so that a finer mesh
/// counts no more than a coarse one and a heavy body that only turns is seen. A point of the first is taken at the
/// nearest of the second.
struct ShapeMatch {
  Eigen::MatrixXd assurance;  ///< MAC, modes of the first x modes of the second, 0 to 1
  /// For each mode of the first its partner in the second, one for one, the best pairs first; −1: none reaches `least`.
  std::vector<int> partner;
  double points_used = 0;  ///< part of the first model's mass at the points that have a partner
  double farthest = 0;     ///< m between two points taken as one
};

/// A pair needs at least this MAC.
inline constexpr double least_assurance = 0.5;

/// @param apart  points farther apart than this (m) are not the same
[[nodiscard]] ShapeMatch match_shapes(const SampledModes& first, const SampledModes& second, double apart);

}  // namespace avrenk
