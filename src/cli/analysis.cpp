#include "cli/analysis.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <mutex>
#include <set>

#include "core/blas_threads.h"
#include "core/check/plausible.h"
#include "core/clock.h"
#include "core/memory.h"
#include "core/modes/completeness.h"
#include "core/nearest.h"
#include "core/parallel.h"
#include "files/modes_file.h"
#include "files/table.h"

namespace avrenk {
namespace {

std::string describe_rule(const DampingRule& rule) {
  switch (rule.form) {
    case DampingRule::Form::none:
      return "damping of joints and materials only";
    case DampingRule::Form::ratio:
      return fmt::format("damping ratio {:.3g} %", 100 * rule.value);
    case DampingRule::Form::table:
      return "damping ratio from a table";
    case DampingRule::Form::loss_factor:
      return fmt::format("loss factor {:.3g} %", 100 * rule.value);
    case DampingRule::Form::rayleigh:
      return fmt::format("Rayleigh damping, α {:.3g} 1/s, β {:.3g} s", rule.mass_rate, rule.stiffness_rate);
  }
  return "";
}

// The frequency that the modes are asked to reach and do not; 0: they do.
double frequency_not_reached(const Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  if (analysis.plan.modes.near || analysis.plan.modes.free_motions) return 0;
  const double asked = reach_asked * highest_excited(analysis.plan.environments);
  return basis.exhausted || basis.proven_below >= asked * (1 - 1e-9) ? 0 : asked;
}

// Counts the modes up to where they are asked for, unless an earlier run did.
void count_what_is_not_reached(Analysis& analysis) {
  const double asked = frequency_not_reached(analysis);
  if (asked == 0 || known_count(analysis.basis, asked)) return;
  analysis.basis.slices.push_back({std::pow(2 * pi * asked, 2), count_modes_below(analysis.system, asked), 0, 0});
  analysis.counted_more = true;
}

// Modes that end too near the band: how many more there are up to where they are asked for.
void warn_about_reach(Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  const double asked = frequency_not_reached(analysis), highest = highest_excited(analysis.plan.environments);
  if (asked == 0) return;
  const int more = known_count(basis, asked).value() - basis.counted_below;
  const std::string missing =
      more == 0 ? "no mode lies between"
                : fmt::format("{} more mode{} between (pivot count)", more, more == 1 ? " lies" : "s lie");
  analysis.warnings.push_back(fmt::format(
      "the modes end at {:.5g} Hz, {} the excited band of {:.5g} Hz, and {:g} times as far is asked for: {}; write "
      "modes: {{up to: {:.4g} Hz}}",
      basis.proven_below, basis.proven_below < highest ? "inside" : "just above", highest, reach_asked, missing,
      asked));
}

// Excited directions in which the modes represent too little of the mass.
void warn_about_mass(Analysis& analysis) {
  std::set<int> directions;
  for (const Environment& environment : analysis.plan.environments)
    if (environment.type != Environment::Type::steady)
      directions.insert(environment.axes.begin(), environment.axes.end());
  for (const int direction : directions) {
    const MassCarried mass = mass_carried(analysis.system, analysis.basis, direction);
    if (mass.part() >= mass_asked) continue;
    const DisplayUnit unit = analysis.plan.show.unit(direction < 3 ? kind::mass : kind::inertia);
    const std::string carried =
        analysis.basis.residual_vectors() > 0
            ? fmt::format("the residual vectors carry {} of it", value_text(mass.residual_vectors, unit, 3))
            : std::string("residual vectors are turned off and carry none of it");
    analysis.warnings.push_back(fmt::format(
        "along {} the modes represent {:.3g} % of the mass that can move, less than {:g} %: {} is left out, {}",
        axis_names[static_cast<std::size_t>(direction)], 100 * mass.part(), 100 * mass_asked,
        value_text(mass.left(), unit, 3), carried));
  }
}

void warn_about_modes(Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  warn_about_reach(analysis);
  if (!analysis.plan.modes.near && !analysis.plan.modes.free_motions) warn_about_mass(analysis);
  if (basis.statics.grounded)
    analysis.warnings.push_back(
        fmt::format("a motion of all bases as one body strains the model (static motion and rigid motion differ by "
                    "{:.2g} of it): a spring "
                    "leads to the ground, or there is a second support",
                    basis.statics.rigid_difference));
}

// How far each mesh is good, and parts whose mesh is too coarse for the band that is excited.
void look_at_meshes(Analysis& analysis) {
  const double highest = highest_excited(analysis.plan.environments);
  const DisplayUnit length = analysis.plan.show.unit(kind::length);
  const Assembly& assembly = analysis.plan.assembly;
  const auto subject = [&](int part) { return "part " + assembly.parts[static_cast<std::size_t>(part)].name; };
  std::set<int> stiff;
  for (const ElementGroup& group : assembly.groups)
    if (!group.kind->is_shell() && group.kind->shape == SolidShape::tetrahedron4) stiff.insert(group.part);
  for (const int part : stiff)
    analysis.findings.push_back({Finding::Grade::warning, subject(part),
                                 "tetrahedra of 4 nodes are too stiff, in bending by far, and their stress is rough",
                                 "mesh it with tetrahedra of 10 nodes"});
  analysis.reach = mesh_reach(assembly);
  for (const MeshReach& reach : analysis.reach) {
    if (!(reach.frequency < highest)) continue;
    analysis.findings.push_back(
        {Finding::Grade::warning, subject(reach.part),
         fmt::format("its elements of {} are good for bending waves up to {:.4g} Hz only, and {:.4g} Hz are excited",
                     value_text(reach.element, length, 3), reach.frequency, highest),
         fmt::format("elements of {} would do", value_text(element_for(reach, highest), length, 2))});
  }
}

// Where a value given near a frequency found no mode.
void warn_about_damping(Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  for (const NearDamping& near : analysis.plan.damping.near) {
    bool found = false;
    for (int r = 0; r < basis.modes; ++r) found = found || near.covers(basis.frequency(r));
    if (!found)
      analysis.warnings.push_back(
          fmt::format("damping near {:.5g} Hz: no mode lies within {:.3g} % of it", near.frequency, 100 * near.within));
  }
}

// How the modal equations are solved with their damping.
std::string damping_in_words(const ModalDamping& damping) {
  if (!damping.couples()) return "damping: couples no modes";
  if (!damping.coupled()) return "damping: what couples the modes is left out (coupled: no)";
  const char* const form = damping.modes.form() == DampedModes::Form::hysteretic ? "eigenvectors of Λ + iD"
                           : damping.modes.form() == DampedModes::Form::poles    ? "eigenvectors of first order"
                                                                                 : "Schur form of first order";
  return fmt::format("damping: kept whole, {} coordinates by the {}, condition of the eigenvectors {:.2g}",
                     damping.modes.coordinates(), form, damping.modes.condition());
}

// The watched quantity that coupling of the modes by their damping would change most, where that matters.
void warn_about_coupling(Analysis& analysis) {
  constexpr double worth_saying = 0.05;
  double worst = worth_saying;
  std::string text;
  for (const Outcome& outcome : analysis.outcomes) {
    if (outcome.is_combined()) continue;
    for (std::size_t i = 0; i < analysis.watched.size(); ++i) {
      if (!analysis.watched[i].is_headline()) continue;
      const double change = !outcome.sine.empty()     ? outcome.sine[i].coupling
                            : !outcome.random.empty() ? outcome.random[i].coupling
                                                      : 0;
      if (!(std::abs(change) > worst)) continue;
      worst = std::abs(change);
      text = fmt::format(
          "coupled: no leaves out that the modes are coupled by their damping: at its {} in {}, {} would change by "
          "{:+.1f} %; leave it out of damping:",
          outcome.sine.empty() ? "dominating frequency the PSD" : "peak", outcome.name(), analysis.watched[i].name,
          100 * change);
    }
  }
  if (!text.empty()) analysis.warnings.push_back(text);
}

}  // namespace

std::string Analysis::heading() const {
  return fmt::format(
      "{}{}, {} modes to {:.4g} Hz{}", describe_rule(plan.damping),
      damping.couples() && !damping.coupled() ? ", modes uncoupled" : "", basis.modes, basis.proven_below,
      basis.residual_vectors() > 0 ? fmt::format(" and {} residual vectors", basis.residual_vectors()) : "");
}

bool Analysis::all_met() const {
  return std::all_of(limits.begin(), limits.end(), [](const LimitResult& result) { return result.met; });
}

void load(Analysis& analysis, const std::string& file, const Request& request) {
  const StopWatch start;
  if (request.threads > 0) set_blas_threads(request.threads);
  analysis.threads = request.threads;
  analysis.plan = read_plan(file, request.overrides);
  for (const auto& doubts : {implausible_materials(analysis.plan.assembly), weight_differences(analysis.plan.assembly)})
    analysis.findings.insert(analysis.findings.end(), doubts.begin(), doubts.end());
  look_at_meshes(analysis);
  for (const Finding& each : analysis.findings) analysis.warnings.push_back(each.sentence());
  analysis.times.push_back({"reading the plan", start.seconds()});
}

namespace {

void take_or_solve_modes(Analysis& analysis, Terminal& terminal, const std::vector<std::filesystem::path>& kept) {
  const StopWatch start;
  const Plan& plan = analysis.plan;
  analysis.model = print_of(plan.assembly, analysis.system);
  for (const std::filesystem::path& file : kept) {
    KeptModes found = read_modes(file, analysis.system, analysis.model, plan.modes);
    if (!found.basis) {
      if (analysis.modes_note.empty() && !found.why_not.empty())
        analysis.modes_note = fmt::format("modes: computed anew, not taken from {}: {}", file.string(), found.why_not);
      continue;
    }
    analysis.basis = std::move(*found.basis);
    analysis.modes_from = file;
    const bool further = plan.modes.up_to && analysis.basis.proven_below > *plan.modes.up_to * (1 + 1e-9);
    analysis.modes_note = fmt::format(
        "modes: those in {}, computed for the same model{}", file.string(),
        further ? fmt::format("; they reach {:.5g} Hz, further than asked for", analysis.basis.proven_below) : "");
    analysis.times.push_back({"reading the modes", start.seconds()});
    return;
  }
  analysis.basis = solve_modes(plan.assembly, analysis.system, plan.modes, analysis.threads, terminal.reporter());
  const ModalBasis& basis = analysis.basis;
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
    analysis.times.push_back({stage, seconds});
}

}  // namespace

void solve(Analysis& analysis, Terminal& terminal, const std::vector<std::filesystem::path>& kept) {
  StopWatch start;
  terminal.progress("assembling", -1);
  const Plan& plan = analysis.plan;
  analysis.system = make_system(plan.assembly, analysis.threads);
  analysis.times.push_back({"assembling", start.seconds()});
  // What follows a small model is not worth the threads of BLAS, which go on spinning beside our own.
  constexpr int small = 20000;
  std::optional<OneBlasThread> held;
  if (analysis.system.free < small) held.emplace();
  take_or_solve_modes(analysis, terminal, kept);
  if (const auto& asked = plan.modes.count; asked && analysis.basis.modes > *asked)
    analysis.plan.notes.push_back(fmt::format(
        "modes: {} instead of {}, because those with the same frequency are not parted", analysis.basis.modes, *asked));
  count_what_is_not_reached(analysis);
  start = StopWatch();
  analysis.damping = damp(analysis.system, analysis.basis, plan.damping);
  analysis.times.push_back({"damping", start.seconds()});
  terminal.log(damping_in_words(analysis.damping));
  start = StopWatch();
  terminal.progress("energy of the modes", -1);
  analysis.contents = contents_of_modes(plan.assembly, analysis.system, analysis.basis, analysis.threads);
  analysis.times.push_back({"energy of the modes", start.seconds()});
  warn_about_modes(analysis);
  warn_about_damping(analysis);
}

namespace {

// One environment along one axis, or all its axes combined (−1), or steady.
struct Job {
  const Environment* environment;
  int axis;
};

std::vector<Job> jobs_of(const Plan& plan, std::optional<Environment::Type> type, std::span<const std::string> chosen) {
  std::vector<Job> jobs;
  std::vector<std::string> names;
  for (const Environment& environment : plan.environments)
    if (environment.type == Environment::Type::steady) jobs.push_back({&environment, 0});
  const std::size_t steady = jobs.size();
  for (const Environment& environment : plan.environments) {
    if (environment.type == Environment::Type::steady || (type && environment.type != *type)) continue;
    names.push_back(environment.name);
    if (!chosen.empty() && std::find(chosen.begin(), chosen.end(), environment.name) == chosen.end()) continue;
    for (const int axis : environment.axes) jobs.push_back({&environment, axis});
    if (environment.combination != Environment::Combination::none) jobs.push_back({&environment, -1});
  }
  const char* const what = !type ? "" : *type == Environment::Type::sine ? "sine " : "random ";
  for (const std::string& name : chosen)
    if (std::find(names.begin(), names.end(), name) == names.end())
      throw InputError(Problem{"", fmt::format("the plan has no {}environment \"{}\"", what, name),
                               suggest_name(name, names), Place{plan.file, 0, 0}});
  if (jobs.size() == steady && type)
    throw InputError(Problem{"", fmt::format("the plan has no {}environment", what),
                             "declare one under environments:", Place{plan.file, 0, 0}});
  return jobs;
}

}  // namespace

namespace {

// Grids are refused where they do not fit into memory, and told where they take much of it.
void weigh_grids(Analysis& analysis, const std::vector<Job>& along) {
  constexpr double worth_saying = 1e9;
  constexpr std::size_t rows_of_a_watch = 3;
  double bytes = 0;
  std::pair<double, std::string> largest;  // points, and where
  for (const Job& job : along) {
    const GridCost cost =
        grid_cost(*job.environment, analysis.basis, analysis.damping, rows_of_a_watch * analysis.plan.watch.size());
    bytes += cost.bytes;
    if (cost.points > largest.first)
      largest = {cost.points, fmt::format("environment {}: {:.3g} frequencies", job.environment->name, cost.points)};
  }
  if (bytes < worth_saying) return;
  require_memory(bytes, "the grid of frequencies", largest.second + ", lower its per octave or points per resonance");
  analysis.plan.notes.push_back(
      fmt::format("{}; all grids take about {:.3g} GB of memory", largest.second, bytes / 1e9));
}

// What each job along one axis does to the modes.
ExcitedLoads excite_modes(Analysis& analysis, const std::vector<Job>& jobs) {
  const StopWatch start;
  std::vector<Job> along;
  std::copy_if(jobs.begin(), jobs.end(), std::back_inserter(along), [](const Job& job) { return job.axis >= 0; });
  weigh_grids(analysis, along);
  ExcitedLoads loads(along.size());
  run_jobs(along.size(), analysis.threads, [&](std::size_t i) {
    loads[i] = std::make_unique<Excited>(*along[i].environment, along[i].axis, analysis.system, analysis.basis,
                                         analysis.damping);
  });
  analysis.times.push_back({"states of the modes", start.seconds()});
  return loads;
}

// Stress of all shells and solids, or of those watched where nobody will look at fields; then all that is watched.
void survey_and_watch(Analysis& analysis, const ExcitedLoads& loads, const Request& request, Terminal& terminal) {
  StopWatch start;
  const Plan& plan = analysis.plan;
  StressSource source;
  std::vector<StressDemand> demands;
  if (request.figures && !plan.assembly.groups.empty()) {
    demands.emplace_back();
    for (std::size_t p = 0; p < plan.assembly.parts.size(); ++p) demands[0].parts.push_back(static_cast<int>(p));
  }
  for (const WatchRequest& watched : plan.watch)
    if (!watched.parts.empty() && watched.quantity->of_nodes)
      demands.push_back({*watched.quantity->of_nodes, watched.parts});
  if (!demands.empty()) {
    terminal.progress("stress of shells and solids", -1);
    analysis.stations.emplace(plan.assembly);
    analysis.stress = survey_stress(plan.assembly, analysis.system, analysis.basis, analysis.damping,
                                    *analysis.stations, loads, demands, analysis.threads);
    source = {&*analysis.stations, &analysis.stress};
    analysis.times.push_back({"stress of shells and solids", start.seconds()});
  }
  start = StopWatch();
  const Channels channels(plan.assembly, analysis.system, analysis.basis, analysis.damping);
  analysis.watched = watch(plan.assembly, channels, plan.watch, source);
  analysis.times.push_back({"channels", start.seconds()});
}

}  // namespace

void excite(Analysis& analysis, std::optional<Environment::Type> type, std::span<const std::string> chosen,
            const Request& request, Terminal& terminal) {
  const std::vector<Job> jobs = jobs_of(analysis.plan, type, chosen);
  if (!jobs.empty() && analysis.plan.modes.free_motions)
    throw InputError(Problem{"environment " + jobs.front().environment->name,
                             "a model with free motions has no response to its base",
                             "hold it at a base and leave modes: {free: yes} out, or run avrenk modes", std::nullopt});
  if (!jobs.empty() && analysis.basis.missing_below > 0)
    throw InputError(Problem{
        "modes",
        fmt::format(
            "only modes near {:.5g} Hz were asked for: the {} below them are missing, and a response needs them",
            *analysis.plan.modes.near, analysis.basis.missing_below),
        "write modes: {up to: …}, or run avrenk modes", std::nullopt});
  const ExcitedLoads loads = excite_modes(analysis, jobs);
  survey_and_watch(analysis, loads, request, terminal);
  const StopWatch start;
  std::vector<Outcome>& outcomes = analysis.outcomes;
  outcomes.resize(jobs.size());
  std::vector<std::size_t> swept;              // what takes time, and needs the steady outcomes
  std::vector<Excited*> load_of(jobs.size());  // along one axis
  for (std::size_t i = 0, k = 0; i < jobs.size(); ++i)
    if (jobs[i].axis >= 0) load_of[i] = loads[k++].get();
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    if (jobs[i].environment->type == Environment::Type::steady)
      outcomes[i] = run_steady(*jobs[i].environment, analysis.system, analysis.basis, analysis.watched);
    else if (jobs[i].axis >= 0)
      swept.push_back(i);
  }
  const auto steady_of = [&](const Environment& environment) -> const Outcome* {
    for (std::size_t i = 0; i < jobs.size(); ++i)
      if (!environment.after.empty() && jobs[i].environment->name == environment.after) return &outcomes[i];
    return nullptr;
  };
  // The longest first, so that the threads end together.
  std::stable_partition(swept.begin(), swept.end(),
                        [&](std::size_t i) { return jobs[i].environment->type == Environment::Type::random; });
  std::mutex telling;
  run_jobs(swept.size(), request.threads, [&](std::size_t k) {
    const Job& job = jobs[swept[k]];
    {
      const std::lock_guard lock(telling);
      terminal.progress(fmt::format("{}.{}", job.environment->name, axis_names[static_cast<std::size_t>(job.axis)]),
                        -1);
    }
    outcomes[swept[k]] = run_environment(*load_of[swept[k]], analysis.watched, steady_of(*job.environment));
  });
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    if (jobs[i].axis >= 0) continue;
    std::vector<const Outcome*> axes;
    for (std::size_t k = 0; k < i; ++k)
      if (jobs[k].environment == jobs[i].environment) axes.push_back(&outcomes[k]);
    outcomes[i] = combine(*jobs[i].environment, axes, analysis.watched);
  }
  warn_about_coupling(analysis);
  analysis.times.push_back({"responses", start.seconds()});
}

