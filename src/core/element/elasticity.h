/// core/element/elasticity.h: stress from strain of isotropic and orthotropic materials.
#pragma once

#include "core/algebra.h"

namespace avrenk {

/// Stress from strain, xx yy zz xy yz zx with engineering shear strains; Pa, global axes.
using Elasticity = Eigen::Matrix<double, 6, 6>;

[[nodiscard]] Elasticity isotropic_elasticity(double youngs_modulus, double poissons_ratio);

/// Three planes of symmetry. ν_xy = −ε_y/ε_x under σ_x; E in Pa along x, y, z of `axes`, whose rows are those axes.
struct Orthotropic {
  Eigen::Vector3d youngs_modulus;  ///< E_x, E_y, E_z
  Eigen::Vector3d poissons_ratio;  ///< ν_xy, ν_yz, ν_xz
  Eigen::Vector3d shear_modulus;   ///< G_xy, G_yz, G_zx
};
/// @throws InputError  the constants store negative energy under some strain
[[nodiscard]] Elasticity orthotropic_elasticity(const Orthotropic& constants, const Eigen::Matrix3d& axes);

}  // namespace avrenk
