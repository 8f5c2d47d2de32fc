#include "core/response/random_run.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <utility>

#include "core/algebra.h"
#include "core/dense.h"
#include "core/response/explanation.h"
#include "core/response/length_distribution.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

// Covariance of the rows of one candidate. @param blocks  covariances of the rows of each base among themselves
Eigen::MatrixXd covariance_of(const Output& watched, std::size_t candidate, const Eigen::MatrixXd& blocks) {
  const auto of_base = watched.candidates->base_of(blocks, candidate);
  const Eigen::MatrixXd* const mix = watched.candidates->mix_of(candidate);
  if (!mix) return of_base.block(watched.first, watched.first, watched.count, watched.count);
  const auto rows = mix->middleRows(watched.first, watched.count);
  return rows * of_base * rows.transpose();
}

// What all candidates stay below with the probabilities of 1, 2 and 3σ. A vector of a given RMS stays below between
// once its RMS and k times, or a tenth more than once: the others need no look.
std::array<double, 3> lengths_within(const Output& watched, const VectorXd& rms, const Eigen::MatrixXd& blocks) {
  std::array<double, 3> within{};
  std::vector<std::size_t> order(static_cast<std::size_t>(rms.size()));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return rms[static_cast<Index>(a)] > rms[static_cast<Index>(b)];
  });
  for (int k = 0; k < 3; ++k) {
    double& largest = within[static_cast<std::size_t>(k)];
    const double sigmas = k + 1;
    for (const std::size_t candidate : order) {
      const double own = rms[static_cast<Index>(candidate)];
      if (std::max(sigmas, 1.1) * own <= largest) break;
      const VectorXd variances = symmetric_eigenvalues(covariance_of(watched, candidate, blocks));
      largest = std::max(largest, length_below(variances, probability_within(sigmas)));
    }
  }
  return within;
}

// Squares of watched candidates at the frequencies of a table; components of one request share their rows.
class CandidateSquares {
 public:
  CandidateSquares(const StateTable& states, const std::vector<Index>& first) : states_(states), first_(first) {}
  std::vector<double> of(const Output& watched, std::size_t candidate) {
    if (last_ != watched.candidates.get() || candidate != index_) {
      last_ = watched.candidates.get();
      index_ = candidate;
      rows_ = states_.times(last_->of(last_->rows, candidate));
    }
    return squares_of_points(rows_.middleRows(watched.first, watched.count), first_);
  }

 private:
  const StateTable& states_;
  const std::vector<Index>& first_;
  const Candidates* last_ = nullptr;
  std::size_t index_ = 0;
  MatrixXcd rows_;
};

// One random environment along one axis.
class RandomRun {
 public:
  RandomRun(CaseResponse& excited, const std::vector<Output>& watched)
      : transfer_(*excited.transfer),
        covariance_(*excited.covariance),
        excitation_(*excited.excitation),
        watched_(watched),
        grid_(excited.grid),
        coupled_(*excited.transfer) {}

  RandomAnswers run() {
    double error = 0;
    for (int round = 0;; ++round) {
      look();
      const std::vector<bool> rough = rough_panels(error);
      if (round == most_rounds || std::find(rough.begin(), rough.end(), true) == rough.end()) break;
      refine(transfer_, rough, covariance_);
    }
    covariance_.error = std::max(covariance_.error, error);
    draw();
    refine_grid();
    RandomAnswers answers{grid_, {}, covariance_.error};
    for (std::size_t i = 0; i < watched_.size(); ++i) answers.rows.push_back(explained(i));
    if (excitation_.spectrum.sources() > 1) share_inputs(answers);
    return answers;
  }

 private:
  struct Row {
    Measure measure;  // of the worst candidate
    VectorXd candidate_rms;
    std::size_t candidate = 0;
    double rms = 0;
    std::array<double, 3> within{};
    bool is_rounding = false;          // what rounding leaves of parts that cancel
    std::vector<double> at_rule, psd;  // squares at the points of the rule, weights included; on the grid
  };

