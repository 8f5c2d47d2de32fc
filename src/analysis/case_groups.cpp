#include "analysis/case_groups.h"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <set>

#include "core/clock.h"
#include "core/memory.h"
#include "core/model/spring_law.h"
#include "core/parallel.h"
#include "core/response/direct_basis.h"

namespace avrenk {
namespace {

bool is_static(const std::shared_ptr<const Excitation>& excitation) { return excitation->is_static(); }

// Grids are refused where they do not fit into memory, and told where they take much of it.
void weigh_grids(const DampedModel& model, const Cases& cases, StageReport& report) {
  constexpr double worth_saying = 1e9;
  constexpr std::size_t rows_of_a_watch = 3;
  double bytes = 0;
  std::pair<double, std::string> largest;  // points, and where
  for (const auto& excitation : cases) {
    if (excitation->is_combined) continue;
    const GridCost cost =
        grid_cost(*excitation, model.basis(), *model.damping, rows_of_a_watch * model.plan().watch.size());
    bytes += cost.bytes;
    if (cost.points > largest.first)
      largest = {cost.points,
                 fmt::format("environment {}: {:.3g} frequencies", excitation->environment->name, cost.points)};
  }
  if (bytes < worth_saying) return;
  require_memory(bytes, "the grid of frequencies", largest.second + ", lower its per octave or points per resonance");
  report.notes.push_back(fmt::format("{}; all grids take about {:.3g} GB of memory", largest.second, bytes / 1e9));
}

// A group with another basis than that of the model; the springs of the plan become a part of its damping.
CaseGroup group_with(const DampedModel& model, std::shared_ptr<const ModalBasis> basis, ModalDamping damping) {
  auto damped = std::make_shared<const ModalDamping>(
      with_plan_springs(model.plan(), model.assembly(), model.system(), *basis, std::move(damping)));
  return {std::move(basis), std::move(damped)};
}

CaseGroup solve_directly(const DampedModel& model, const Cases& cases, const Progress& progress, StageReport& report) {
  const StopWatch start;
  const Plan& plan = model.plan();
  std::vector<int> columns_of_springs;
  for (const VaryingSpring& spring : varying_springs(model.assembly(), plan.variant))
    columns_of_springs.push_back(spring.column);
  DirectBasis direct = direct_basis(model.system(), model.basis(), plan.damping, cases, columns_of_springs, progress);
  report.notes.push_back(fmt::format(
      "environment {}: the full equations are solved at {} frequencies; the last of them differed by {:.1e} from what "
      "those before say, by {:.1e} at most of the motion of any node{}",
      cases.front()->environment->name, direct.frequencies.size(), direct.error, direct.node_error,
      plan.damping.form == DampingRule::Form::ratio
          ? "; the damping ratio, which is a property of modes, is taken as the loss factor 2ζ"
          : ""));
  CaseGroup group =
      group_with(model, std::make_shared<const ModalBasis>(std::move(direct.basis)), std::move(direct.damping));
  report.times.push_back({"direct solution", start.seconds()});
  return group;
}

// @throws InputError  a mode that there is not, or none in the band
CaseGroup choose_modes(const DampedModel& model, const Environment& environment, StageReport& report) {
  const ModalBasis& basis = model.basis();
  const ModeChoice& choice = *environment.modes;
  std::set<int> chosen;
  for (int r = 0; r < std::min(choice.first.value_or(0), basis.modes); ++r) chosen.insert(r);
  for (const int number : choice.numbers) {
    if (number > basis.modes)
      throw InputError(Problem{"environment " + environment.name,
                               fmt::format("mode {} is asked for, and there are {}", number, basis.modes),
                               "name one of them, or ask for more modes", std::nullopt});
    chosen.insert(number - 1);
  }
  for (int r = 0; r < basis.modes; ++r)
    if (basis.frequency(r) >= choice.from && basis.frequency(r) <= choice.to) chosen.insert(r);
  if (chosen.empty())
    throw InputError(Problem{"environment " + environment.name, "no mode lies in the band that it chooses",
                             "choose a wider band", std::nullopt});
  const std::vector<int> modes(chosen.begin(), chosen.end());
  const auto some =
      std::make_shared<const ModalBasis>(with_modes(model.system(), basis, modes, choice.residual_vectors));
  CaseGroup group = group_with(model, some, damp(model.system(), *some, model.plan().damping));
  group.modes = modes;
  report.notes.push_back(fmt::format("environment {}: {} of {} modes are used, {} residual vectors", environment.name,
                                     modes.size(), basis.modes, choice.residual_vectors ? "with the" : "without"));
  return group;
}

// Gives each case that vibrates a group of its own, with the springs as its amplitudes make them, where there are
// springs that depend on it.
void part_by_amplitude(const DampedModel& model, GroupedCases& grouped, const Progress& progress) {
  const Assembly& assembly = model.assembly();
  if (!depend_on_amplitude(assembly.springs)) return;
  std::vector<std::pair<std::size_t, std::shared_ptr<const Excitation>>> vibrating;  // group, case
  for (std::size_t g = 0; g < grouped.groups.size(); ++g) {
    Cases& cases = grouped.groups[g].cases;
    for (const auto& excitation : cases)
      if (!excitation->is_static()) vibrating.emplace_back(g, excitation);
    std::erase_if(cases, [](const auto& excitation) { return !excitation->is_static(); });
  }
  if (vibrating.empty()) return;
  const StopWatch start;
  report_progress(progress, "amplitudes of springs");
  const std::vector<VaryingSpring> springs = varying_springs(assembly, model.plan().variant);
  const int threads_each = vibrating.size() > 1 ? 1 : model.threads();
  std::vector<CaseGroup> groups(vibrating.size());
  grouped.equivalents.resize(vibrating.size());
  run_jobs(vibrating.size(), model.threads(), [&](std::size_t i) {
    const CaseGroup& from = grouped.groups[vibrating[i].first];
    const std::shared_ptr<const Excitation>& excitation = vibrating[i].second;
    EquivalentSprings found = do_for_case(*excitation, [&] {
      return linearise(*excitation, assembly, model.system(), *from.basis, *from.damping, springs, threads_each);
    });
    groups[i] = {from.basis,
                 std::make_shared<const ModalDamping>(
                     with_springs(*from.damping, *from.basis,
                                  std::make_shared<const SpringVariation>(found.springs, model.system(), *from.basis))),
                 {excitation},
                 from.modes};
    grouped.equivalents[i] = {excitation, std::move(found)};
  });
  std::move(groups.begin(), groups.end(), std::back_inserter(grouped.groups));
  grouped.report.times.push_back({"amplitudes of springs", start.seconds()});
}

void require_responses(const DampedModel& model, const Cases& cases) {
  if (cases.empty()) return;
  if (model.plan().modes.free_motions)
    throw InputError(Problem{"environment " + cases.front()->environment->name,
                             "a model with free motions has no response to its base",
                             "hold it at a base and leave modes: {free: yes} out, or run avrenk modes", std::nullopt});
  if (model.basis().missing_below > 0)
    throw InputError(Problem{
        "modes",
        fmt::format(
            "only modes near {:.5g} Hz were asked for: the {} below them are missing, and a response needs them",
            *model.plan().modes.near, model.basis().missing_below),
        "write modes: {up to: …}, or run avrenk modes", std::nullopt});
}

}  // namespace

std::size_t group_of(const std::vector<CaseGroup>& groups, const Excitation& excitation) {
  const auto found = std::find_if(groups.begin(), groups.end(), [&](const CaseGroup& group) {
    return std::any_of(group.cases.begin(), group.cases.end(),
                       [&](const auto& own) { return own.get() == &excitation; });
  });
  return static_cast<std::size_t>(found - groups.begin());
}

Cases cases_of(const DampedModel& model, const EnvironmentChoice& applied) {
  Cases cases;
  Eigen::VectorXd natural(model.basis().modes);
  for (int r = 0; r < model.basis().modes; ++r) natural[r] = model.natural_frequency(r);
  for (const bool at_rest : {true, false})
    for (const Environment& environment : model.modal->environments) {
      if (environment.is_static() != at_rest || !applied(environment)) continue;
      for (auto& excitation : excitations(environment, model.assembly(), model.system()))
        cases.push_back(asked_at_modes(std::move(excitation), natural));
      if (environment.combination != Environment::Combination::none) cases.push_back(combined_excitation(environment));
    }
  require_responses(model, cases);
  return cases;
}

GroupedCases group_cases(const DampedModel& model, const Cases& cases, const Progress& progress) {
  GroupedCases grouped;
  std::vector<CaseGroup>& groups = grouped.groups;
  groups.push_back({model.shared_basis(), model.damping});
  for (const auto& excitation : cases)
    if (!excitation->is_combined && !excitation->environment->is_direct() && !excitation->environment->modes)
      groups[0].cases.push_back(excitation);
  for (const Environment& environment : model.modal->environments) {
    if (!environment.is_direct() && !environment.modes) continue;
    Cases of_environment;
    std::copy_if(cases.begin(), cases.end(), std::back_inserter(of_environment), [&](const auto& excitation) {
      return !excitation->is_combined && excitation->environment == &environment;
    });
    if (of_environment.empty()) continue;
    groups.push_back(environment.is_direct()
                         ? do_for_case(*of_environment.front(),
                                       [&] { return solve_directly(model, of_environment, progress, grouped.report); })
                         : choose_modes(model, environment, grouped.report));
    groups.back().cases = std::move(of_environment);
  }
  if (const auto& preload =
          model.modal->at_rest.preload) {  // what acts at rest is not added to the state that it makes
    Cases at_rest;
    std::copy_if(groups[0].cases.begin(), groups[0].cases.end(), std::back_inserter(at_rest), is_static);
    if (!at_rest.empty()) {
      std::erase_if(groups[0].cases, is_static);
      const std::shared_ptr<const ModalBasis> basis(model.modal, &preload->at_rest);
      groups.push_back(group_with(model, basis, damp(model.system(), *basis, {})));
      groups.back().cases = std::move(at_rest);
    }
  }
  weigh_grids(model, cases, grouped.report);
  part_by_amplitude(model, grouped, progress);
  return grouped;
}

std::vector<CaseResponses> apply_cases(const DampedModel& model, const std::vector<CaseGroup>& groups) {
  std::vector<CaseResponses> responses(groups.size());
  for (std::size_t g = 0; g < groups.size(); ++g) {
    const CaseGroup& group = groups[g];
    responses[g].resize(group.cases.size());
    // Several cases side by side; one alone in parts.
    const int threads_each = group.cases.size() > 1 ? 1 : model.threads();
    run_jobs(group.cases.size(), model.threads(), [&](std::size_t i) {
      responses[g][i] = do_for_case(*group.cases[i], [&] {
        return std::make_unique<CaseResponse>(group.cases[i], model.system(), *group.basis, *group.damping,
                                              threads_each);
      });
    });
  }
  return responses;
}

}  // namespace avrenk
