/// core/response/shape_span.h: few shapes out of which all that a model makes over frequency can be put together.
#pragma once

#include <span>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

/// A response u(f) = Φ q(f) from fewer shapes than Φ has columns: some columns of Φ that are at hand, and r shapes that
/// stand for all others together.
struct ShapeSpan {
  Eigen::MatrixXd shapes;   ///< Ψ = Φ · shapes: m x r, nothing in the rows of those at hand
  Eigen::MatrixXd weights;  ///< u ≈ Σ_at hand φ_k q_k + Ψ · weights · q: r x m
  /// The largest that any place moves otherwise, as a part of the largest that any moves at that frequency: of all
  /// states given.
  double error = 0;
};

/// The r shapes that leave least of what the states make beside the columns at hand, in the sum of squares over all
/// places and states, each state in proportion to its own size: the principal directions of the snapshots.
/// Source: L. Sirovich, Turbulence and the dynamics of coherent structures, Quart. Appl. Math. 45 (1987) 561–571.
/// @param translations  Φ: three rows a place, m columns
/// @param at_hand       columns, ascending
/// @param states        q at some frequencies: m x k
/// @param tolerance     as many shapes as the error needs to fall below it,
/// @param most          but no more than these
[[nodiscard]] ShapeSpan span_of(const Eigen::MatrixXd& translations, std::span<const int> at_hand,
                                const Eigen::MatrixXcd& states, double tolerance, Eigen::Index most);

}  // namespace avrenk
