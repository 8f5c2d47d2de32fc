// Times every stage of the pipeline on a lattice tower of beams with about 20 000 unknowns, and prints each as a share
// of the whole and as a multiple F of one factorisation, so that runs on different machines compare. Best of three.
//
//   build/release/bench/avrenk-bench-stages [unknowns] [modes]

#include <fmt/format.h>

#include <map>

#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/channels.h"
#include "core/response/direct_solution.h"
#include "core/response/run_case.h"
#include "core/system/system.h"
#include "models.h"

using namespace avrenk;
using namespace avrenk::bench;

int main(int count, char** arguments) {
  const int unknowns = count > 1 ? std::atoi(arguments[1]) : 20000, modes = count > 2 ? std::atoi(arguments[2]) : 40;
  std::vector<std::pair<std::string, double>> stages;
  const auto note = [&](const std::string& name, double time) {
    for (auto& [known, best] : stages)
      if (known == name) return void(best = std::min(best, time));
    stages.emplace_back(name, time);
  };
  System system;
  ModalBasis basis;
  for (int repeat = 0; repeat < 3; ++repeat) {
    Assembly model;
    note("meshing", seconds([&] { model = tower_of(unknowns); }));
    note("assembling", seconds([&] { system = make_system(model); }));
    basis = solve_modes(model, system, {std::nullopt, modes, true, false});
    note("factorisation", basis.factor_seconds);
    note("static solutions", basis.statics_seconds);
    note("modes", basis.eigen_seconds);
    note("proof by pivot count", basis.count_seconds);
    ModalDamping damping;
    note("damping", seconds([&] { damping = damp(system, basis, {DampingRule::Form::ratio, 0.015, {}}); }));
    std::vector<Output> watched;
    note("channels", seconds([&] {
           OutputRequest request{
               "tip", &output_quantities()[0], {static_cast<int>(model.nodes.size()) - 1}, Vector3::Zero()};
           watched = watch(model, Channels(model, system, basis, damping), {request});
         }));
    const double top = basis.frequency(basis.modes - 1) / 1.5;
    Environment environment;
    environment.axes = {0};
    environment.input = LogLogTable({{0.5 * basis.frequency(0), 1, {}}, {top, 1, {}}}, 20);
    environment.grid = {environment.input.from(), top, 24, 21, {}};
    const auto answer = [&] {
      CaseResponse excited(excitation_along(environment, 0, system), system, basis, damping);
      (void)run_case(excited, watched);
    };
    note("sine, one axis", seconds(answer));
    // What loads cost besides: a static solution and a residual vector each; and the full equations at one frequency.
    constexpr int forces = 64;
    Assembly loaded = model;
    for (int k = 0; k < forces; ++k) {
      Load& load = loaded.loads.emplace_back();
      load.name = fmt::format("force {}", k);
      load.columns.resize(1);
      load.columns[0].on_nodes[static_cast<int>(model.nodes.size()) - 1 - 7 * k] << 1, 0, 0, 0, 0, 0;
      load.factors = {1};
    }
    const System with_loads = make_system(loaded);
    const ModeRequest request{std::nullopt, modes, true, false};
    ModalBasis more = basis;
    const double without = seconds([&] { complete(model, system, request, 0, more, {}); });
    note("64 loads more", seconds([&] { complete(loaded, with_loads, request, 0, more, {}); }) - without);
    const EliminationOrder order(system.stiffness.ff, system.node_of_column);
    const DampingRule rule{DampingRule::Form::loss_factor, 0.03, {}};
    const ModalDamping by_elements = damp(with_loads, more, rule);
    const auto direct = [&](int columns) {
      const DirectSolution full(with_loads, more, by_elements, rule, order, top);
      (void)full.solve({Eigen::MatrixXcd::Zero(6, columns), Eigen::MatrixXcd::Identity(forces, columns)});
    };
    note("direct, one frequency", seconds([&] { direct(1); }));
    note("direct, 64 columns", seconds([&] { direct(forces); }));
    environment.form = RandomInput{};
    note("random, one axis", seconds(answer));
  }
  std::map<std::string, double> by_name(stages.begin(), stages.end());
  double total = 0;
  for (const auto& [name, time] : stages) total += time;
  const double factorisation = by_name["factorisation"];
  fmt::print("Tower of beams: {} unknowns, {} modes to {:.4g} Hz, factor of {:.3g} entries\n\n", system.free,
             basis.modes, basis.frequency(basis.modes - 1), basis.factor_entries);
  fmt::print("{:<22} {:>9} {:>8} {:>9}\n", "stage", "seconds", "share", "F");
  for (const auto& [name, time] : stages)
    fmt::print("{:<22} {:9.4f} {:6.1f} % {:9.2f}\n", name, time, 100 * time / total, time / factorisation);
  fmt::print("{:<22} {:9.4f}\n\nOne factorisation (F) is {:.1f} % of the whole.\n", "whole", total,
             100 * factorisation / total);
  return 0;
}
