/// core/mesh/attach.h: joints between parts whose meshes do not match: faces, edges and ends on the faces of others
/// (derivation: docs/theory.md, "Joints").
#pragma once

#include "core/mesh/face.h"

namespace avrenk {

struct Attachment {
  std::string joint;
  std::vector<int> nodes;  ///< candidates to follow
  std::string followers;   ///< what they are called: "barrel"
  std::vector<int> to;     ///< parts of shells or solids that carry them
  double within = 0;       ///< m: gap between the real surfaces; half the thickness of shells is taken off
  bool all = false;        ///< every candidate must be near enough; else those that are follow
};

/// Lets nodes follow the faces of other parts. A node that belongs to the carrying parts stays out. Faces that lie on
/// the other side, and edges of shells, follow in the mean over their area or length, weighted by functions dual to
/// their own (Wohlmuth, SIAM J. Numer. Anal. 38, 2000; for middle nodes Popp et al., SIAM J. Sci. Comput. 34, 2012), so
/// that a constant stress crosses from mesh to mesh; the integral is sampled (face_samples.h). The edge of
/// a shell on a solid turns with a cross of four points half its thickness off; the end of a line is carried by
/// points on an ellipse that has the second moments of its section. A single node follows the nearest point.
/// Rigid motions are exact.
/// @return  how many nodes follow
/// @throws InputError  nothing is near enough; a candidate is too far off where all must follow: the distance
int attach(Assembly& assembly, const Surface& surface, const Attachment& request);

/// How far a point is from the real surface at the face point nearest to it, m: half the thickness of shells is taken
/// off, and of what stands there another half thickness as far as its normal points the same way.
[[nodiscard]] double gap_to_face(const FaceSearch& carrier, const FacePoint& point, const Vector3& x,
                                 const ShellSide& own = {});

}  // namespace avrenk