std::string proof_in_words(const Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  const std::string count =
      basis.missing_below > 0
          ? fmt::format("{} modes between {:.5g} and {:.5g} Hz, none missing between by inertia count; {} lie below.",
                        basis.modes, basis.frequency(0), basis.proven_below, basis.missing_below)
          : fmt::format("{} modes below {:.5g} Hz, complete by inertia count: K − ω²M has {} negative pivots there{}.",
                        basis.modes, basis.proven_below, basis.counted_below,
                        basis.exhausted ? ", and the mass carries no more modes" : "");
  return count +
         fmt::format(" Residual |Kφ − ω²Mφ|/|Kφ| ≤ {:.1e}, |ΦᵀMΦ − I| ≤ {:.1e}. ", basis.largest_residual(),
                     basis.largest_nonorthogonality()) +
         (basis.residual_vectors() > 0
              ? fmt::format("{} residual vectors from {:.5g} Hz on carry the rest of the mass and what dampers bend.",
                            basis.residual_vectors(), basis.frequency(basis.modes))
              : std::string("No residual vectors.")) +
         (basis.massless > 0 ? fmt::format(" {} shapes without mass follow dampers.", basis.massless) : std::string());
}

std::string audit_in_words(const Analysis& analysis) {
  double worst = 0, truncation = 0, without = 0;
  std::set<double> frequencies;
  for (const AuditedAnswer& each : analysis.audit) {
    frequencies.insert(each.frequency);
    worst = std::max(worst, std::abs(each.error()));
    truncation = std::max(truncation, std::abs(each.truncation()));
    without = std::max(without, std::abs(each.truncation_without()));
  }
  return fmt::format(
      "Against the full complex equations, of {} answers at {} frequencies, the reported ones are off by {:.2g} % at "
      "most. Truncation, what the modes leave out, makes {:.2g} %; without residual vectors it would make {:.2g} %.{}",
      analysis.audit.size(), frequencies.size(), 100 * worst, 100 * truncation, 100 * without,
      !analysis.damping.coupled() && analysis.damping.couples()
          ? " The rest is damping that couples the modes: coupled: no leaves it out."
          : "");
}

