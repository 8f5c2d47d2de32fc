#include "analysis/modal_model.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/blas_threads.h"
#include "core/clock.h"
#include "core/excitation/field_patterns.h"
#include "core/modes/completeness.h"
#include "files/modes_file.h"
#include "files/table.h"

namespace avrenk {
namespace {

ModalModel take_or_solve(ModelAtRest at_rest, const std::vector<std::filesystem::path>& kept,
                         const Progress& progress) {
  const StopWatch start;
  ModalModel model{std::move(at_rest), {}, {}};
  const Plan& plan = model.plan();
  const Assembly& assembly = model.at_rest.assembly;
  const System& system = model.at_rest.system;
  const int threads = model.at_rest.loaded->threads;
  model.environments = plan.environments;
  model.print = print_of(assembly, system);
  for (const std::filesystem::path& file : kept) {
    KeptModes found = read_modes(file, system, model.print, plan.modes);
    if (found.basis && !what_is_invalid(*found.basis).empty()) found = {std::nullopt, "its modes are not valid"};
    if (!found.basis) {
      if (model.modes_note.empty() && !found.why_not.empty())
        model.modes_note = fmt::format("modes: computed anew, not taken from {}: {}", file.string(), found.why_not);
      continue;
    }
    model.basis = std::move(*found.basis);
    model.modes_from = file;
    const bool further = plan.modes.up_to && model.basis.proven_below > *plan.modes.up_to * (1 + 1e-9);
    model.modes_note = fmt::format(
        "modes: those in {}, computed for the same model{}", file.string(),
        further ? fmt::format("; they reach {:.5g} Hz, further than asked for", model.basis.proven_below) : "");
    if (!found.loads_missing.empty() && !plan.modes.free_motions && !plan.modes.near) {
      complete(assembly, system, plan.modes, threads, model.basis, progress);
      model.more_than_file = true;
      model.modes_note +=
          fmt::format("; static shapes and residual vectors were made anew, because {}", found.loads_missing);
    }
    model.report.times.push_back({"reading the modes", start.seconds()});
    return model;
  }
  model.basis = solve_modes(assembly, system, plan.modes, threads, progress);
  const ModalBasis& basis = model.basis;
  for (const auto& [stage, seconds] :
       std::initializer_list<std::pair<const char*, double>>{{"ordering", basis.ordering_seconds},
                                                             {"factorising", basis.factor_seconds},
                                                             {"static solutions", basis.statics_seconds},
                                                             {"modes", basis.eigen_seconds},
                                                             {"  solves", basis.cost.solves},
                                                             {"  products with M", basis.cost.products},
                                                             {"  orthogonalisation", basis.cost.orthogonalisation},
                                                             {"  projected problem", basis.cost.projected},
                                                             {"counts, more shifts", basis.count_seconds}})
    model.report.times.push_back({stage, seconds});
  return model;
}

// Counts the modes up to where they are asked for, unless an earlier run did.
void count_what_is_not_reached(ModalModel& model) {
  const double asked = frequency_not_reached(model.plan(), model.basis);
  if (asked == 0 || known_count(model.basis, asked)) return;
  model.basis.slices.push_back({std::pow(2 * pi * asked, 2), count_modes_below(model.at_rest.system, asked), 0, 0});
  model.more_than_file = true;
}

// Modes that end too near the band: how many more there are up to where they are asked for.
void warn_about_reach(ModalModel& model) {
  const ModalBasis& basis = model.basis;
  const double asked = frequency_not_reached(model.plan(), basis), highest = highest_excited(model.plan().environments);
  if (asked == 0) return;
  const int more = known_count(basis, asked).value() - basis.counted_below;
  const std::string missing =
      more == 0 ? "no mode lies between"
                : fmt::format("{} more mode{} between (pivot count)", more, more == 1 ? " lies" : "s lie");
  model.report.warnings.push_back(fmt::format(
      "the modes end at {:.5g} Hz, {} the excited band of {:.5g} Hz, and {:g} times as far is asked for: {}; write "
      "modes: {{up to: {:.4g} Hz}}",
      basis.proven_below, basis.proven_below < highest ? "inside" : "just above", highest, reach_asked, missing,
      asked));
}

// Excited directions in which the modes represent too little of the mass.
void warn_about_mass(ModalModel& model) {
  std::set<int> directions;
  for (const Environment& environment : model.plan().environments)
    if (!environment.is_static()) directions.insert(environment.axes.begin(), environment.axes.end());
  for (const int direction : directions) {
    const MassCarried mass = mass_carried(model.at_rest.system, model.basis, direction);
    if (mass.part() >= mass_asked) continue;
    const DisplayUnit unit = model.plan().show.unit(direction < 3 ? kind::mass : kind::inertia);
    const std::string carried =
        model.basis.residual_vectors() > 0
            ? fmt::format("the residual vectors carry {} of it", value_text(mass.residual_vectors, unit, 3))
            : std::string("residual vectors are turned off and carry none of it");
    model.report.warnings.push_back(fmt::format(
        "along {} the modes represent {:.3g} % of the mass that can move, less than {:g} %: {} is left out, {}",
        axis_names[static_cast<std::size_t>(direction)], 100 * mass.part(), 100 * mass_asked,
        value_text(mass.left(), unit, 3), carried));
  }
}

// Modes of what is held so softly beside its own stiffness that digits are lost.
void warn_about_rounding(ModalModel& model) {
  constexpr double worth_saying = 1e-4;
  const Eigen::VectorXd rounding = frequency_rounding(model.at_rest.system, model.basis);
  Eigen::Index worst = 0;
  if (rounding.size() == 0 || rounding.maxCoeff(&worst) <= worth_saying) return;
  const double frequency = model.basis.frequency(static_cast<int>(worst));
  model.report.warnings.push_back(fmt::format(
      "mode {}, {}: what holds the model is so soft beside the stiffness of its parts that rounding may shift this "
      "frequency by {:.2g} %, and static answers by twice that; make the parts less stiff, or hold the model more "
      "firmly",
      worst + 1, value_text(frequency, model.plan().show.unit(kind::frequency), 4), 100 * rounding[worst]));
}

// Modes that end too near the band, mass that they leave out, a model that the bases strain, lost digits.
void warn_about_modes(ModalModel& model) {
  const ModalBasis& basis = model.basis;
  warn_about_reach(model);
  warn_about_rounding(model);
  if (!model.plan().modes.near && !model.plan().modes.free_motions) warn_about_mass(model);
  if (basis.statics.grounded)
    model.report.warnings.push_back(
        fmt::format("a motion of all bases as one body strains the model (static motion and rigid motion differ by "
                    "{:.2g} of it): a spring "
                    "leads to the ground, or there is a second support",
                    basis.statics.rigid_difference));
}

// Pressure fields act in patterns that the modes see.
void add_pressure_fields(ModalModel& model, const EnvironmentChoice& applied, const Progress& progress) {
  if (model.plan().modes.free_motions || model.basis.missing_below > 0) return;  // there is no response
  const StopWatch start;
  std::vector<Environment*> wanted;
  for (Environment& environment : model.environments)
    if (applied(environment)) wanted.push_back(&environment);
  const std::vector<FieldReport> fields = make_patterns(model.at_rest.assembly, model.at_rest.system, model.basis,
                                                        wanted, model.at_rest.loaded->threads, progress);
  for (const FieldReport& field : fields) {
    model.report.notes.push_back(fmt::format(
        "environment {}: the {} on {} acts in {} patterns, all that the modes and reactions see of it; their joint "
        "acceptances were computed at {} frequencies and interpolated, to {:.0e} of the largest",
        field.environment, field.field.words(), field.load, field.patterns, field.frequencies, field.error));
    constexpr double coarse = 0.25;
    if (field.coarseness > coarse)
      model.report.warnings.push_back(fmt::format(
          "environment {}: the largest face of {} is {:.2g} of the length over which its pressure is alike at the "
          "highest frequency, and each face feels the pressure at its centre: mesh it finer, to {} of that or less",
          field.environment, field.load, field.coarseness, coarse));
  }
  if (!fields.empty()) model.report.times.push_back({"pressure fields", start.seconds()});
}

}  // namespace

double frequency_not_reached(const Plan& plan, const ModalBasis& basis) {
  if (plan.modes.near || plan.modes.free_motions) return 0;
  const double asked = reach_asked * highest_excited(plan.environments);
  return basis.exhausted || basis.proven_below >= asked * (1 - 1e-9) ? 0 : asked;
}

ModalModel with_basis(ModelAtRest at_rest, ModalBasis basis, const EnvironmentChoice& applied,
                      const Progress& progress) {
  std::vector<Environment> environments = at_rest.plan().environments;
  ModalModel model{std::move(at_rest), std::move(environments), std::move(basis)};
  add_pressure_fields(model, applied, progress);
  return model;
}

ModalModel solve_modal(ModelAtRest at_rest, const std::vector<std::filesystem::path>& kept,
                       const EnvironmentChoice& applied, const Progress& progress) {
  const OneBlasThread held(at_rest.system.free < small_model);
  ModalModel model = take_or_solve(std::move(at_rest), kept, progress);
  const Plan& plan = model.plan();
  const System& system = model.at_rest.system;
  const int threads = model.at_rest.loaded->threads;
  if (const auto& asked = plan.modes.count; asked && model.basis.modes > *asked)
    model.report.notes.push_back(fmt::format(
        "modes: {} instead of {}, because those with the same frequency are not parted", model.basis.modes, *asked));
  count_what_is_not_reached(model);
  StopWatch start;
  report_progress(progress, "energy of the modes");
  model.contents = contents_of_modes(model.at_rest.assembly, system, model.basis, threads);
  model.report.times.push_back({"energy of the modes", start.seconds()});
  warn_about_modes(model);
  start = StopWatch();
  constexpr int most_at_levels = 10;  // modes
  model.levels =
      modes_at_levels(system, plan.modes_levels, std::min(model.basis.modes, most_at_levels), threads, progress);
  if (!model.levels.empty()) model.report.times.push_back({"levels of the preload", start.seconds()});
  add_pressure_fields(model, applied, progress);
  return model;
}

}  // namespace avrenk
