/// core/system/energy.h: where energy sits when the model moves: by part, joint and body, or element by element.
#pragma once

#include <functional>

#include "core/system/system.h"

namespace avrenk {

/// Strain energy ½uᵀK_e u, J, of every part (rows in their order) and of the springs of every joint (in the order of
/// Assembly::joints) under motions, one column each (6 N x k). Springs that name no joint count in no row.
struct StrainEnergy {
  Eigen::MatrixXd parts, joints;
};
/// @param threads  0: one a processor; the result does not depend on it
[[nodiscard]] StrainEnergy strain_energy(const Assembly& assembly, const Eigen::MatrixXd& motions, int threads = 0);

/// ½uᵀM_e u of every part and of every body (rows in their order), the same.
struct KineticEnergy {
  Eigen::MatrixXd parts, bodies;
};
[[nodiscard]] KineticEnergy kinetic_energy(const Assembly& assembly, const Eigen::MatrixXd& motions, int threads = 0);

/// Strain energy over volume, J/m³, of every beam, then of every element of the groups: elements x k.
[[nodiscard]] Eigen::MatrixXd strain_energy_density(const Assembly& assembly, const Eigen::MatrixXd& motions,
                                                    int threads = 0);

/// Strain energy of one beam, 1 x k.
[[nodiscard]] Eigen::RowVectorXd strain_energy_of(const Assembly& assembly, const BeamElement& beam,
                                                  const Eigen::MatrixXd& motions);

/// The motions of some nodes, `each` of every node, one above the other; of the ground (−1) zero.
[[nodiscard]] Eigen::MatrixXd motions_of_nodes(const Eigen::MatrixXd& all, std::span<const int> nodes, int each);

}  // namespace avrenk
