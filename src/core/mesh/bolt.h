/// core/mesh/bolt.h: bolts between parts, or a part and a base, with the rings that they grip.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/mesh/surface.h"

namespace avrenk {

struct Bolt {
  std::string joint;
  double diameter = 0;   ///< m, of the shank
  double footprint = 0;  ///< m, diameter of the ring that head and nut grip
  double within = 0;     ///< m: as far off as a gripped part may be
  double length = 0;     ///< m, clamped
  Elastic material;
  std::optional<double> loss_factor{};
  std::optional<double> tension{};  ///< N, that it is tightened to
};

/// Stiffness of a bolt about the middle of its length, its z along it: x, y: 1/(l³/12EI + l/κGA), z: EA/l, bending
/// EI/l, torsion GJ/l: those of a straight round bar, which a spring at the middle has exactly.
[[nodiscard]] Vector6 bolt_stiffness(const Bolt& bolt);

/// A spring at each of some points between two parts, each gripped by the mean of a ring of points around it: the ring
/// that has the second moment of the area between shank and footprint; of solids, where it is to be tightened, on the
/// outer face along it, whatever the place, or the inner one of that in which it ends. The second part may be a base
/// (−1: index `base`). The spring acts at the middle of the clamped length, wherever along the bolt the point lies:
/// that of what both parts span along it; where that is longer than the bolt, which then ends in the thicker of them,
/// half a length below the outer side of the thinner. Its z runs from the first part to the second, so that a pull is
/// positive; where both lie at one height, along `along`.
/// @param along  absent: the normal of the first part there
/// @throws InputError  a part is too far off: which, and how far; or a bolt is to be tightened between two at one
/// height
/// @return  which faces of solids are gripped: ", gripping the outer face of lid and the inner face of block"; or empty
std::string add_bolts(Assembly& assembly, const Surface& surface, const Bolt& bolt, const std::vector<Vector3>& at,
                      const std::optional<Vector3>& along, int first_part, int second_part, int base);

}  // namespace avrenk
