// Two measures of random vibration, each against a limit or a plain kernel in the same run:
// - the modal covariance of a tower of beams with 200 modes under six uncorrelated accelerations of its base, damping
//   that couples the modes kept whole: seconds, against the limit of one;
// - RMS of von Mises stress at every node of a plate of shells with 10⁵ nodes and 200 modes: against one dense product
//   of the same rows with the same columns, the best of ten each. The limit is twice that.
//
//   build/release/bench/avrenk-bench-random [nodes along one edge of the plate]

#include <fmt/format.h>

#include "core/dense.h"
#include "core/freed_pages.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/stress_load.h"
#include "core/system/system.h"
#include "models.h"

namespace {

using namespace avrenk;
using namespace avrenk::bench;

constexpr int repeats = 10;

Environment all_directions(double from, double to, int directions) {
  Environment environment;
  environment.name = "noise";
  environment.form = RandomInput{};
  environment.input = LogLogTable({{from, 1, {}}, {to, 1, {}}}, 10);
  for (int axis = 0; axis < directions; ++axis) environment.axes.push_back(axis);
  environment.random().simultaneous = true;
  environment.grid = {from, to, 24, 21, {}};
  return environment;
}

void integrate_tower() {
  const Assembly model = [] {
    Assembly tower = tower_of(20000);
    // Every other storey of another alloy: no two modes are damped alike, and all are coupled.
    tower.materials[0].loss_factor = 0.01;
    tower.materials.push_back(tower.materials[0]);
    tower.materials[1].loss_factor = 0.05;
    tower.parts.push_back(tower.parts[0]);
    tower.parts[1].material = 1;
    for (std::size_t b = 0; b < tower.beams.size(); ++b) tower.beams[b].part = (b / 24) % 2 ? 1 : 0;
    return tower;
  }();
  const System system = make_system(model);
  const ModalBasis basis = solve_modes(model, system, {std::nullopt, 200, true, false});
  DampingRule rule{DampingRule::Form::loss_factor, 0.01, {}};
  const ModalDamping damping = damp(system, basis, rule);
  const Environment environment = all_directions(0.5 * basis.frequency(0), basis.frequency(basis.modes - 1) / 1.5, 6);
  const auto cases = excitations(environment, model, system);
  double best = HUGE_VAL, error = 0;
  std::size_t points = 0;
  for (int repeat = 0; repeat < repeats; ++repeat) {
    const Transfer transfer(basis, damping, InputColumns{cases[0]->base, cases[0]->loads});
    best = std::min(best, seconds([&] {
                      const ModalCovariance covariance = integrate_covariance(transfer, cases[0]->spectrum, {}, 0);
                      error = covariance.error;
                      points = covariance.rule.frequency.size();
                    }));
  }
  fmt::print("{} modes, {} vectors in all, {} inputs, coupled: {}\n", basis.modes, basis.size(), cases[0]->base.cols(),
             damping.couples());
  fmt::print("integration: {:.3f} s at {} frequencies, error {:.1e}; {:.2f} of the limit of 1 s\n\n", best, points,
             error, best);
}

// One environment with `directions` axes: together one case, else a case each, as tests are run axis by axis.
void survey_plate(const Assembly& model, const System& system, const ModalBasis& basis, bool together) {
  const ModalDamping damping = damp(system, basis, {DampingRule::Form::ratio, 0.015, {}});
  Environment environment = all_directions(0.5 * basis.frequency(0), basis.frequency(basis.modes - 1) / 1.5, 3);
  environment.random().simultaneous = together;
  CaseResponses loads;
  for (const auto& excitation : excitations(environment, model, system))
    loads.push_back(std::make_unique<CaseResponse>(excitation, system, basis, damping));
  const StressStations stations(model);
  double best = HUGE_VAL, product = 0, operations = 0;
  for (int repeat = 0; repeat < repeats; ++repeat)
    best = std::min(
        best, seconds([&] {
          (void)survey_stress(model, system, basis, damping, stations, loads, {{StressQuantity::von_mises, {0}}}, 0);
        }));
  const Channels channels(model, system, basis, damping);
  const Eigen::MatrixXcd fold = strain_fold(channels, std::nullopt);
  const auto rows = static_cast<Eigen::Index>(6 * stations.size());
  for (const auto& load : loads) {
    const Eigen::MatrixXd factor = covariance_factor(load->covariance->gamma, fold);
    const Eigen::MatrixXd dense = Eigen::MatrixXd::Random(rows, factor.rows());
    Eigen::MatrixXd result(rows, factor.cols());
    double fastest = HUGE_VAL;
    for (int repeat = 0; repeat < repeats; ++repeat)
      fastest = std::min(fastest, seconds([&] { result.noalias() = dense * factor; }));
    product += fastest;
    operations += 2.0 * static_cast<double>(rows) * static_cast<double>(factor.rows() * factor.cols());
  }
  fmt::print("{} nodes, {} modes, {} case{}\n", stations.size(), basis.modes, loads.size(),
             loads.size() == 1 ? ": three axes together" : "s: one an axis");
  fmt::print("RMS of von Mises stress: {:.3f} s; dense products alone {:.3f} s ({:.1f} Gflop/s): {:.2f} times\n", best,
             product, 1e-9 * operations / product, best / product);
}

void survey_plate(int along) {
  const Assembly model = plate_of(along);
  const System system = make_system(model);
  const ModalBasis basis = solve_modes(model, system, {std::nullopt, 200, true, false});
  for (const bool together : {true, false}) survey_plate(model, system, basis, together);
}

}  // namespace

int main(int count, char** arguments) {
  keep_freed_pages();
  integrate_tower();
  survey_plate(count > 1 ? std::atoi(arguments[1]) : 316);
  return 0;
}
