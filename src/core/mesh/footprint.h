/// core/mesh/footprint.h: points around a centre that grip faces of other parts.
#pragma once

#include <string>
#include <vector>

#include "core/mesh/face.h"

namespace avrenk {

/// A node that follows the mixture; `gap` and `patch` as in Follower.
[[nodiscard]] Follower follower_of(const std::string& joint, Joint::Type type, int node, const Mixture& mixture,
                                   double gap, int patch);

/// Points on an ellipse around a centre, by its two half axes.
[[nodiscard]] std::vector<Vector3> ellipse(const Vector3& centre, const Vector3& first, const Vector3& second);

/// The rigid motion, at a point, of the places of the faces that are nearest to some points; empty where those lie on
/// one line.
[[nodiscard]] Mixture footprint(const FaceSearch& carrier, std::vector<Vector3> points, const Vector3& at);

}  // namespace avrenk
