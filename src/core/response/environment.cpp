#include "core/response/environment.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <numeric>
#include <utility>

#include "core/error.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

constexpr double smallest_share = 0.005;  // of the response, worth a place in a table

void require_enough_modes(const Environment& environment, const ModalBasis& basis) {
  for (int r = basis.modes; r < basis.size(); ++r) {
    if (basis.frequency(r) > environment.input.to()) continue;
    throw InputError(
        Problem{"modes",
                fmt::format("the residual vector at {:.5g} Hz falls inside environment {}, which reaches {:.5g} Hz",
                            basis.frequency(r), environment.name, environment.input.to()),
                fmt::format("write modes: {{up to: {:.4g} Hz}} or more", 1.5 * environment.input.to()), std::nullopt});
  }
}

// The last entry is the base's own motion.
std::vector<std::pair<int, double>> largest_shares(const VectorXd& shares) {
  std::vector<std::pair<int, double>> sorted;
  const auto modes = static_cast<int>(shares.size()) - 1;
  for (int r = 0; r <= modes; ++r)
    if (std::abs(shares[r]) >= smallest_share) sorted.emplace_back(r == modes ? -1 : r, shares[r]);
  std::stable_sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
  return sorted;
}

// States with what couples the modes kept, beside a transfer that leaves it out; each frequency is solved once.
class CoupledStates {
 public:
  explicit CoupledStates(const Transfer& transfer)
      : coupled_(transfer.with_coupling()), differ_(transfer.damping().couples() && !transfer.damping().coupled()) {}
  [[nodiscard]] bool differ() const { return differ_; }
  const VectorXcd& at(double frequency) {
    for (const auto& [known, state] : states_)
      if (std::abs(known - frequency) <= 1e-9 * frequency) return state;
    states_.emplace_back(frequency, coupled_.state(frequency).col(0));
    return states_.back().second;
  }

 private:
  const Transfer coupled_;
  bool differ_;
  std::deque<std::pair<double, VectorXcd>> states_;
};

// What explains one peak.
class Reasons {
 public:
  Reasons(const Transfer& transfer, const SineResponse& response, const Environment& environment)
      : transfer_(transfer), coupled_(transfer), response_(response), environment_(environment) {}

  /// @param coupling  whether to solve the coupled system at the peak too
  void explain(const Measure& measure, bool coupling, SineRow& row) {
    explain_shares(measure, row);
    row.amplification = row.peak.value / (response_.level(measure, row.peak.frequency) * static_answer(measure));
    if (!(row.amplification > 0 && row.amplification < 1e6)) row.amplification = std::nan("");  // it has none
    row.half_power = response_.half_power(measure, row.peak, row.curve);
    explain_sweep(measure, row);
    if (!coupled_.differ()) return;
    row.coupling = std::nan("");
    if (!coupling) return;
    const VectorXcd together =
        measure.rows * (response_.level(measure, row.peak.frequency) * coupled_.at(row.peak.frequency));
    row.coupling = largest_over_phase(together) / row.peak.value - 1;
  }

 private:
  void explain_shares(const Measure& measure, SineRow& row) const {
    const StateLayout& layout = transfer_.layout();
    const VectorXcd z = response_.level(measure, row.peak.frequency) * transfer_.state(row.peak.frequency).col(0);
    const Complex turn = std::polar(1.0, -row.peak.phase);
    const VectorXd largest = ((measure.rows * z) * turn).real();
    const double square = largest.squaredNorm();
    if (!(square > 0)) return;
    VectorXd shares = VectorXd::Zero(layout.modes + 1);
    const VectorXcd turned = turn * z;
    for (int derivative = 0; derivative < 3; ++derivative) {
      const auto part = [&](int first, int count) -> VectorXd {
        const MatrixXcd each = measure.rows.middleCols(first, count) * turned.segment(first, count).asDiagonal();
        return each.real().transpose() * largest / square;
      };
      shares.head(layout.modes) += part(layout.modal(derivative), layout.modes);
      shares[layout.modes] += part(layout.base(derivative), layout.motions).sum();
    }
    row.shares = largest_shares(shares);
  }

