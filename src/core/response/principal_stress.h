/// core/response/principal_stress.h: the normal stress that is largest over all directions, of stress that varies.
#pragma once

#include <span>

#include "core/model/assembly.h"

namespace avrenk {

/// The direction in which normal stress is largest, and the sum of its squares there.
struct LargestNormalStress {
  double square = 0;
  Vector3 direction = Vector3::UnitX();
};

/// The largest over unit vectors n of Σ_k (nᵀ S_k n)². Of one tensor it is the square of the principal stress that is
/// largest without its sign; of the real and imaginary parts of an amplitude that of the largest principal stress of
/// the cycle, since the largest over instants of the largest over directions is the largest over directions of the
/// largest over instants; of factors of a covariance the largest mean square of a normal stress.
///
/// By ascent: with weights u_k = nᵀ S_k n / |…| the next n is the eigenvector of Σ u_k S_k with the largest eigenvalue,
/// and the sum never falls; Newton's steps hasten it where they raise the sum more. Starts are the eigenvectors of each
/// tensor and of the sums and differences of each two.
/// @param tensors  symmetric, in any axes; the direction is in them. Those of a plane may have zeros elsewhere.
[[nodiscard]] LargestNormalStress largest_normal_stress(std::span<const Matrix3> tensors);

}  // namespace avrenk
