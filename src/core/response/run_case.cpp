#include "core/response/run_case.h"

#include "core/response/explanation.h"
#include "core/response/random_run.h"
#include "core/response/sine_run.h"

namespace avrenk {
namespace {

StaticAnswers run_static(const CaseResponse& excited, const std::vector<Output>& watched) {
  StaticAnswers answers;
  const Eigen::VectorXd z = excited.still.real();
  for (const Output& output : watched) {
    StaticRow row;
    const Candidates& candidates = *output.candidates;
    const bool still = output.quantity->per_input() ||
                       (output.quantity->subject == Subject::node && output.quantity->kind != &kind::length &&
                        output.quantity->kind != &kind::angle);
    row.rows = Eigen::VectorXd::Zero(candidates.rows.rows());
    if (!still) row.rows = candidates.rows.real() * z;
    Eigen::VectorXd values(static_cast<Eigen::Index>(candidates.items.size()));
    for (std::size_t k = 0; k < candidates.items.size(); ++k)
      values[static_cast<Eigen::Index>(k)] = candidates.of(row.rows, k).middleRows(output.first, output.count).norm();
    const std::size_t worst = first_largest(values);
    row.value = values[static_cast<Eigen::Index>(worst)];
    row.with_sign =
        output.count == 1 && !output.quantity->positive ? candidates.of(row.rows, worst)(output.first, 0) : row.value;
    row.where = candidates.label(worst);
    answers.rows.push_back(std::move(row));
  }
  return answers;
}

}  // namespace

CaseResults run_case(CaseResponse& excited, const std::vector<Output>& watched, std::span<const StaticSum> sums) {
  if (excited.sine) return {excited.excitation, run_sine(excited, watched, sums)};
  if (excited.covariance) return {excited.excitation, run_random(excited, watched)};
  return {excited.excitation, run_static(excited, watched)};
}

}  // namespace avrenk
