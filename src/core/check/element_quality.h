/// core/check/element_quality.h: how well elements are shaped.
#pragma once

#include "core/check/finding.h"
#include "core/mesh/surface.h"

namespace avrenk {

/// Of one element by its corners.
struct ElementQuality {
  double jacobian = 1;  ///< smallest over largest determinant at the corners; 1: a parallelogram or block, ≤ 0: folded
  double aspect = 1;    ///< longest over shortest edge; of triangles and tetrahedra longest edge over that of a regular
                        ///< one with the same inscribed circle or sphere
  double warp = 0;      ///< rad: largest angle between the two halves of a face with four corners
};
[[nodiscard]] ElementQuality element_quality(const Assembly& assembly, const ElementGroup& group, std::size_t element);

/// Bounds beyond which elements are told; results beside such ones are off by several per cent.
inline constexpr ElementQuality quality_bounds{0.2, 20, 0.26};

/// The worst of each part of shells or solids, in the order of the parts.
struct PartQuality {
  int part = 0;
  ElementQuality worst;
  std::array<Vector3, 3> at;  ///< centres of the elements that are worst in jacobian, aspect, warp
  int beyond = 0;             ///< elements beyond the bounds
};
/// The shape of the elements of every part of shells and solids.
[[nodiscard]] std::vector<PartQuality> part_quality(const Assembly& assembly);
/// Elements beyond the bounds on Jacobian, aspect ratio and warp, the worst of each part by its place; a folded one is
/// an error.
[[nodiscard]] std::vector<Finding> poor_elements(const Assembly& assembly, const std::vector<PartQuality>& quality);

}  // namespace avrenk