  // Per unit acceleration of the input, at 0 Hz without damping; infinite where the base's own displacement counts, 0
  // of a velocity.
  [[nodiscard]] double static_answer(const Measure& measure) const {
    const StateLayout& layout = transfer_.layout();
    if (!measure.rows.middleCols(layout.base(0), 2L * layout.motions).isZero(0)) return HUGE_VAL;
    const VectorXcd q =
        (transfer_.basis().omega.array().square().inverse().matrix().asDiagonal() * transfer_.inputs().acceleration)
            .col(0);
    const VectorXcd w = measure.rows.middleCols(layout.modal(0), layout.modes).real() * q +
                        measure.rows.middleCols(layout.base(2), layout.motions).real() * transfer_.inputs().base.col(0);
    return largest_over_phase(w);
  }

  void explain_sweep(const Measure& measure, SineRow& row) {
    row.sweep_parameter = std::nan("");
    if (!environment_.sweep_rate) return;
    const auto main = std::find_if(row.shares.begin(), row.shares.end(), [](const auto& s) { return s.first >= 0; });
    if (main == row.shares.end() || main->second < 0.1) return;
    const ModalDamping& damping = transfer_.damping();
    row.sweep_parameter = sweep_parameter(*environment_.sweep_rate, damping.amplification(main->first),
                                          transfer_.basis().frequency(main->first));
    if (row.sweep_parameter <= slow_sweep) return;
    if (!swept_)
      swept_.emplace(transfer_, response_.amplitude(), *environment_.sweep_rate, environment_.grid.from,
                     environment_.grid.to);
    row.swept = swept_->peak(measure, main->first);
  }

  const Transfer& transfer_;
  CoupledStates coupled_;
  const SineResponse& response_;
  const Environment& environment_;
  std::optional<SweptResponse> swept_;
};

bool contains(const std::vector<std::string>& list, const std::string& name) {
  return std::find(list.begin(), list.end(), name) != list.end();
}

WithStatic worst_with_static(const Environment& environment, const SineResponse& response, const Watched& watched,
                             SineResponse::Curves& curves, const StaticRow& still) {
  WithStatic result;
  for (const double scale : {environment.upper, 1.0}) {
    const auto [index, peak] = response.worst({curves, watched.first, watched.count, false, still.rows, scale});
    if (scale == environment.upper) result.upper_value = peak.value;
    if (scale != 1.0) continue;
    result.value = peak.value;
    result.where = watched.candidates->label(index);
  }
  return result;
}

void run_sine(const Transfer& transfer, const std::vector<Watched>& watched, const Outcome* after, Outcome& outcome) {
  const Environment& environment = *outcome.environment;
  const SineResponse response(transfer, environment.input, outcome.grid,
                              grid_shortfall(environment.grid.points_per_resonance));
  Reasons reasons(transfer, response, environment);
  std::optional<SineResponse::Curves> curves;  // of one request, which several quantities share
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const Watched& each = watched[i];
    if (!curves || &curves->candidates() != each.candidates.get()) curves.emplace(response, *each.candidates);
    const auto [index, peak] = response.worst({*curves, each.first, each.count, each.quantity->per_input, {}, 1});
    const Measure worst = each.measure(index);
    SineRow row;
    row.peak = peak;
    row.where = worst.label;
    row.curve = curves->of(index).middleRows(each.first, each.count);
    if (worst.per_input)
      for (Index k = 0; k < row.curve.cols(); ++k)
        row.curve.col(k) /= environment.input.at(outcome.grid[static_cast<std::size_t>(k)]);
    reasons.explain(worst, each.is_headline(), row);
    if (after && contains(environment.with_static, each.name))
      row.with_static = worst_with_static(environment, response, each, *curves, after->steady[i]);
    outcome.sine.push_back(std::move(row));
  }
}

// |w|² of the rows, column by column.
std::vector<double> squares_of(const MatrixXcd& w) {
  std::vector<double> squares(static_cast<std::size_t>(w.cols()));
  for (Index k = 0; k < w.cols(); ++k) squares[static_cast<std::size_t>(k)] = w.col(k).squaredNorm();
  return squares;
}

