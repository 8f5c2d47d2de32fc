/// core/response/random_run.h: RMS of all that is watched under one random input, and what explains them.
#pragma once

#include "core/response/excited.h"
#include "core/response/outcome.h"

namespace avrenk {

/// RMS of every candidate of what is watched. @param blocks  block_covariances of the candidates' rows
[[nodiscard]] Eigen::VectorXd candidate_rms(const Watched& watched, const Eigen::MatrixXd& blocks);

/// One row for each watched quantity. Where the covariance is too rough for one of them its panels are halved.
[[nodiscard]] RandomAnswers run_random(Excited& excited, const std::vector<Watched>& watched);

}  // namespace avrenk
