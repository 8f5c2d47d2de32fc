/// core/response/stress_load.h: what environments do to the columns of strain, side by side, so that rows of stress are
/// multiplied with all of them at once. For the survey of stress.
#pragma once

#include <vector>

#include "core/response/stress_survey.h"

namespace avrenk {

/// Columns of one load in the matrix that rows of stress are multiplied with.
struct Columns {
  Eigen::Index first = 0, count = 0;  // of a sine load: real parts, then imaginary parts
  std::vector<Eigen::Index> order{};  // of a sine load: frequencies, those that strain most first
};

/// What all loads do to the columns of strain, side by side, for one source of damping.
struct LoadMatrix {
  Eigen::MatrixXcd fold;  // columns of strain from the state z
  Eigen::MatrixXd matrix;
  std::vector<Columns> of_load;

  /// w = rows · matrix, without what is zero in it: half of the factor of a covariance.
  void multiply(const Eigen::Ref<const Eigen::MatrixXd>& rows, Eigen::Ref<Eigen::MatrixXd> w) const;

  struct Block {  // columns side by side with nothing above a row
    Eigen::Index first, count, row;
  };
  std::vector<Block> blocks;
};

/// Columns of strain from the state z, damping included. @param loss_factor  of the material; absent: the general
/// damping
[[nodiscard]] Eigen::MatrixXcd strain_fold(const Channels& channels, const std::optional<double>& loss_factor);

/// All loads on the columns of strain.
/// @param fold   columns of strain, damping of one material included, from the state
/// @param omega  of the modes: their strain energy says which frequencies of a sweep strain most
[[nodiscard]] LoadMatrix load_matrix(const CaseResponses& loads, const Eigen::MatrixXcd& fold,
                                     const Eigen::VectorXd& omega);

/// What one load does to the columns of strain at a frequency: real and imaginary parts of a sine, the factor of a
/// random covariance, a static answer.
[[nodiscard]] Eigen::MatrixXd columns_at(const CaseResponse& excited, const LoadMatrix& load, std::size_t index,
                                         double frequency);

}  // namespace avrenk