  // RMS of all candidates, and the worst of each at the points of the rule.
  void look() {
    rows_.assign(watched_.size(), {});
    const VectorXd sizes = covariance_.gamma.diagonal().real().cwiseMax(0).cwiseSqrt();
    CandidateSquares squares(covariance_.states, covariance_.roots.first);
    const Candidates* last = nullptr;  // shared by the components of one request
    Eigen::MatrixXd blocks;
    for (std::size_t i = 0; i < watched_.size(); ++i) {
      const Output& output = watched_[i];
      if (output.quantity->per_input()) continue;  // a ratio has no RMS
      Row& row = rows_[i];
      if (std::exchange(last, output.candidates.get()) != output.candidates.get())
        blocks = block_covariances(last->rows, last->base_width, covariance_, transfer_.layout());
      row.candidate_rms = candidate_rms(output, blocks);
      row.candidate = first_largest(row.candidate_rms);
      row.measure = output.measure(row.candidate);
      row.at_rule = squares.of(output, row.candidate);
      // The same as from Γ, in which rounding is that of squares: where parts cancel to 1e-5 it would leave 1e-6.
      row.rms = std::sqrt(std::accumulate(row.at_rule.begin(), row.at_rule.end(), 0.0));
      row.candidate_rms[static_cast<Index>(row.candidate)] = row.rms;
      row.within = {row.rms, 2 * row.rms, 3 * row.rms};
      if (!output.is_gaussian()) row.within = lengths_within(output, row.candidate_rms, blocks);
      row.is_rounding = row.rms < rounding * (row.measure.rows.cwiseAbs() * sizes).norm();
    }
  }

  // The same on the grid.
  void draw() {
    const SpectralRoots roots = covariance_.input.roots(grid_);
    const StateTable on_grid(transfer_, roots.frequencies, roots.columns);
    CandidateSquares squares(on_grid, roots.first);
    for (std::size_t i = 0; i < watched_.size(); ++i)
      if (!watched_[i].quantity->per_input()) rows_[i].psd = squares.of(watched_[i], rows_[i].candidate);
  }

  // Panels that are too long for a row whose mean square is not known to the tolerance; @param error  the largest
  [[nodiscard]] std::vector<bool> rough_panels(double& error) const {
    std::vector<bool> rough(covariance_.panels.size(), false);
    error = 0;
    for (const Row& row : rows_) {
      if (!(row.rms > 0) || row.is_rounding) continue;
      const std::vector<double> errors = rule_errors(row.at_rule);
      const double sum = std::accumulate(errors.begin(), errors.end(), 0.0);
      error = std::max(error, sum);
      if (sum <= row_tolerance) continue;
      for (std::size_t i = 0; i < errors.size(); ++i)
        rough[i] = rough[i] || errors[i] > 0.5 * row_tolerance / static_cast<double>(errors.size());
    }
    return rough;
  }

  // A curve whose own integral differs from the RMS has resonances or falls between its points: those of the rule show
  // them.
  void refine_grid() {
    for (const Row& row : rows_) {
      if (!(row.rms > 0) || row.is_rounding || std::abs(curve_rms(grid_, row.psd) / row.rms - 1) <= well_drawn)
        continue;
      std::vector<double> grid = grid_;
      grid.insert(grid.end(), covariance_.rule.frequency.begin(), covariance_.rule.frequency.end());
      grid_ = once_inside(std::move(grid), grid_.front(), grid_.back());
      draw();
      return;
    }
  }

