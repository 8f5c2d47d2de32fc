/// core/load/applied.h: columns of loads from what the user says: forces and moments at places, pressure and traction
/// on faces, forces along beams, what is out of balance (theory 5, "Loads"). Resultants are exact, whichever way a load
/// is shared out.
#pragma once

#include "core/mesh/surface.h"

namespace avrenk {

/// How what acts on a place of several nodes is shared out among them: the same for each, by the part of the surface
/// that belongs to each, or as if the place were a body that it acts on.
enum class Sharing { equally, by_area, as_a_body };

struct PointLoad {
  std::string name;  ///< of the load, for messages
  std::vector<int> nodes;
  Vector6 amount;  ///< force (N) and moment (N m) per unit
  Sharing sharing = Sharing::equally;
  std::optional<Vector3> through;  ///< of a body: the point at which it acts; absent: the mean of the nodes
};
/// @throws InputError  shared by area where no faces lie, or as a body by nodes on one line
[[nodiscard]] LoadColumn point_load(const Assembly& assembly, const Surface& surface, const PointLoad& load);

/// Faces all of whose nodes are among those given.
[[nodiscard]] std::vector<const Surface::Face*> faces_within(const Surface& surface, const std::vector<int>& nodes);

/// Where a pressure comes from: along a direction, or from a point. Solids know their outside.
struct PressureSide {
  std::optional<Vector3> direction, point;
};
/// Each face by itself: f_i = −∫ N_i n dA for 1 Pa, n towards where it comes from: along the reference surface of
/// shells, through their nodes. Rules of degree 5 are exact for all faces, curved ones too.
/// @throws InputError  no face, a shell whose side is not said, or one that is seen edge-on
[[nodiscard]] std::vector<PressedFace> pressed_faces(const Assembly& assembly, const std::string& name,
                                                     const std::vector<const Surface::Face*>& faces,
                                                     const PressureSide& side);
/// 1 Pa on all of them.
[[nodiscard]] LoadColumn uniform_pressure(const std::vector<PressedFace>& faces);
/// f_i = ∫ N_i dA t for 1 Pa along a unit direction.
[[nodiscard]] LoadColumn traction(const Assembly& assembly, const std::string& name,
                                  const std::vector<const Surface::Face*>& faces, const Vector3& direction);

/// Rotating about an axis: forces along two directions square to it, the second a quarter turn later, e₁ − i e₂ for a
/// positive turn; per N of the turning force.
/// @param mark   direction of the first, made square to the axis; absent: the coordinate axis that follows the axis
/// @param nodes  that carry it as a body, or a single one
[[nodiscard]] Load rotating_force(const Assembly& assembly, const Surface& surface, const PointLoad& at,
                                  const Vector3& axis, bool positive, const std::optional<Vector3>& mark);

/// Force (N) and moment (N m) about a point of all that a column puts on the model from outside; a field as mass times
/// acceleration.
struct Resultant {
  Vector3 force = Vector3::Zero(), moment = Vector3::Zero();
};
[[nodiscard]] Resultant resultant_of(const Assembly& assembly, const LoadColumn& column, const Vector3& about);

}  // namespace avrenk
