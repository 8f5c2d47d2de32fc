#include "core/response/environment.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/response/explanation.h"
#include "core/response/random_run.h"
#include "core/response/sine_run.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::VectorXcd;
using Eigen::VectorXd;

void require_enough_modes(const Environment& environment, const ModalBasis& basis) {
  for (int r = basis.modes; r < basis.with_mass(); ++r) {
    if (basis.frequency(r) > environment.grid.to) continue;
    throw InputError(
        Problem{"modes",
                fmt::format("the residual vector at {:.5g} Hz falls inside environment {}, which reaches {:.5g} Hz",
                            basis.frequency(r), environment.name, environment.grid.to),
                fmt::format("write modes: {{up to: {:.4g} Hz}} or more", 1.5 * environment.grid.to), std::nullopt});
  }
}

}  // namespace

std::size_t first_largest(const VectorXd& values) {  // the first of equals is named
  std::size_t best = 0;
  for (Index k = 1; k < values.size(); ++k)
    if (values[k] > values[static_cast<Index>(best)] * (1 + 1e-9)) best = static_cast<std::size_t>(k);
  return best;
}

std::vector<std::pair<int, double>> largest_shares(const VectorXd& shares) {
  constexpr double smallest = 0.005;  // of the response, worth a place in a table
  std::vector<std::pair<int, double>> sorted;
  const auto modes = static_cast<int>(shares.size()) - 1;
  for (int r = 0; r <= modes; ++r)
    if (std::abs(shares[r]) >= smallest) sorted.emplace_back(r == modes ? -1 : r, shares[r]);
  std::stable_sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
  return sorted;
}

double highest_excited(const std::vector<Environment>& environments) {
  double highest = 0;
  for (const Environment& environment : environments)
    if (environment.type != Environment::Type::steady) highest = std::max(highest, environment.grid.to);
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
  const VectorXd q = (basis.rigid_participation * field).cwiseQuotient(basis.stiffness());
  z.segment(layout.modal(0), layout.modes) = q.cast<Complex>();
  z.segment(layout.base(2), layout.motions) = (-(system.together * field)).cast<Complex>();
  return z;
}

void require_response(const Environment& environment, const ModalBasis& basis, const ModalDamping& damping) {
  if (environment.type == Environment::Type::steady) return;
  require_damping(basis, damping, environment.grid.from, environment.grid.to);
  require_enough_modes(environment, basis);
}

GridCost grid_cost(const Environment& environment, const ModalBasis& basis, const ModalDamping& damping,
                   std::size_t rows) {
  if (environment.type == Environment::Type::steady) return {};
  const double points =
      most_points(environment.grid, environment.input.curve_points().size(), resonances(basis, damping).size());
  // Three derivatives of coordinates and bases, real and imaginary parts; the coordinates once more while they are
  // made, twice as many as modes where the equations are of first order; the curves.
  const double states = 3 * static_cast<double>(basis.size() + basis.statics.influence.cols()) +
                        static_cast<double>(damping.modes.coordinates());
  return {points, 16 * points * (states + static_cast<double>(rows))};
}

Excited::Excited(const Environment& applied, int along, const System& system, const ModalBasis& basis,
                 const ModalDamping& damping)
    : environment(applied), axis(along) {
  require_response(environment, basis, damping);
  if (environment.type == Environment::Type::steady) {
    still = steady_state(environment, system, basis);
    return;
  }
  transfer.emplace(basis, damping, base_inputs(basis, damping, environment.directions(axis, system)));
  grid = frequency_grid(environment.grid, environment.input.curve_points(), resonances(basis, damping));
  if (environment.type == Environment::Type::random)
    covariance = integrate_covariance(*transfer, environment.input);
  else
    sine.emplace(*transfer, environment.input, grid, grid_shortfall(environment.grid.points_per_resonance));
}

Outcome run_environment(Excited& excited, const std::vector<Watched>& watched, const Outcome* after) {
  Outcome outcome;
  outcome.environment = &excited.environment;
  outcome.axis = excited.axis;
  outcome.grid = excited.grid;
  if (excited.sine)
    run_sine(excited, watched, after, outcome);
  else
    run_random(excited, watched, outcome);
  return outcome;
}

Outcome run_environment(const Environment& environment, int axis, const System& system, const ModalBasis& basis,
                        const ModalDamping& damping, const std::vector<Watched>& watched, const Outcome* after) {
  Excited excited(environment, axis, system, basis, damping);
  return run_environment(excited, watched, after);
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
