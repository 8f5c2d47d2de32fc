/// core/response/random_run.h: RMS of all that is watched under one random input, and what explains them.
#pragma once

#include "core/response/case_response.h"
#include "core/response/case_results.h"

namespace avrenk {

/// RMS of every candidate of what is watched. @param blocks  block_covariances of the candidates' rows
[[nodiscard]] Eigen::VectorXd candidate_rms(const Output& watched, const Eigen::MatrixXd& blocks);

/// One row for each watched quantity. Where the covariance is too rough for one of them its panels are halved.
[[nodiscard]] RandomAnswers run_random(CaseResponse& excited, const std::vector<Output>& watched);

}  // namespace avrenk
