#include "core/response/run_case.h"

#include "core/response/explanation.h"
#include "core/response/random_run.h"
#include "core/response/sine_run.h"

namespace avrenk {
namespace {

StaticAnswers run_static(const CaseResponse& excited, const std::vector<Output>& watched) {
  StaticAnswers answers;
  const Eigen::VectorXd z = excited.still.real();
  for (const Output& each : watched) {
    StaticRow row;
    const Candidates& all = *each.candidates;
    const bool still =
        each.quantity->per_input() || (each.quantity->subject == Subject::node &&
                                       each.quantity->kind != &kind::length && each.quantity->kind != &kind::angle);
    row.rows = Eigen::VectorXd::Zero(all.rows.rows());
    if (!still) row.rows = all.rows.real() * z;
    Eigen::VectorXd values(static_cast<Eigen::Index>(all.items.size()));
    for (std::size_t k = 0; k < all.items.size(); ++k)
      values[static_cast<Eigen::Index>(k)] = all.of(row.rows, k).middleRows(each.first, each.count).norm();
    const std::size_t worst = first_largest(values);
    row.value = values[static_cast<Eigen::Index>(worst)];
    row.where = all.label(worst);
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
