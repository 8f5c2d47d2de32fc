#include "core/response/run_case.h"

#include "core/response/random_run.h"
#include "core/response/sine_run.h"

namespace avrenk {
namespace {

StaticAnswers run_static(const Excited& excited, const std::vector<Watched>& watched) {
  StaticAnswers answers;
  const Eigen::VectorXd z = excited.still.real();
  for (const Watched& each : watched) {
    StaticRow row;
    const Candidates& all = *each.candidates;
    const bool still =
        each.quantity->per_input() || (each.quantity->subject == Subject::node &&
                                       each.quantity->kind != &kind::length && each.quantity->kind != &kind::angle);
    row.rows = Eigen::VectorXd::Zero(all.rows.rows());
    if (!still) row.rows = all.rows.real() * z;
    row.value = -1;
    for (std::size_t k = 0; k < all.items.size(); ++k) {
      const double value = all.of(row.rows, k).middleRows(each.first, each.count).norm();
      if (value <= row.value * (1 + 1e-9)) continue;
      row.value = value;
      row.where = all.label(k);
    }
    answers.rows.push_back(std::move(row));
  }
  return answers;
}

}  // namespace

Outcome run_case(Excited& excited, const std::vector<Watched>& watched, const Outcome* after) {
  if (excited.sine) return {excited.excitation, run_sine(excited, watched, after)};
  if (excited.covariance) return {excited.excitation, run_random(excited, watched)};
  return {excited.excitation, run_static(excited, watched)};
}

}  // namespace avrenk