// @param blocks  covariances of the rows of each base among themselves
VectorXd candidate_rms(const Watched& watched, const Eigen::MatrixXd& blocks) {
  const Candidates& all = *watched.candidates;
  VectorXd rms(static_cast<Index>(all.items.size()));
  for (std::size_t k = 0; k < all.items.size(); ++k) {
    const auto own = blocks.middleRows(static_cast<Index>(all.items[k].base) * all.base_width, all.base_width);
    double variance = 0;
    if (all.items[k].mix < 0) {
      variance = own.diagonal().segment(watched.first, watched.count).sum();
    } else {
      const auto mix =
          all.mixes[static_cast<std::size_t>(all.items[k].mix)].matrix.middleRows(watched.first, watched.count);
      variance = (mix * own).cwiseProduct(mix).sum();
    }
    rms[static_cast<Index>(k)] = std::sqrt(std::max(0.0, variance));
  }
  return rms;
}

std::size_t first_largest(const VectorXd& values) {  // the first of equals is named
  std::size_t best = 0;
  for (Index k = 1; k < values.size(); ++k)
    if (values[k] > values[static_cast<Index>(best)] * (1 + 1e-9)) best = static_cast<std::size_t>(k);
  return best;
}

// Squares of watched candidates at the frequencies of a table; components of one request share their rows.
class CandidateSquares {
 public:
  explicit CandidateSquares(const StateTable& states) : states_(states) {}
  std::vector<double> of(const Watched& watched, std::size_t candidate) {
    if (last_ != watched.candidates.get() || candidate != index_) {
      last_ = watched.candidates.get();
      index_ = candidate;
      rows_ = states_.times(last_->of(last_->rows, candidate));
    }
    return squares_of(rows_.middleRows(watched.first, watched.count));
  }

 private:
  const StateTable& states_;
  const Candidates* last_ = nullptr;
  std::size_t index_ = 0;
  MatrixXcd rows_;
};

// One random environment along one axis.
class RandomRun {
 public:
  RandomRun(const Transfer& transfer, const std::vector<Watched>& watched, Outcome& outcome)
      : transfer_(transfer), watched_(watched), outcome_(outcome), coupled_(transfer) {}

  void run() {
    covariance_ = integrate_covariance(transfer_, outcome_.environment->input);
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
    outcome_.integration_error = covariance_.error;
    outcome_.integration_points = static_cast<int>(covariance_.rule.frequency.size());
    for (std::size_t i = 0; i < watched_.size(); ++i) outcome_.random.push_back(explained(i));
  }

 private:
  struct Row {
    Measure measure;  // of the worst candidate
    VectorXd candidate_rms;
    std::size_t candidate = 0;
    double rms = 0;
    bool is_rounding = false;          // what rounding leaves of parts that cancel
    std::vector<double> at_rule, psd;  // squares at the points of the rule, weights included; on the grid
  };

  // RMS of all candidates, and the worst of each at the points of the rule.
  void look() {
    rows_.assign(watched_.size(), {});
    const VectorXd sizes = covariance_.gamma.diagonal().real().cwiseMax(0).cwiseSqrt();
    CandidateSquares squares(covariance_.states);
    const Candidates* last = nullptr;  // shared by the components of one request
    Eigen::MatrixXd blocks;
    for (std::size_t i = 0; i < watched_.size(); ++i) {
      const Watched& each = watched_[i];
      if (each.quantity->per_input) continue;  // a ratio has no RMS
      Row& row = rows_[i];
      if (std::exchange(last, each.candidates.get()) != each.candidates.get())
        blocks = block_covariances(last->rows, last->base_width, covariance_, transfer_.layout());
      row.candidate_rms = candidate_rms(each, blocks);
      row.candidate = first_largest(row.candidate_rms);
      row.measure = each.measure(row.candidate);
      row.at_rule = squares.of(each, row.candidate);
      // The same as from Γ, in which rounding is that of squares: where parts cancel to 1e-5 it would leave 1e-6.
      row.rms = std::sqrt(std::accumulate(row.at_rule.begin(), row.at_rule.end(), 0.0));
      row.candidate_rms[static_cast<Index>(row.candidate)] = row.rms;
      row.is_rounding = row.rms < rounding * (row.measure.rows.cwiseAbs() * sizes).norm();
    }
  }

