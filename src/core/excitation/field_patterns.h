/// core/excitation/field_patterns.h: the pressures of which the modes see anything, as loads of the model.
#pragma once

#include "core/excitation/environment.h"
#include "core/modes/modal_basis.h"
#include "core/progress.h"

namespace avrenk {

/// Pressures on the faces of a surface, orthonormal over its area, n of them: those with which any column of the basis,
/// the rigid motion of any base, or the reaction of any single foot does work. Of whatever pressure p acts, the part
/// Σ ψ_j ∫ ψ_j p dA makes the same modal forces and the same reactions.
struct FieldPatterns {
  Eigen::MatrixXd pressures;  ///< ψ, faces x n: 1/m
  Eigen::MatrixXd weights;    ///< W = ψ A, faces x n: the amplitudes are Wᵀp
};
[[nodiscard]] FieldPatterns field_patterns(const std::vector<PressedFace>& faces, const System& system,
                                           const ModalBasis& basis);

/// What was made of one pressure field.
struct FieldReport {
  std::string environment, load;
  PressureField field;
  Eigen::Index patterns = 0;
  int frequencies = 0;    ///< at which joint acceptances were computed
  double error = 0;       ///< of their interpolation, as a part of the largest
  double coarseness = 0;  ///< largest diameter of a face over the length of the field at the highest frequency
};

/// Gives the environments whose loads are pressure fields the patterns in which they act: loads that nobody declared,
/// added to assembly, system and basis, and the joint acceptances.
/// @throws InputError  a surface of more than 30 000 faces, whose pairs would take too long
[[nodiscard]] std::vector<FieldReport> make_patterns(Assembly& assembly, System& system, ModalBasis& basis,
                                                     const std::vector<Environment*>& environments, int threads,
                                                     const Progress& progress = {});

}  // namespace avrenk