  RandomRow explained(std::size_t i) {
    const Output& output = watched_[i];
    Row& found = rows_[i];
    RandomRow row;
    if (output.quantity->per_input()) {
      row.rms = row.curve_rms = row.largest = row.largest_low = row.largest_high = row.coupling = std::nan("");
      row.within.fill(std::nan(""));
      row.psd.assign(grid_.size(), std::nan(""));
      return row;
    }
    row.rms = found.rms;
    row.within = found.within;
    row.where = found.measure.label;
    row.candidate = found.candidate;
    row.candidate_rms = std::move(found.candidate_rms);
    row.psd = std::move(found.psd);
    row.curve_rms = curve_rms(grid_, row.psd);
    row.shares = largest_shares(variance_shares(found.measure, covariance_, transfer_.layout()));
    if (output.is_headline())
      row.pairs = largest_pairs(variance_share_pairs(found.measure, covariance_, transfer_.layout()));
    const IntegrationRule by_point = covariance_.by_point();
    row.moments = spectral_moments(by_point, found.at_rule);
    for (const auto& [from, to] : excitation_.environment->random().bands) {
      double square = 0;
      for (std::size_t k = 0; k < found.at_rule.size(); ++k)
        if (const double f = covariance_.rule.frequency[k]; f > from && f < to) square += found.at_rule[k];
      row.in_bands.push_back(std::sqrt(square));
    }
    row.bands = dominating_bands(grid_, row.psd, by_point, found.at_rule);
    const std::optional<double>& duration = excitation_.environment->duration;
    row.largest = row.largest_low = row.largest_high = std::nan("");
    if (duration && output.is_gaussian()) {
      const double crossings = row.moments.zero_crossings();
      row.largest = row.rms * expected_largest(crossings, *duration);
      row.largest_low = row.rms * largest_below(crossings, *duration, 0.05);
      row.largest_high = row.rms * largest_below(crossings, *duration, 0.95);
    }
    if (!coupled_.differ()) return row;
    row.coupling = std::nan("");
    if (output.is_headline() && !row.bands.empty() && row.rms > 0) {
      const double f = row.bands.front().frequency;
      const MatrixXcd root = covariance_.input.root(f);
      row.coupling = (found.measure.rows * coupled_.at(f) * root).squaredNorm() /
                         (found.measure.rows * transfer_.state(f) * root).squaredNorm() -
                     1;
    }
    return row;
  }

  // Parts of the variance by source: ∫ Re(w* w_j) over ∫ |w|², w_j what source j makes of w.
  void share_inputs(RandomAnswers& answers) const {
    const SpectralRoots& roots = covariance_.roots;
    std::vector<MatrixXcd> whole(rows_.size());
    for (std::size_t i = 0; i < rows_.size(); ++i)
      if (rows_[i].rms > 0) whole[i] = covariance_.states.times(rows_[i].measure.rows);
    const std::vector<Index>& first = covariance_.input.first_inputs();
    for (std::size_t source = 0; source + 1 < first.size(); ++source) {
      MatrixXcd alone = MatrixXcd::Zero(roots.columns.rows(), roots.columns.cols());
      const Index count = first[source + 1] - first[source];
      alone.middleRows(first[source], count) = roots.columns.middleRows(first[source], count);
      const StateTable states(transfer_, roots.frequencies, alone);
      for (std::size_t i = 0; i < rows_.size(); ++i) {
        if (!(rows_[i].rms > 0)) continue;
        const double part = whole[i].conjugate().cwiseProduct(states.times(rows_[i].measure.rows)).real().sum();
        answers.rows[i].inputs.push_back(part / whole[i].squaredNorm());
      }
    }
  }

  static constexpr int most_rounds = 6;
  static constexpr double row_tolerance = 5e-8;  // of a mean square
  static constexpr double rounding = 1e-9;       // of what a sum would be without its signs
  static constexpr double well_drawn = 0.01;     // of an RMS, in the drawn curve's own integral
  const Transfer& transfer_;
  ModalCovariance& covariance_;
  const Excitation& excitation_;
  const std::vector<Output>& watched_;
  std::vector<double> grid_;
  CoupledStates coupled_;
  std::vector<Row> rows_;
};

}  // namespace

VectorXd candidate_rms(const Output& watched, const Eigen::MatrixXd& blocks) {
  VectorXd rms(static_cast<Index>(watched.candidates->items.size()));
  for (Index k = 0; k < rms.size(); ++k)
    rms[k] = std::sqrt(std::max(0.0, covariance_of(watched, static_cast<std::size_t>(k), blocks).trace()));
  return rms;
}

RandomAnswers run_random(CaseResponse& excited, const std::vector<Output>& watched) {
  return RandomRun(excited, watched).run();
}

}  // namespace avrenk
