#include "core/response/environment.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/error.h"

namespace avrenk {
namespace {

constexpr double smallest_share = 0.005;  // of the variance, worth a place in a table

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

std::vector<std::pair<int, double>> largest_shares(const Eigen::VectorXd& shares) {
  std::vector<std::pair<int, double>> sorted;
  const auto modes = static_cast<int>(shares.size()) - 1;
  for (int r = 0; r <= modes; ++r)
    if (std::abs(shares[r]) >= smallest_share) sorted.emplace_back(r == modes ? -1 : r, shares[r]);
  std::stable_sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
  return sorted;
}

}  // namespace

std::string Outcome::name() const {
  return fmt::format("{}.{}", environment->name, axis_names[static_cast<std::size_t>(axis)]);
}

Outcome run_environment(const Environment& environment, int axis, const ModalBasis& basis, const ModalDamping& damping,
                        const std::vector<Watched>& watched) {
  require_damping(basis, damping, environment.grid.from, environment.grid.to);
  require_enough_modes(environment, basis);
  const Transfer transfer(basis, damping, base_inputs(basis, damping, Eigen::MatrixXd::Identity(6, 6).col(axis)));
  Outcome outcome{&environment,
                  axis,
                  frequency_grid(environment.grid, environment.input.curve_points(), basis, damping),
                  {},
                  {},
                  0,
                  0};
  if (environment.type == Environment::Type::sine) {
    const SineResponse response(transfer, environment.input, outcome.grid);
    for (const Watched& each : watched) {
      const auto [index, peak] = response.worst(each.candidates);
      const Measure& worst = each.candidates[index];
      outcome.sine.push_back({peak, worst.label, response.curve(worst)});
    }
    return outcome;
  }
  const ModalCovariance covariance = integrate_covariance(transfer, basis, damping, environment.input);
  outcome.integration_error = covariance.error;
  outcome.integration_points = covariance.points;
  for (const Watched& each : watched) {
    const auto [index, rms] = worst_rms(each.candidates, covariance);
    const Measure& worst = each.candidates[index];
    RandomRow row{rms, worst.label, 0, response_psd(transfer, worst, environment.input, outcome.grid),
                  largest_shares(variance_shares(worst, covariance, transfer.layout()))};
    row.curve_rms = curve_rms(outcome.grid, row.psd);
    outcome.random.push_back(std::move(row));
  }
  return outcome;
}

}  // namespace avrenk
