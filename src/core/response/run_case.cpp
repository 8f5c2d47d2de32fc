#include "core/response/run_case.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
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

// The first point of a curve at which some row of it is no number; −1: none.
std::ptrdiff_t first_not_finite(const Eigen::MatrixXcd& curve) {
  for (Eigen::Index k = 0; k < curve.cols(); ++k)
    if (!curve.col(k).allFinite()) return k;
  return -1;
}
std::ptrdiff_t first_not_finite(const std::vector<double>& curve) {
  const auto found = std::find_if(curve.begin(), curve.end(), [](double value) { return !std::isfinite(value); });
  return found == curve.end() ? -1 : found - curve.begin();
}

// What is not finite compares with nothing, so that no limit could be judged by it.
void require_finite(const CaseResults& results, const std::vector<Output>& watched) {
  const auto refuse = [&](std::size_t index, std::ptrdiff_t point) {
    throw NumericalError(
        fmt::format("{} is beyond all numbers{}; look for an amount or a unit that cannot be meant, in the loads first",
                    watched[index].name,
                    point < 0 ? "" : fmt::format(" at {:.6g} Hz", results.grid()[static_cast<std::size_t>(point)])));
  };
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (!results.has(watched[i]) || watched[i].quantity->is_reciprocal) continue;
    if (const SineAnswers* const sine = results.sine()) {
      const SineRow& row = sine->rows[i];
      if (const std::ptrdiff_t point = first_not_finite(row.curve); point >= 0 || !std::isfinite(row.peak.value))
        refuse(i, point);
    } else if (const RandomAnswers* const random = results.random()) {
      const RandomRow& row = random->rows[i];
      if (const std::ptrdiff_t point = first_not_finite(row.psd);
          point >= 0 || !std::isfinite(row.rms) || !row.candidate_rms.allFinite())
        refuse(i, point);
    } else if (!results.at_rest()->rows[i].rows.allFinite()) {
      refuse(i, -1);
    }
  }
}

}  // namespace

CaseResults run_case(CaseResponse& excited, const std::vector<Output>& watched, std::span<const StaticSum> sums) {
  const auto run = [&]() -> CaseResults {
    if (excited.sine) return {excited.excitation, run_sine(excited, watched, sums)};
    if (excited.covariance) return {excited.excitation, run_random(excited, watched)};
    return {excited.excitation, run_static(excited, watched)};
  };
  CaseResults results = run();
  require_finite(results, watched);
  return results;
}

}  // namespace avrenk