void audit_truncation(Analysis& analysis, const Request& request, Terminal& terminal) {
  if (analysis.watched.empty() || analysis.outcomes.empty()) return;
  // A complex factorisation takes four times the operations of a real one, and about as long for each.
  constexpr double rate = 8e9, affordable = 5;  // operations a second; s
  constexpr int usual = 2;
  const double seconds = 4 * analysis.basis.factor_operations / rate;
  if (!request.audit && !analysis.modes_from.empty()) {
    analysis.audit_note = fmt::format(
        "Not audited against the full equations, because the modes were there already: --audit {} does it.", usual);
    return;
  }
  if (!request.audit && usual * seconds > affordable) {
    analysis.audit_note = fmt::format(
        "Not audited against the full equations, which would take about {:.0f} s a frequency: --audit {} does it.",
        seconds, usual);
    return;
  }
  const StopWatch watch;
  StressSource stress;
  if (analysis.stations) stress = {&*analysis.stations, &analysis.stress};
  const AuditSource source{analysis.plan.assembly, analysis.system,     analysis.basis, analysis.damping,
                           analysis.plan.damping,  analysis.plan.watch, stress,         analysis.watched,
                           analysis.outcomes};
  analysis.audit = audit(source, frequencies_that_matter(source, request.audit.value_or(usual)), terminal.reporter());
  analysis.times.push_back({"audit", watch.seconds()});
}

void assess(Analysis& analysis) {
  analysis.limits =
      check_limits(analysis.plan.limits, analysis.outcomes, analysis.watched, analysis.basis, analysis.plan.assembly);
}

}  // namespace avrenk