  // The same on the grid.
  void draw() {
    std::vector<double> roots = outcome_.environment->input.levels(outcome_.grid);
    for (double& level : roots) level = std::sqrt(level);
    const StateTable on_grid(transfer_, outcome_.grid, roots);
    CandidateSquares squares(on_grid);
    for (std::size_t i = 0; i < watched_.size(); ++i)
      if (!watched_[i].quantity->per_input) rows_[i].psd = squares.of(watched_[i], rows_[i].candidate);
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
      if (!(row.rms > 0) || row.is_rounding || std::abs(curve_rms(outcome_.grid, row.psd) / row.rms - 1) <= well_drawn)
        continue;
      std::vector<double> grid = outcome_.grid;
      grid.insert(grid.end(), covariance_.rule.frequency.begin(), covariance_.rule.frequency.end());
      outcome_.grid = once_inside(std::move(grid), outcome_.grid.front(), outcome_.grid.back());
      draw();
      return;
    }
  }

  RandomRow explained(std::size_t i) {
    const Watched& each = watched_[i];
    Row& own = rows_[i];
    RandomRow row;
    if (each.quantity->per_input) {
      row.rms = row.curve_rms = row.largest = row.coupling = std::nan("");
      row.psd.assign(outcome_.grid.size(), std::nan(""));
      return row;
    }
    row.rms = own.rms;
    row.where = own.measure.label;
    row.candidate_rms = std::move(own.candidate_rms);
    row.psd = std::move(own.psd);
    row.curve_rms = curve_rms(outcome_.grid, row.psd);
    row.shares = largest_shares(variance_shares(own.measure, covariance_, transfer_.layout()));
    // The kept states hold the roots of the weights already.
    const IntegrationRule by_point{covariance_.rule.frequency,
                                   std::vector<double>(covariance_.rule.frequency.size(), 1)};
    row.moments = spectral_moments(by_point, own.at_rule);
    row.bands = dominating_bands(outcome_.grid, row.psd, by_point, own.at_rule);
    const std::optional<double>& duration = outcome_.environment->duration;
    row.largest = duration && each.is_gaussian() ? row.rms * expected_largest(row.moments.zero_crossings(), *duration)
                                                 : std::nan("");
    if (!coupled_.differ()) return row;
    row.coupling = std::nan("");
    if (each.is_headline() && !row.bands.empty() && row.rms > 0) {
      const double f = row.bands.front().frequency;
      row.coupling =
          (own.measure.rows * coupled_.at(f)).squaredNorm() / (own.measure.rows * transfer_.state(f)).squaredNorm() - 1;
    }
    return row;
  }

  static constexpr int most_rounds = 6;
  static constexpr double row_tolerance = 5e-8;  // of a mean square
  static constexpr double rounding = 1e-9;       // of what a sum would be without its signs
  static constexpr double well_drawn = 0.01;     // of an RMS, in the drawn curve's own integral
  const Transfer& transfer_;
  const std::vector<Watched>& watched_;
  Outcome& outcome_;
  CoupledStates coupled_;
  ModalCovariance covariance_;
  std::vector<Row> rows_;
};

}  // namespace

double highest_excited(const std::vector<Environment>& environments) {
  double highest = 0;
  for (const Environment& environment : environments)
    if (environment.type != Environment::Type::steady) highest = std::max(highest, environment.input.to());
  return highest;
}

bool Outcome::is_root_sum() const {
  return is_combined() && environment->combination == Environment::Combination::root_sum_of_squares;
}

VectorXcd Environment::directions(int axis, const System& system) const {
  if (motions.empty()) return system.together.col(axis).cast<Complex>();
  VectorXcd column = VectorXcd::Zero(system.together.rows());
  for (const BaseMotion& motion : motions) column[6 * motion.base + axis] = motion.factor;
  return column;
}

std::string outcome_name(const Environment& environment, int axis) {
  if (environment.type == Environment::Type::steady) return environment.name;
  return fmt::format("{}.{}", environment.name,
                     axis < 0 ? std::string_view("combined") : axis_names[static_cast<std::size_t>(axis)]);
}

