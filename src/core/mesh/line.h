/// core/mesh/line.h: straight lines divided into beam elements, with mirrored copies.
#pragma once

#include <functional>
#include <vector>

#include "core/model/assembly.h"

namespace avrenk {

struct Line {
  Vector3 from, to;   ///< m
  int divisions = 1;  ///< elements, > 0
  Vector3 up;         ///< see BeamGeometry::up
  /// From the node at `from` to where the beam begins, and from the node at `to` to where it ends, m. Nodes between
  /// them lie on the beam.
  Vector3 offset_from = Vector3::Zero(), offset_to = Vector3::Zero();
  /// Local motions x y z rx ry rz that pass no force at the beginning, then at the end.
  std::array<bool, 12> released{};
  double begin = 0, end = 1;  ///< which part of a longer line this is, for its taper
  bool mirrored = false;      ///< an image: its section is the image of the part's
};

/// The section at a part of the line from 0 to 1.
using SectionAlong = std::function<BeamSection(double)>;

/// The direction "up" of a line that does not say: global z, or global y for a line within 1° of z.
[[nodiscard]] Vector3 default_up(const Vector3& from, const Vector3& to);

/// The lines and their images in the global planes: mirror[0] copies to −x, mirror[1] to −y, mirror[2] to −z; two of
/// them make three images. A line that is its own image, lying in the plane or across it, is not copied.
[[nodiscard]] std::vector<Line> with_mirror_images(std::vector<Line> lines, const std::array<bool, 3>& mirror);

/// Adds the elements of one part. Nodes of the part that lie at one spot are one node: lines that meet there are
/// joined. "One spot" is within 1e-6 of the part's size.
/// @param part   index into assembly.parts
/// @param taper  how the section changes along each line; empty: it is the part's
void mesh_lines(Assembly& assembly, int part, const std::vector<Line>& lines, const SectionAlong& taper = {});

}  // namespace avrenk
