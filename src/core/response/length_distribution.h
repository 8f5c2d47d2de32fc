/// core/response/length_distribution.h: how often a Gaussian vector is shorter than a given length (theory 7).
#pragma once

#include "core/algebra.h"

namespace avrenk {

/// Probability that √(xᵀx) < length for a Gaussian vector x of zero mean whose covariance has these eigenvalues: the
/// generalised χ² distribution. Its Laplace transform Π (1 + 2 λ_i s)^(−1/2) / s has branch points on the negative real
/// axis alone, where a contour around them inverts it with 24 points to about 1e-12 (Trefethen, Weideman & Schmelzer,
/// BIT 46, 2006).
/// @param variances  unit²; those below zero are rounding and count as zero
[[nodiscard]] double probability_below(const Eigen::VectorXd& variances, double length);

/// The length that it stays below with a probability 0 < p < 1; 0 where nothing varies.
[[nodiscard]] double length_below(const Eigen::VectorXd& variances, double probability);

/// Probability that a Gaussian variable lies within k times its RMS: 68.27, 95.45, 99.73 % for 1, 2, 3.
[[nodiscard]] double probability_within(double sigmas);

}  // namespace avrenk