VectorXcd steady_state(const Environment& environment, const System& system, const ModalBasis& basis) {
  const StateLayout layout{basis.size(), static_cast<int>(system.support_motion.cols())};
  // Gravity g acts on the model as a base acceleration of −g would, seen from the base.
  Vector6 field = Vector6::Zero();
  field.head<3>() = environment.acceleration;
  VectorXcd z = VectorXcd::Zero(layout.size());
  const VectorXd q = (basis.rigid_participation * field).array() / basis.omega.array().square();
  z.segment(layout.modal(0), layout.modes) = q.cast<Complex>();
  z.segment(layout.base(2), layout.motions) = (-(system.together * field)).cast<Complex>();
  return z;
}

void require_response(const Environment& environment, const ModalBasis& basis, const ModalDamping& damping) {
  if (environment.type == Environment::Type::steady) return;
  require_damping(basis, damping, environment.grid.from, environment.grid.to);
  require_enough_modes(environment, basis);
}

Outcome run_environment(const Environment& environment, int axis, const System& system, const ModalBasis& basis,
                        const ModalDamping& damping, const std::vector<Watched>& watched, const Outcome* after) {
  require_response(environment, basis, damping);
  const Transfer transfer(basis, damping, base_inputs(basis, damping, environment.directions(axis, system)));
  Outcome outcome;
  outcome.environment = &environment;
  outcome.axis = axis;
  outcome.grid = frequency_grid(environment.grid, environment.input.curve_points(), resonances(basis, damping));
  if (environment.type == Environment::Type::sine)
    run_sine(transfer, watched, after, outcome);
  else
    RandomRun(transfer, watched, outcome).run();
  return outcome;
}

Outcome run_steady(const Environment& environment, const System& system, const ModalBasis& basis,
                   const std::vector<Watched>& watched) {
  Outcome outcome;
  outcome.environment = &environment;
  const VectorXcd z = steady_state(environment, system, basis);
  for (const Watched& each : watched) {
    StaticRow row;
    const Candidates& all = *each.candidates;
    const bool still =
        each.quantity->per_input || (each.quantity->subject == Subject::node && each.quantity->kind != &kind::length &&
                                     each.quantity->kind != &kind::angle);
    row.rows = VectorXd::Zero(all.rows.rows());
    if (!still) row.rows = all.rows.real() * z.real();
    row.value = -1;
    for (std::size_t k = 0; k < all.items.size(); ++k) {
      const double value = all.of(row.rows, k).middleRows(each.first, each.count).norm();
      if (value <= row.value * (1 + 1e-9)) continue;
      row.value = value;
      row.where = all.label(k);
    }
    outcome.steady.push_back(std::move(row));
  }
  return outcome;
}

Outcome combine(const Environment& environment, const std::vector<const Outcome*>& axes,
                const std::vector<Watched>& watched) {
  Outcome outcome;
  outcome.environment = &environment;
  outcome.axis = -1;
  const bool squares = environment.combination == Environment::Combination::root_sum_of_squares;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (environment.type == Environment::Type::sine) {
      SineRow row;
      double sum = 0;
      for (const Outcome* axis : axes) {
        const SineRow& own = axis->sine[i];
        sum += own.peak.value * own.peak.value;
        if (axis == axes.front() || own.peak.value > row.peak.value) {
          row.peak = own.peak;
          row.where = fmt::format("{}{}: {}", squares ? "most from " : "",
                                  axis_names[static_cast<std::size_t>(axis->axis)], own.where);
        }
      }
      if (squares) row.peak.value = std::sqrt(sum);
      outcome.sine.push_back(std::move(row));
      continue;
    }
    RandomRow row;
    row.candidate_rms = VectorXd::Zero(axes.front()->random[i].candidate_rms.size());
    for (const Outcome* axis : axes) {
      const VectorXd& own = axis->random[i].candidate_rms;
      row.candidate_rms = squares ? VectorXd((row.candidate_rms.array().square() + own.array().square()).sqrt())
                                  : VectorXd(row.candidate_rms.cwiseMax(own));
    }
    const bool known = row.candidate_rms.size() > 0;
    const std::size_t worst = known ? first_largest(row.candidate_rms) : 0;
    row.rms = known ? row.candidate_rms[static_cast<Index>(worst)] : std::nan("");
    if (known) row.where = watched[i].candidates->label(worst);
    outcome.random.push_back(std::move(row));
  }
  return outcome;
}

}  // namespace avrenk
