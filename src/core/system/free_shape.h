/// core/system/free_shape.h: how elements would move if nothing held them: warmed, or made to another length
/// (docs/theory.md, "Temperature, tightened bolts").
///
/// A uniform rise of temperature gives an element that is free the linear motion A (x − x₀), A = Σ α_i ΔT a_i a_iᵀ over
/// the axes of its material. All elements hold linear motions exactly, so that what it does to a model is K_e times
/// that motion, as a load, and what an element feels is its motion less that one.
#pragma once

#include "core/system/system.h"

namespace avrenk {

/// Free motion of the ends of a beam, global axes, m and rad; zero where the column does not warm it.
[[nodiscard]] Eigen::Matrix<double, 12, 1> free_ends(const Assembly& assembly, const BeamElement& beam,
                                                     const LoadColumn& column);

/// Free motions of the nodes of an element, those that its kind has.
/// @pre the column warms its part, whose material has a coefficient of expansion
[[nodiscard]] Eigen::VectorXd free_motions(const Assembly& assembly, const ElementGroup& group, std::size_t element,
                                           const LoadColumn& column);

/// Travel at which a spring is unstressed, in its own axes; zero where the column does not say.
[[nodiscard]] Vector6 unstressed_at(int spring, const LoadColumn& column);

/// Adds Σ K_e u_e of the free motions u_e of all elements: the loads that would bring each into its free shape.
void add_free_shape(const Assembly& assembly, const LoadColumn& column, std::map<int, Vector6>& forces);

}  // namespace avrenk
