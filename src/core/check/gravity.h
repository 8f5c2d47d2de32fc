/// core/check/gravity.h: the model under 1 g along each axis: deflection, reaction, stress, and where the energy sits.
#pragma once

#include "core/check/finding.h"
#include "core/system/system.h"

namespace avrenk {

/// One axis: the base accelerates by 1 g and the model lags behind it.
struct GravityCase {
  int axis = 0;
  Eigen::VectorXd motions;          ///< six of each node relative to the base, m and rad
  double deflection = 0;            ///< m, largest translation
  int node = 0;                     ///< where
  double weight = 0, reaction = 0;  ///< N, along the axis
};
/// The three axes in turn: deflection K⁻¹P g, and the force of springs and elements at the feet with the mass that sits
/// on them.
[[nodiscard]] std::vector<GravityCase> under_gravity(const Assembly& assembly, const System& system,
                                                     const StaticSolution& statics);

/// The highest von Mises stress of a part under each of some motions; of lines that of axial force, bending and, where
/// the section has a torsion modulus, shear at its outer fibres.
struct HighestStress {
  int part = 0;
  std::vector<double> value;  ///< Pa, one for each column
  std::vector<int> node;
};
/// Of every part that has stress. @param motions  6 N x k, m and rad
[[nodiscard]] std::vector<HighestStress> highest_stress(const Assembly& assembly, const Eigen::MatrixXd& motions);

/// Reactions that are not the weight, deflections beyond a tenth of the model, stress beyond yield.
[[nodiscard]] std::vector<Finding> gravity_findings(const Assembly& assembly, const std::vector<GravityCase>& cases,
                                                    const std::vector<HighestStress>& stress);

}  // namespace avrenk
