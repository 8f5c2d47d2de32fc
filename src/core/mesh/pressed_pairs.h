/// core/mesh/pressed_pairs.h: surfaces that press on one another and may open (docs/theory.md, "Tightened bolts,
/// contact").
#pragma once

#include "core/mesh/surface.h"

namespace avrenk {

struct ContactSurfaces {
  std::string joint;
  std::vector<int> nodes;  ///< candidates of the pressing side
  std::string pressing;    ///< what they are called: "clamp"
  std::vector<int> to;     ///< parts of shells or solids that they press on
  double within = 0;       ///< m: as far as the real surfaces may lie apart, half the thickness of shells taken off
  std::optional<double> gap = 0.0;  ///< m, of all pairs; absent: as drawn
  bool sticks = false;              ///< friction holds what is pressed; else nothing but the pressure crosses
  std::optional<double> friction_holds{};
  std::optional<double> stiffness{};  ///< N/m³; absent: see PressedPairs
  std::optional<double> loss_factor{};
};

/// What was made.
struct PressedPairs {
  int count = 0;
  double area = 0;  ///< m², of the pressing side
  /// N/m³, smallest and largest: of 100 times E/h, the softer of the two materials and the size of the face, so that
  /// what a pressure makes the surfaces overlap is a hundredth of what it strains one element.
  double least_stiffness = 0, most_stiffness = 0;
};

/// A one-sided spring for each node of the faces that look at the other side, between the means of both sides over its
/// part of the surface, weighted by its function N' (positive_functions), along the mean normal of the carrying side
/// and as stiff as that part is large: a constant pressure crosses from mesh to mesh (but for the sampling:
/// face_samples.h). Points that are too far off have no part in it.
/// @throws InputError  nothing is near enough, or the sides of shells that lie in one plane are not known
PressedPairs add_contact(Assembly& assembly, const Surface& surface, const ContactSurfaces& request);

}  // namespace avrenk
