#include "cli/analysis.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <mutex>
#include <set>

#include "core/blas_threads.h"
#include "core/check/plausible.h"
#include "core/nearest.h"
#include "core/parallel.h"
#include "files/modes_file.h"
#include "files/table.h"

namespace avrenk {
namespace {

using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point start) { return std::chrono::duration<double>(Clock::now() - start).count(); }

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

void warn_about_modes(Analysis& analysis) {
  const ModalBasis& basis = analysis.basis;
  const double highest = highest_excited(analysis.plan.environments);
  if (highest > 0 && basis.proven_below < highest && !basis.exhausted)
    analysis.warnings.push_back(fmt::format(
        "the modes end at {:.5g} Hz, inside the excited band of {:.5g} Hz; write modes: {{up to: {:.4g} Hz}}",
        basis.proven_below, highest, 1.5 * highest));
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
          "the modes are coupled by their damping: at its {} in {}, {} would change by {:+.1f} %; write damping: "
          "{{coupled: yes}}",
          outcome.sine.empty() ? "dominating frequency the PSD" : "peak", outcome.name(), analysis.watched[i].name,
          100 * change);
    }
  }
  if (!text.empty()) analysis.warnings.push_back(text);
}

}  // namespace

std::string Analysis::heading() const {
  return fmt::format(
      "{}{}, {} modes to {:.4g} Hz{}", describe_rule(plan.damping), damping.coupled ? ", coupled" : "", basis.modes,
      basis.proven_below,
      basis.size() > basis.modes ? fmt::format(" and {} residual vectors", basis.size() - basis.modes) : "");
}

bool Analysis::all_met() const {
  return std::all_of(limits.begin(), limits.end(), [](const LimitResult& result) { return result.met; });
}

void load(Analysis& analysis, const std::string& file, const Request& request) {
  const auto start = Clock::now();
  if (request.threads > 0) set_blas_threads(request.threads);
  analysis.threads = request.threads;
  analysis.plan = read_plan(file, request.overrides);
  for (const auto& doubts : {implausible_materials(analysis.plan.assembly), weight_differences(analysis.plan.assembly)})
    analysis.findings.insert(analysis.findings.end(), doubts.begin(), doubts.end());
  look_at_meshes(analysis);
  for (const Finding& each : analysis.findings) analysis.warnings.push_back(each.sentence());
  analysis.times.push_back({"reading the plan", seconds_since(start)});
}

namespace {

void take_or_solve_modes(Analysis& analysis, Terminal& terminal, const std::vector<std::filesystem::path>& kept) {
  const auto start = Clock::now();
  const Plan& plan = analysis.plan;
  analysis.model = fingerprint(analysis.system, plan.modes);
  for (const std::filesystem::path& file : kept) {
    auto basis = read_modes(file, analysis.system, analysis.model);
    if (!basis) continue;
    analysis.basis = std::move(*basis);
    analysis.modes_from = file;
    analysis.times.push_back({"reading the modes", seconds_since(start)});
    return;
  }
  analysis.basis = solve_modes(plan.assembly, analysis.system, plan.modes, terminal.reporter());
  analysis.times.push_back({"factorising", analysis.basis.factor_seconds});
  analysis.times.push_back({"static solutions", analysis.basis.statics_seconds});
  analysis.times.push_back({"modes", analysis.basis.eigen_seconds});
  analysis.times.push_back({"counting modes", analysis.basis.count_seconds});
}

}  // namespace

void solve(Analysis& analysis, Terminal& terminal, const std::vector<std::filesystem::path>& kept) {
  auto start = Clock::now();
  terminal.progress("assembling", -1);
  const Plan& plan = analysis.plan;
  analysis.system = make_system(plan.assembly, analysis.threads);
  analysis.times.push_back({"assembling", seconds_since(start)});
  // What follows a small model is not worth the threads of BLAS, which go on spinning beside our own.
  constexpr int small = 20000;
  std::optional<OneBlasThread> held;
  if (analysis.system.free < small) held.emplace();
  take_or_solve_modes(analysis, terminal, kept);
  start = Clock::now();
  analysis.damping = damp(analysis.system, analysis.basis, plan.damping);
  analysis.times.push_back({"damping", seconds_since(start)});
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

// Stress of all shells and solids, or of those watched where nobody will look at fields; then all that is watched.
void survey_and_watch(Analysis& analysis, const std::vector<Job>& jobs, const Request& request, Terminal& terminal) {
  auto start = Clock::now();
  const Plan& plan = analysis.plan;
  StressSource source;
  std::vector<bool> parts(plan.assembly.parts.size(), request.figures);
  for (const WatchRequest& watched : plan.watch)
    for (const int part : watched.parts) parts[static_cast<std::size_t>(part)] = true;
  if (!plan.assembly.groups.empty() && std::find(parts.begin(), parts.end(), true) != parts.end()) {
    terminal.progress("stress of shells and solids", -1);
    std::vector<StressLoad> loads;
    for (const Job& job : jobs)
      if (job.axis >= 0) {
        require_response(*job.environment, analysis.basis, analysis.damping);
        loads.push_back({job.environment, job.axis});
      }
    analysis.stations.emplace(plan.assembly);
    analysis.stress = survey_stress(plan.assembly, analysis.system, analysis.basis, analysis.damping,
                                    *analysis.stations, loads, parts, analysis.threads);
    source = {&*analysis.stations, &analysis.stress};
    analysis.times.push_back({"stress of shells and solids", seconds_since(start)});
  }
  start = Clock::now();
  const Channels channels(plan.assembly, analysis.system, analysis.basis, analysis.damping);
  analysis.watched = watch(plan.assembly, channels, plan.watch, source);
  analysis.times.push_back({"channels", seconds_since(start)});
}

}  // namespace

void excite(Analysis& analysis, std::optional<Environment::Type> type, std::span<const std::string> chosen,
            const Request& request, Terminal& terminal) {
  const std::vector<Job> jobs = jobs_of(analysis.plan, type, chosen);
  if (!jobs.empty() && analysis.plan.modes.free_motions)
    throw InputError(Problem{"environment " + jobs.front().environment->name,
                             "a model with free motions has no response to its base",
                             "hold it at a base and leave modes: {free: yes} out, or run avrenk modes", std::nullopt});
  survey_and_watch(analysis, jobs, request, terminal);
  const auto start = Clock::now();
  std::vector<Outcome>& outcomes = analysis.outcomes;
  outcomes.resize(jobs.size());
  std::vector<std::size_t> swept;  // what takes time, and needs the steady outcomes
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
    outcomes[swept[k]] = run_environment(*job.environment, job.axis, analysis.system, analysis.basis, analysis.damping,
                                         analysis.watched, steady_of(*job.environment));
  });
  for (std::size_t i = 0; i < jobs.size(); ++i) {
    if (jobs[i].axis >= 0) continue;
    std::vector<const Outcome*> axes;
    for (std::size_t k = 0; k < i; ++k)
      if (jobs[k].environment == jobs[i].environment) axes.push_back(&outcomes[k]);
    outcomes[i] = combine(*jobs[i].environment, axes, analysis.watched);
  }
  warn_about_coupling(analysis);
  analysis.times.push_back({"responses", seconds_since(start)});
}

void assess(Analysis& analysis) {
  analysis.limits =
      check_limits(analysis.plan.limits, analysis.outcomes, analysis.watched, analysis.basis, analysis.plan.assembly);
}

}  // namespace avrenk
