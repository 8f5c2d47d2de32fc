#include "core/mesh/mesh.h"

namespace avrenk {

Vector3 Placement::operator()(const Vector3& x) const { return rotation * x + shift; }

bool Placement::is_image() const { return rotation.determinant() < 0; }

Placement Placement::after(const Placement& first) const {
  return {rotation * first.rotation, rotation * first.shift + shift};
}

}  // namespace avrenk
