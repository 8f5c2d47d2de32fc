#include "core/mesh/mesh.h"

namespace avrenk {

Vector3 Placement::operator()(const Vector3& x) const { return turn * x + shift; }

bool Placement::is_image() const { return turn.determinant() < 0; }

Placement Placement::after(const Placement& first) const { return {turn * first.turn, turn * first.shift + shift}; }

}  // namespace avrenk
