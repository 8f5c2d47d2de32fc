#include "core/modes/completeness.h"

#include <algorithm>
#include <cmath>

#include "core/quantity/quantity.h"

namespace avrenk {

MassCarried mass_carried(const System& system, const ModalBasis& basis, int direction) {
  MassCarried mass;
  for (int r = 0; r < basis.size(); ++r)
    (r < basis.modes ? mass.modes : mass.residual_vectors) += basis.effective_mass(r, direction);
  const Eigen::VectorXd held = system.support_motion * system.together.col(direction);
  mass.movable = basis.rigid_mass(direction, direction) - held.dot(system.mass.ss * held);
  return mass;
}

std::optional<int> known_count(const ModalBasis& basis, double frequency) {
  if (basis.exhausted) return basis.modes;
  if (frequency <= basis.proven_below)
    return basis.missing_below + static_cast<int>((basis.omega.head(basis.modes).array() < 2 * pi * frequency).count());
  for (const ModeSlice& slice : basis.slices)
    if (std::abs(slice.shift - std::pow(2 * pi * frequency, 2)) <= 1e-12 * slice.shift) return slice.below;
  return std::nullopt;
}

}  // namespace avrenk
