#include "core/element/elasticity.h"

#include <array>

#include "core/dense.h"
#include "core/error.h"

namespace avrenk {

using Eigen::Matrix3d;
using Eigen::Vector3d;

Elasticity isotropic_elasticity(double youngs_modulus, double poissons_ratio) {
  const double shear = youngs_modulus / (2 * (1 + poissons_ratio)),
               lame = youngs_modulus * poissons_ratio / ((1 + poissons_ratio) * (1 - 2 * poissons_ratio));
  Elasticity c = Elasticity::Zero();
  c.topLeftCorner<3, 3>().setConstant(lame);
  c.diagonal().head<3>().array() += 2 * shear;
  c.diagonal().tail<3>().setConstant(shear);
  return c;
}

Elasticity orthotropic_elasticity(const Orthotropic& constants, const Matrix3d& axes) {
  const Vector3d &e = constants.youngs_modulus, &nu = constants.poissons_ratio;
  Elasticity compliance = Elasticity::Zero();
  for (int i = 0; i < 3; ++i) {
    compliance(i, i) = 1 / e[i];
    compliance(3 + i, 3 + i) = 1 / constants.shear_modulus[i];
  }
  compliance(0, 1) = compliance(1, 0) = -nu[0] / e[0];
  compliance(1, 2) = compliance(2, 1) = -nu[1] / e[1];
  compliance(0, 2) = compliance(2, 0) = -nu[2] / e[0];
  const auto lower = cholesky(compliance);
  if (!lower || !(e.minCoeff() > 0))
    throw InputError(Problem{"", "these elastic constants store negative energy under some strain",
                             "|ν_xy| must be below √(E_x/E_y), and so on; check which of the two ν is meant",
                             std::nullopt});
  // Strain in the material's axes from global strain: ε' = a ε aᵀ, row by row.
  Elasticity rotation;
  constexpr std::array<std::array<int, 2>, 6> pairs{{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {2, 0}}};
  for (int r = 0; r < 6; ++r) {
    const auto& [i, j] = pairs[static_cast<std::size_t>(r)];
    for (int s = 0; s < 6; ++s) {
      const auto& [k, l] = pairs[static_cast<std::size_t>(s)];
      // Engineering shears: doubled in the rows, halved in the columns.
      const double both = axes(i, k) * axes(j, l) + (k != l ? axes(i, l) * axes(j, k) : 0);
      rotation(r, s) = both * (r < 3 ? 1 : 2) * (s < 3 ? 1 : 0.5);
    }
  }
  return rotation.transpose() * solve_cholesky(*lower, rotation);
}

}  // namespace avrenk
