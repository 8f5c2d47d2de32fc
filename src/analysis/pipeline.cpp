#include "analysis/analysis.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <mutex>
#include <set>

#include "analysis/contact_summaries.h"
#include "analysis/queries.h"
#include "analysis/springs.h"
#include "analysis/summaries.h"
#include "analysis/warnings.h"
#include "core/blas_threads.h"
#include "core/check/plausible.h"
#include "core/clock.h"
#include "core/excitation/field_patterns.h"
#include "core/memory.h"
#include "core/modes/completeness.h"
#include "core/parallel.h"
#include "core/response/direct_basis.h"
#include "core/response/place_envelope.h"
#include "core/response/run_case.h"
#include "core/spelling.h"
#include "files/modes_file.h"

namespace avrenk {
namespace {

// Counts the modes up to where they are asked for, unless an earlier run did.
void count_what_is_not_reached(Analysis& analysis) {
  const double asked = frequency_not_reached(analysis);
  if (asked == 0 || known_count(analysis.basis, asked)) return;
  analysis.basis.slices.push_back({std::pow(2 * pi * asked, 2), count_modes_below(analysis.system, asked), 0, 0});
  analysis.more_than_file = true;
}

}  // namespace

bool Analysis::all_met() const {
  return std::all_of(limits.begin(), limits.end(), [](const LimitResult& result) { return result.met; }) &&
         std::all_of(variants.begin(), variants.end(), [](const VariantAnswers& each) { return each.exceeded == 0; });
}

void load(Analysis& analysis, const std::string& file, const AnalysisRequest& request) {
  const StopWatch start;
  if (request.threads > 0) set_blas_threads(request.threads);
  analysis.threads = request.threads;
  analysis.plan = read_plan(file, request.overrides, analysis.sources);
  for (const auto& doubts : {implausible_materials(analysis.plan.assembly), weight_differences(analysis.plan.assembly)})
    analysis.findings.insert(analysis.findings.end(), doubts.begin(), doubts.end());
  look_at_meshes(analysis);
  for (const Finding& each : analysis.findings) analysis.warnings.push_back(each.sentence());
  analysis.times.push_back({"reading the plan", start.seconds()});
}

namespace {

// Tightens the bolts of static environments, and finds what contacts do in that about which modes are taken: what opens
// there is taken out of the model.
void settle(Analysis& analysis, const Progress& progress) {
  Plan& plan = analysis.plan;
  std::vector<const Environment*> cases;
  for (const Environment& each : plan.environments)
    if (each.settled >= 0) cases.insert(each.name == plan.modes_about ? cases.begin() : cases.end(), &each);
  if (cases.empty()) return;
  const StopWatch start;
  std::optional<Factorisation> factor;
  for (const Environment* each : cases) {
    tell(progress, fmt::format("bolts and contacts of {}", each->name));
    if (!factor) factor.emplace(factorise_stiffness(plan.assembly, analysis.system));
    const auto excitation = excitations(*each, plan.assembly, analysis.system).front();
    RestRequest request;
    request.force = analysis.system.loads * Eigen::VectorXd(excitation->loads.rowwise().sum().real()) +
                    forces_of_field(analysis.system, each->acceleration).free;
    request.displaced = displacement_of(*each, analysis.system.support_motion.cols());
    request.bolts = each->bolts;
    request.one_by_one = each->one_by_one;
    const bool about = each->name == plan.modes_about;
    request.contacts_stay = !about;
    StaticContactState state = find_contact_equilibrium(plan.assembly, analysis.system, *factor, request, progress);
    plan.assembly.loads[static_cast<std::size_t>(each->settled)].columns[0] = state.column;
    if (std::any_of(state.contacts.begin(), state.contacts.end(), [](const auto& own) { return !own.closed; })) {
      take_out_open(state, plan.assembly);
      factor.reset();
      analysis.system = make_system(plan.assembly, analysis.threads);
    }
    analysis.settled.push_back({each->name, about, std::move(state)});
  }
  refresh_loads(plan.assembly, analysis.system);
  analysis.times.push_back({"bolts and contacts", start.seconds()});
  for (const SettledCase& each : analysis.settled) {
    for (const StaticContactState::Stage& stage : each.state.stages)
      if (!each.state.contacts.empty())
        analysis.log.push_back(
            fmt::format("contact: {}, {}: closed {}", each.environment, stage.name, fmt::join(stage.closed, ", ")));
    for (std::string& note : settled_in_words(each, plan.assembly, plan.show)) plan.notes.push_back(std::move(note));
    if (each.frees_contacts) continue;
    const auto pull = std::count_if(each.state.contacts.begin(), each.state.contacts.end(),
                                    [](const ContactAtRest& own) { return own.pressing < 0; });
    if (pull > 0)
      analysis.warnings.push_back(fmt::format(
          "environment {}: {} of the {} contacts that are closed in {} would open in it, and are held: take "
          "the modes about {} to see them open",
          each.environment, pull, each.state.contacts.size(), plan.modes_about, each.environment));
  }
}

}  // namespace

bool has_static_state(const Plan& plan) {
  return !plan.modes_about.empty() || std::any_of(plan.environments.begin(), plan.environments.end(),
                                                  [](const Environment& each) { return each.settled >= 0; });
}

void assemble(Analysis& analysis, const Progress& progress) {
  StopWatch start;
  const Plan& plan = analysis.plan;
  analysis.settled.clear();
  analysis.system = make_system(plan.assembly, analysis.threads);
  analysis.times.push_back({"assembling", start.seconds()});
  settle(analysis, progress);
  if (plan.modes_about.empty()) return;
  start = StopWatch();
  const auto state = std::find_if(plan.environments.begin(), plan.environments.end(),
                                  [&](const Environment& each) { return each.name == plan.modes_about; });
  const auto excitation = excitations(*state, plan.assembly, analysis.system).front();
  analysis.preload = apply_preload(plan.assembly, analysis.system, excitation->loads.rowwise().sum().real(),
                                   displacement_of(*state, analysis.system.support_motion.cols()), state->acceleration,
                                   plan.modes.feet, analysis.threads, progress);
  analysis.times.push_back({"preload", start.seconds()});
  const Preload& preload = *analysis.preload;
  if (preload.load_factor <= 1)
    throw InputError(Problem{
        "modes about",
        fmt::format("the model buckles at {:.4g} times {}: {}", preload.load_factor, state->name, preload.buckles),
        "lower that load, or make what buckles stiffer", std::nullopt});
  analysis.plan.notes.push_back(
      fmt::format("modes: about {}, {}{}", state->name,
                  std::isfinite(preload.load_factor)
                      ? fmt::format("at {:.4g} times which the model buckles: {}", preload.load_factor, preload.buckles)
                      : "no multiple of which makes the model buckle",
                  plan.assembly.beams.empty() ? "" : " (of beams the axial forces count, bending moments do not)"));
}

namespace {

// What follows a model of fewer unknowns is not worth the threads of BLAS, which go on spinning beside our own.
constexpr int small_model = 20000;

void take_or_solve_modes(Analysis& analysis, const std::vector<std::filesystem::path>& kept, const Progress& progress) {
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
    if (!found.loads_missing.empty() && !plan.modes.free_motions && !plan.modes.near) {
      complete(plan.assembly, analysis.system, plan.modes, analysis.threads, analysis.basis, progress);
      analysis.more_than_file = true;
      analysis.modes_note +=
          fmt::format("; static shapes and residual vectors were made anew, because {}", found.loads_missing);
    }
    analysis.times.push_back({"reading the modes", start.seconds()});
    return;
  }
  analysis.basis = solve_modes(plan.assembly, analysis.system, plan.modes, analysis.threads, progress);
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

namespace {

// Whether responses take products with the matrices that no file keeps: of chosen modes, of patterns of pressure, of
// the full equations, of a preload.
bool needs_matrices(const Plan& plan, const EnvironmentChoice& is_wanted) {
  if (has_static_state(plan)) return true;
  const auto has_field = [](const LoadCase& each) {
    return std::any_of(each.loads.begin(), each.loads.end(), [](const DrivenLoad& load) { return load.field; });
  };
  for (const Environment& each : plan.environments)
    if (is_wanted(each) &&
        (each.direct || each.modes || std::any_of(each.load_cases.begin(), each.load_cases.end(), has_field)))
      return true;
  return false;
}

// What was kept with its products: nothing is assembled. False where there is no such thing.
bool take_kept_products(Analysis& analysis, const std::filesystem::path& run, const std::string& plan,
                        const EnvironmentChoice& is_wanted) {
  if (needs_matrices(analysis.plan, is_wanted)) return false;
  StopWatch start;
  analysis.system = number_system(analysis.plan.assembly);
  analysis.times.push_back({"numbering", start.seconds()});
  start = StopWatch();
  auto kept =
      read_modes_and_products(run / "results.h5", run / "products.h5", plan, analysis.system, analysis.plan.modes);
  if (!kept) return false;
  analysis.basis = std::move(kept->first);
  analysis.modes_from = run / "results.h5";
  analysis.times.push_back({"reading the modes", start.seconds()});
  start = StopWatch();
  analysis.damping = damp(std::move(kept->second), analysis.basis, analysis.plan.damping);
  take_springs(analysis.plan, analysis.system, analysis.basis, analysis.damping);
  analysis.times.push_back({"damping", start.seconds()});
  return true;
}

}  // namespace

void take_kept_modes(Analysis& analysis, const std::filesystem::path& run, const std::string& plan,
                     const EnvironmentChoice& is_wanted) {
  if (take_kept_products(analysis, run, plan, is_wanted)) return;
  const std::filesystem::path file = run / "results.h5";
  assemble(analysis);
  std::optional<OneBlasThread> held;
  if (analysis.system.free < small_model) held.emplace();
  StopWatch start;
  analysis.model = print_of(analysis.plan.assembly, analysis.system);
  KeptModes found = read_modes(file, analysis.system, analysis.model, analysis.plan.modes);
  if (!found.basis || !found.loads_missing.empty())
    throw FileError(fmt::format("{}: its modes are not those of the plan beside it: {}; run the plan again",
                                file.string(), found.basis ? found.loads_missing : found.why_not));
  analysis.basis = std::move(*found.basis);
  analysis.modes_from = file;
  analysis.times.push_back({"reading the modes", start.seconds()});
  start = StopWatch();
  analysis.damping = damp(analysis.system, analysis.basis, analysis.plan.damping);
  take_springs(analysis.plan, analysis.system, analysis.basis, analysis.damping);
  analysis.times.push_back({"damping", start.seconds()});
}

void solve(Analysis& analysis, const std::vector<std::filesystem::path>& kept, const Progress& progress) {
  StopWatch start;
  tell(progress, "assembling");
  const Plan& plan = analysis.plan;
  assemble(analysis, progress);
  start = StopWatch();
  std::optional<OneBlasThread> held;
  if (analysis.system.free < small_model) held.emplace();
  take_or_solve_modes(analysis, kept, progress);
  if (const auto& asked = plan.modes.count; asked && analysis.basis.modes > *asked)
    analysis.plan.notes.push_back(fmt::format(
        "modes: {} instead of {}, because those with the same frequency are not parted", analysis.basis.modes, *asked));
  count_what_is_not_reached(analysis);
  start = StopWatch();
  analysis.damping = damp(analysis.system, analysis.basis, plan.damping);
  take_springs(plan, analysis.system, analysis.basis, analysis.damping);
  analysis.times.push_back({"damping", start.seconds()});
  analysis.log.push_back(damping_in_words(analysis.damping));
  start = StopWatch();
  tell(progress, "energy of the modes");
  analysis.contents = contents_of_modes(plan.assembly, analysis.system, analysis.basis, analysis.threads);
  analysis.times.push_back({"energy of the modes", start.seconds()});
  warn_about_modes(analysis);
  warn_about_damping(analysis);
  start = StopWatch();
  constexpr int most_at_levels = 10;  // modes
  analysis.levels = modes_at_levels(analysis.system, plan.modes_levels, std::min(analysis.basis.modes, most_at_levels),
                                    analysis.threads, progress);
  if (!analysis.levels.empty()) analysis.times.push_back({"levels of the preload", start.seconds()});
}

namespace {

using Cases = std::vector<std::shared_ptr<const Excitation>>;

bool is_wanted(const Environment& environment, std::optional<Environment::Type> type,
               std::span<const std::string> chosen) {
  if (type && environment.type != *type) return false;
  return chosen.empty() || std::find(chosen.begin(), chosen.end(), environment.name) != chosen.end();
}

// Pressure fields act in patterns that the modes see.
void make_fields(Analysis& analysis, const EnvironmentChoice& is_wanted, const Progress& progress) {
  const StopWatch start;
  std::vector<Environment*> wanted;
  for (Environment& environment : analysis.plan.environments)
    if (is_wanted(environment)) wanted.push_back(&environment);
  const std::vector<FieldReport> reports =
      make_patterns(analysis.plan.assembly, analysis.system, analysis.basis, wanted, analysis.threads, progress);
  for (const FieldReport& each : reports) {
    analysis.plan.notes.push_back(fmt::format(
        "environment {}: the {} on {} acts in {} patterns, all that the modes and reactions see of it; their joint "
        "acceptances were computed at {} frequencies and interpolated, to {:.0e} of the largest",
        each.environment, each.field.words(), each.load, each.patterns, each.frequencies, each.error));
    constexpr double coarse = 0.25;
    if (each.coarseness > coarse)
      analysis.warnings.push_back(fmt::format(
          "environment {}: the largest face of {} is {:.2g} of the length over which its pressure is alike at the "
          "highest frequency, and each face feels the pressure at its centre: mesh it finer, to {} of that or less",
          each.environment, each.load, each.coarseness, coarse));
  }
  if (!reports.empty()) analysis.times.push_back({"pressure fields", start.seconds()});
}

// Every case of the environments that are to be run, static ones first; behind the cases of an environment that which
// stands for all of them, where it combines them.
Cases cases_of(const Analysis& analysis, const EnvironmentChoice& is_wanted) {
  const Plan& plan = analysis.plan;
  Cases cases;
  Eigen::VectorXd natural(analysis.basis.modes);
  for (int r = 0; r < analysis.basis.modes; ++r) natural[r] = natural_frequency(analysis, r);
  for (const bool at_rest : {true, false})
    for (const Environment& environment : plan.environments) {
      if (environment.is_static() != at_rest || !is_wanted(environment)) continue;
      for (auto& each : excitations(environment, plan.assembly, analysis.system))
        cases.push_back(asked_at_modes(std::move(each), natural));
      if (environment.combination != Environment::Combination::none) cases.push_back(combined_excitation(environment));
    }
  return cases;
}

void refuse_unknown_names(const Plan& plan, std::optional<Environment::Type> type,
                          std::span<const std::string> chosen) {
  std::vector<std::string> names;
  for (const Environment& environment : plan.environments)
    if (!environment.is_static() && (!type || environment.type == *type)) names.push_back(environment.name);
  const char* const what = !type ? "" : *type == Environment::Type::sine ? "sine " : "random ";
  for (const std::string& name : chosen)
    if (std::find(names.begin(), names.end(), name) == names.end())
      throw InputError(Problem{"", fmt::format("the plan has no {}environment \"{}\"", what, name),
                               suggest_name(name, names), Place{plan.file, 0, 0}});
  if (names.empty() && type)
    throw InputError(Problem{"", fmt::format("the plan has no {}environment", what),
                             "declare one under environments:", Place{plan.file, 0, 0}});
}

// Grids are refused where they do not fit into memory, and told where they take much of it.
void weigh_grids(Analysis& analysis, const Cases& cases) {
  constexpr double worth_saying = 1e9;
  constexpr std::size_t rows_of_a_watch = 3;
  double bytes = 0;
  std::pair<double, std::string> largest;  // points, and where
  for (const auto& each : cases) {
    if (each->is_combined) continue;
    const GridCost cost =
        grid_cost(*each, analysis.basis, analysis.damping, rows_of_a_watch * analysis.plan.watch.size());
    bytes += cost.bytes;
    if (cost.points > largest.first)
      largest = {cost.points, fmt::format("environment {}: {:.3g} frequencies", each->environment->name, cost.points)};
  }
  if (bytes < worth_saying) return;
  require_memory(bytes, "the grid of frequencies", largest.second + ", lower its per octave or points per resonance");
  analysis.plan.notes.push_back(
      fmt::format("{}; all grids take about {:.3g} GB of memory", largest.second, bytes / 1e9));
}

std::unique_ptr<AnswerGroup> solve_directly(Analysis& analysis, const Cases& cases, const Progress& progress) {
  const StopWatch start;
  std::vector<int> columns_of_springs;
  for (const VaryingSpring& each : varying_springs(analysis.plan.assembly, analysis.plan.variant))
    columns_of_springs.push_back(each.column);
  DirectBasis direct =
      direct_basis(analysis.system, analysis.basis, analysis.plan.damping, cases, columns_of_springs, progress);
  auto group = std::make_unique<AnswerGroup>();
  group->own_basis = std::move(direct.basis);
  group->own_damping = std::move(direct.damping);
  take_springs(analysis.plan, analysis.system, *group->own_basis, *group->own_damping);
  const bool ratio = analysis.plan.damping.form == DampingRule::Form::ratio;
  analysis.plan.notes.push_back(fmt::format(
      "environment {}: the full equations are solved at {} frequencies; the last of them differed by {:.1e} from what "
      "those before say{}",
      cases.front()->environment->name, direct.frequencies.size(), direct.error,
      ratio ? "; the damping ratio, which is a property of modes, is taken as the loss factor 2ζ" : ""));
  analysis.times.push_back({"direct solution", start.seconds()});
  return group;
}

// @throws InputError  a mode that there is not, or none in the band
std::unique_ptr<AnswerGroup> choose_modes(Analysis& analysis, const Environment& environment) {
  const ModalBasis& basis = analysis.basis;
  const ModeChoice& choice = *environment.modes;
  auto group = std::make_unique<AnswerGroup>();
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
  group->modes.assign(chosen.begin(), chosen.end());
  group->own_basis = with_modes(analysis.system, basis, group->modes, choice.residual_vectors);
  group->own_damping = damp(analysis.system, *group->own_basis, analysis.plan.damping);
  take_springs(analysis.plan, analysis.system, *group->own_basis, *group->own_damping);
  analysis.plan.notes.push_back(fmt::format("environment {}: {} of {} modes are used, {} residual vectors",
                                            environment.name, group->modes.size(), basis.modes,
                                            choice.residual_vectors ? "with the" : "without"));
  return group;
}

// All modes answer all cases but those of environments that choose some, or are solved directly; then what each case
// does to its group.
void group_cases(Analysis& analysis, const Cases& cases, const Progress& progress) {
  auto& groups = analysis.groups;
  groups.clear();
  groups.push_back(std::make_unique<AnswerGroup>());
  for (const auto& each : cases)
    if (!each->is_combined && !each->environment->direct && !each->environment->modes) groups[0]->cases.push_back(each);
  for (const Environment& environment : analysis.plan.environments) {
    if (!environment.direct && !environment.modes) continue;
    Cases own;
    for (const auto& each : cases)
      if (!each->is_combined && each->environment == &environment) own.push_back(each);
    if (own.empty()) continue;
    groups.push_back(environment.direct ? solve_directly(analysis, own, progress)
                                        : choose_modes(analysis, environment));
    groups.back()->cases = own;
  }
  if (analysis.preload) {  // what acts at rest is not added to the state that it makes
    Cases& all = groups[0]->cases;
    auto still = std::make_unique<AnswerGroup>();
    std::copy_if(all.begin(), all.end(), std::back_inserter(still->cases),
                 [](const auto& each) { return each->is_static(); });
    std::erase_if(all, [](const auto& each) { return each->is_static(); });
    still->own_basis = analysis.preload->at_rest;
    still->own_damping = damp(analysis.system, *still->own_basis, {});
    take_springs(analysis.plan, analysis.system, *still->own_basis, *still->own_damping);
    if (!still->cases.empty()) groups.push_back(std::move(still));
  }
  weigh_grids(analysis, cases);
  const StopWatch start;
  for (const auto& group : groups) {
    group->basis = group->own_basis ? &*group->own_basis : &analysis.basis;
    group->damping = group->own_damping ? &*group->own_damping : &analysis.damping;
  }
  part_by_amplitude(analysis, progress);
  for (const auto& group : groups) {
    group->loads.resize(group->cases.size());
    // Several cases side by side; one alone in parts.
    const int threads_each = group->cases.size() > 1 ? 1 : analysis.threads;
    run_jobs(group->cases.size(), analysis.threads, [&](std::size_t i) {
      group->loads[i] = std::make_unique<CaseResponse>(group->cases[i], analysis.system, *group->basis, *group->damping,
                                                       threads_each);
    });
  }
  analysis.times.push_back({"states of the modes", start.seconds()});
}

// Sine cases held at the frequencies asked for.
CaseResponses held_loads(const Analysis& analysis, const AnswerGroup& group) {
  CaseResponses held;
  for (const auto& each : group.cases) {
    if (!each->is_sine()) continue;
    for (const AskedFrequency& at : each->asked)
      held.push_back(std::make_unique<CaseResponse>(held_at(*each, at), analysis.system, *group.basis, *group.damping));
  }
  return held;
}

// Stress of all shells and solids, or of those watched where nobody will look at fields; then all that is watched.
void survey_and_watch(Analysis& analysis, const AnalysisRequest& request, const Progress& progress) {
  const auto& groups = analysis.groups;
  StopWatch start;
  const Plan& plan = analysis.plan;
  StressSource source;
  std::vector<StressDemand> demands;
  std::vector<CaseResponses> held(groups.size());  // of each group, for fields
  for (std::size_t g = 0; request.figures && g < groups.size(); ++g) held[g] = held_loads(analysis, *groups[g]);
  if (request.figures && !plan.assembly.groups.empty()) {
    demands.emplace_back();
    for (std::size_t p = 0; p < plan.assembly.parts.size(); ++p) demands[0].parts.push_back(static_cast<int>(p));
  }
  for (const OutputRequest& watched : plan.watch)
    if (!watched.parts.empty() && watched.quantity->of_nodes)
      demands.push_back({*watched.quantity->of_nodes, watched.parts, watched.stress_at});
  if (!demands.empty()) {
    tell(progress, "stress of shells and solids");
    analysis.stations.emplace(plan.assembly);
    for (std::size_t g = 0; g < groups.size(); ++g) {
      const AnswerGroup& group = *groups[g];
      const auto survey = [&](const CaseResponses& loads) {
        return survey_stress(plan.assembly, analysis.system, *group.basis, *group.damping, *analysis.stations, loads,
                             demands, analysis.threads);
      };
      add(analysis.stress, survey(group.loads));
      if (!held[g].empty()) add(analysis.stress_asked, survey(held[g]));
    }
    source = {&*analysis.stations, &analysis.stress};
    analysis.times.push_back({"stress of shells and solids", start.seconds()});
  }
  start = StopWatch();
  for (std::size_t g = 0; g < groups.size(); ++g) {
    AnswerGroup& group = *groups[g];
    const Channels channels(plan.assembly, analysis.system, *group.basis, *group.damping);
    group.watched = watch(plan.assembly, channels, plan.watch, source);
    if (!request.figures) continue;
    std::vector<MotionField> motions = survey_motion(plan.assembly, channels, group.loads, analysis.threads);
    std::move(motions.begin(), motions.end(), std::back_inserter(analysis.motions));
    const auto beams = [&](const CaseResponses& loads, std::vector<BeamStressField>& all) {
      std::vector<BeamStressField> own = survey_beams(plan.assembly, channels, *group.basis, loads, analysis.threads);
      std::move(own.begin(), own.end(), std::back_inserter(all));
    };
    beams(group.loads, analysis.beam_stress);
    beams(held[g], analysis.beam_stress_asked);
  }
  analysis.watched = groups[0]->watched;
  analysis.times.push_back({"channels, motion, stress of beams", start.seconds()});
}

// Where a case is answered. @pre it is
const AnswerGroup& group_answering(const Analysis& analysis, const Excitation* excitation) {
  const auto found = std::find_if(analysis.groups.begin(), analysis.groups.end(), [&](const auto& group) {
    return std::any_of(group->cases.begin(), group->cases.end(),
                       [&](const auto& each) { return each.get() == excitation; });
  });
  return **found;
}

}  // namespace

FineCurve Analysis::curve_of(const CaseResults& outcome, std::size_t index) const {
  const Excitation& excitation = *outcome.excitation;
  const AnswerGroup& group = group_answering(*this, &excitation);
  const Transfer transfer(*group.basis, *group.damping, InputColumns{excitation.base, excitation.loads});
  return fine_curve(outcome, index, transfer, group.watched[index]);
}

namespace {

// What is said by modes: the vectors of a direct answer are none.
void forget_modes(SineAnswers& answers) {
  for (SineRow& row : answers.rows) {
    row.shares.clear();
    row.amplification = row.sweep_parameter = std::nan("");
    row.swept.reset();
  }
}

// Numbers of chosen modes and of the residual vectors behind them as the analysis has them.
void renumber(const AnswerGroup& group, int all_modes, int& mode) {
  const auto own = static_cast<int>(group.modes.size());
  if (mode >= 0) mode = mode < own ? group.modes[static_cast<std::size_t>(mode)] : all_modes + mode - own;
}

void speak_of_modes(const AnswerGroup& group, int all_modes, CaseResults& outcome) {
  if (outcome.environment().direct) forget_modes(std::get<SineAnswers>(outcome.answers));
  if (group.modes.empty()) return;
  if (auto* const sine = std::get_if<SineAnswers>(&outcome.answers))
    for (SineRow& row : sine->rows)
      for (auto& [mode, share] : row.shares) renumber(group, all_modes, mode);
  if (auto* const random = std::get_if<RandomAnswers>(&outcome.answers))
    for (RandomRow& row : random->rows) {
      for (auto& [mode, share] : row.shares) renumber(group, all_modes, mode);
      for (ModePair& pair : row.pairs)
        for (int* const mode : {&pair.first, &pair.second}) renumber(group, all_modes, *mode);
    }
}

// Shapes of the whole model at the strongest peak of a case, and at the frequencies asked for.
void look_at_shapes(Analysis& analysis, const CaseResponse& excited, const CaseResults& outcome) {
  if (const int strongest = strongest_peak(outcome, analysis.watched); strongest >= 0) {
    const auto i = static_cast<std::size_t>(strongest);
    OperatingDeflectionShape shape = shape_at(excited, analysis.system, outcome.sine()->rows[i].peak.frequency);
    shape.at = "the strongest peak, that of " + analysis.watched[i].name;
    analysis.shapes.push_back(std::move(shape));
  }
  for (const AskedFrequency& at : outcome.excitation->asked) {
    OperatingDeflectionShape shape = shape_at(excited, analysis.system, at.frequency);
    shape.excitation = held_at(*outcome.excitation, at);
    shape.at = at.words();
    analysis.shapes.push_back(std::move(shape));
  }
}

// Which modes the loads of a case drive, and the power that they put in there and where it was asked for.
void look_at_drive(Analysis& analysis, const CaseResponse& excited, const std::vector<int>& chosen,
                   const std::vector<LargestMotion>& translations, std::size_t index) {
  constexpr std::size_t most_modes = 6;
  const Excitation& excitation = *excited.excitation;
  auto& driven = analysis.driven[index] = driven_modes(excitation, analysis.basis, analysis.damping, translations);
  if (!chosen.empty())
    std::erase_if(driven,
                  [&](const DrivenMode& each) { return !std::binary_search(chosen.begin(), chosen.end(), each.mode); });
  std::vector<double> frequencies = excitation.grid.at;
  for (std::size_t k = 0; k < std::min(most_modes, driven.size()); ++k)
    frequencies.push_back(analysis.basis.frequency(driven[k].mode));
  const Channels channels(analysis.plan.assembly, analysis.system, excited.transfer->basis(),
                          excited.transfer->damping());
  for (const double f : once_inside(std::move(frequencies), excitation.grid.from, excitation.grid.to))
    analysis.power[index].push_back(
        power_balance(excitation, analysis.plan.assembly, analysis.system, *excited.transfer, channels, f));
}

// Curves that no node of a place exceeds, of those whose equipment levels or limits of PSDs are wanted.
void draw_places(Analysis& analysis, const std::vector<CaseResponse*>& load_of,
                 const std::vector<const AnswerGroup*>& group_of) {
  const auto draw = [&](std::size_t i, std::size_t index) {
    CaseResults& drawn = analysis.outcomes[i];
    std::vector<double> curve = envelope_of_place(*load_of[i], group_of[i]->watched[index], drawn.grid());
    if (auto* const random = std::get_if<RandomAnswers>(&drawn.answers))
      random->rows[index].of_place = std::move(curve);
    else
      std::get<SineAnswers>(drawn.answers).rows[index].of_place = std::move(curve);
  };
  // Of a place with several candidates, in all cases that are wanted.
  const auto draw_all = [&](const std::string& of, const auto& is_wanted, const auto& take) {
    const Output* const what = find_output(analysis.watched, of);
    if (!what || what->candidates->items.size() < 2) return;
    for (std::size_t i = 0; i < load_of.size(); ++i)
      if (load_of[i] && is_wanted(analysis.outcomes[i], *what))
        take(i, static_cast<std::size_t>(what - analysis.watched.data()));
  };
  for (const Limit& limit : analysis.plan.limits)
    if (limit.allowed_psd)
      draw_all(
          limit.of,
          [&](const CaseResults& outcome, const Output&) {
            return outcome.random() && covers(limit, *outcome.excitation);
          },
          draw);
  for (const EquipmentRequest& request : analysis.plan.equipment)
    draw_all(
        request.of, [&](const CaseResults& outcome, const Output& what) { return goes_into(request, outcome, what); },
        [&](std::size_t i, std::size_t index) {
          draw(i, index);
          const CaseResults& outcome = analysis.outcomes[i];
          if (const CaseResults* const below = outcome.random() ? acts_on(outcome, analysis.outcomes) : nullptr)
            draw(static_cast<std::size_t>(below - analysis.outcomes.data()), index);
        });
}

// What vibrates beside what presses: where a contact would open, close or slide, its answer does not hold.
void look_at_contacts(Analysis& analysis, const std::vector<CaseResponse*>& load_of,
                      const std::vector<const AnswerGroup*>& group_of) {
  const auto state = std::find_if(analysis.settled.begin(), analysis.settled.end(),
                                  [](const SettledCase& each) { return each.frees_contacts; });
  if (state == analysis.settled.end() || state->state.contacts.empty()) return;
  for (std::size_t i = 0; i < load_of.size(); ++i) {
    if (!load_of[i] || load_of[i]->environment().name == state->environment) continue;
    if (load_of[i]->environment().settled >= 0) continue;  // it has a state of its own
    const Channels channels(analysis.plan.assembly, analysis.system, *group_of[i]->basis, *group_of[i]->damping);
    ContactUnderLoad own = load_contacts(state->state.contacts, analysis.plan.assembly, channels, *load_of[i]);
    for (const ContactUnderLoad& still : analysis.contacts) {  // which acts at the same time
      if (still.excitation->name() != load_of[i]->environment().after) continue;
      for (std::size_t k = 0; k < own.loads.size(); ++k) {
        own.loads[k].lifting += still.loads[k].lifting;
        own.loads[k].closing += still.loads[k].closing;
        own.loads[k].tangential += still.loads[k].tangential;
      }
    }
    analysis.contacts.push_back(std::move(own));
  }
  for (const ContactUnderLoad& each : analysis.contacts) {
    ContactDoubts doubts = doubts_of_contacts(each, state->state.contacts, analysis.plan.assembly, analysis.plan.show);
    std::move(doubts.warnings.begin(), doubts.warnings.end(), std::back_inserter(analysis.warnings));
    std::move(doubts.notes.begin(), doubts.notes.end(), std::back_inserter(analysis.plan.notes));
  }
}

// Damage of what was run, by what is applied.
void count_lives(Analysis& analysis, const std::vector<CaseResponse*>& load_of,
                 const std::vector<const AnswerGroup*>& group_of, const Progress& progress) {
  if (analysis.plan.lives.empty()) return;
  tell(progress, "life");
  const StopWatch start;
  std::map<const AnswerGroup*, Channels> channels;
  std::vector<LifeCase> cases;
  for (std::size_t i = 0; i < load_of.size(); ++i) {
    if (!load_of[i] || is_replaced(*load_of[i]->excitation, analysis.outcomes)) continue;
    const AnswerGroup& group = *group_of[i];
    const auto own =
        channels.try_emplace(&group, analysis.plan.assembly, analysis.system, *group.basis, *group.damping);
    cases.push_back({load_of[i], &group.watched, &own.first->second});
  }
  analysis.lives = find_lives(analysis.plan.lives, analysis.plan.assembly, cases,
                              analysis.stations ? &*analysis.stations : nullptr, analysis.threads);
  analysis.times.push_back({"life", start.seconds()});
}

// What the base takes in every case along one axis of translation, where test sheets are asked for.
void weigh_bases(Analysis& analysis, const std::vector<CaseResponse*>& load_of,
                 const std::vector<const AnswerGroup*>& group_of) {
  const Plan& plan = analysis.plan;
  if (!plan.test_sheets || plan.assembly.bases.size() != 1) return;
  const double mass = plan.vibrator ? plan.vibrator->moving_mass : 0;
  for (std::size_t i = 0; i < load_of.size(); ++i) {
    if (!load_of[i] || !load_of[i]->excitation->axis || load_of[i]->excitation->is_static()) continue;
    const int axis = *load_of[i]->excitation->axis;
    if (axis > 2) continue;
    const AnswerGroup& group = *group_of[i];
    const Channels channels(plan.assembly, analysis.system, *group.basis, *group.damping);
    analysis.base_loads[load_of[i]->excitation->name()] =
        base_load(*load_of[i], channels, 0, plan.assembly.bases[0].point, axis, mass);
  }
}

// Behind each case whose input limits lower the same with what is applied instead. What the limits look at is found
// first, under what is specified.
void add_notched(Analysis& analysis, Cases& cases, const AnalysisRequest& request, const Progress& progress) {
  const auto is_limited = [&](const Excitation& excitation) {
    return !excitation.is_static() && !excitation.is_combined &&
           std::any_of(analysis.plan.limits.begin(), analysis.plan.limits.end(),
                       [&](const Limit& limit) { return limit.notch && covers(limit, excitation); });
  };
  Cases needed;
  for (const auto& each : cases)
    if (!each->is_combined && (each->is_static() || is_limited(*each))) needed.push_back(each);
  if (std::all_of(needed.begin(), needed.end(), [](const auto& each) { return each->is_static(); })) return;
  tell(progress, "notches");
  const StopWatch start;
  const std::vector<std::string> notes = analysis.plan.notes;
  const std::vector<StageTime> times = analysis.times;
  group_cases(analysis, needed, progress);
  AnalysisRequest quick = request;
  quick.figures = false;
  survey_and_watch(analysis, quick, progress);
  std::vector<CaseResults> still;
  const auto each_load = [&](bool at_rest, const auto& take) {
    for (const auto& group : analysis.groups)
      for (std::size_t k = 0; k < group->cases.size(); ++k)
        if (group->cases[k]->is_static() == at_rest) take(*group, *group->loads[k]);
  };
  each_load(true,
            [&](const AnswerGroup& group, CaseResponse& load) { still.push_back(run_case(load, group.watched)); });
  std::vector<const CaseResults*> at_rest;
  at_rest.reserve(still.size());
  for (const CaseResults& each : still) at_rest.push_back(&each);
  each_load(false, [&](const AnswerGroup& group, const CaseResponse& load) {
    if (auto found = notched_input(load.excitation, analysis.plan.limits, at_rest, group.watched, analysis.system,
                                   *group.basis, *group.damping)) {
      cases.insert(std::find(cases.begin(), cases.end(), load.excitation) + 1, found->applied);
      for (const Limit* limit : found->not_kept)
        analysis.warnings.push_back(
            fmt::format("limit {}: no notch that it allows keeps it in {}", limit->name, load.excitation->name()));
      analysis.notched.push_back(std::move(*found));
    }
  });
  analysis.stress = {};
  analysis.stations.reset();
  analysis.plan.notes = notes;
  analysis.times = times;
  analysis.times.push_back({"notches", start.seconds()});
}

// All cases that are to be run, pressure fields on them made.
Cases cases_to_answer(Analysis& analysis, const EnvironmentChoice& is_wanted, const Progress& progress) {
  if (!analysis.plan.modes.free_motions && analysis.basis.missing_below == 0)
    make_fields(analysis, is_wanted, progress);
  Cases cases = cases_of(analysis, is_wanted);
  if (!cases.empty() && analysis.plan.modes.free_motions)
    throw InputError(Problem{"environment " + cases.front()->environment->name,
                             "a model with free motions has no response to its base",
                             "hold it at a base and leave modes: {free: yes} out, or run avrenk modes", std::nullopt});
  if (!cases.empty() && analysis.basis.missing_below > 0)
    throw InputError(Problem{
        "modes",
        fmt::format(
            "only modes near {:.5g} Hz were asked for: the {} below them are missing, and a response needs them",
            *analysis.plan.modes.near, analysis.basis.missing_below),
        "write modes: {up to: …}, or run avrenk modes", std::nullopt});
  return cases;
}

}  // namespace

void apply(Analysis& analysis, const EnvironmentChoice& environments,
           const std::function<bool(const Excitation&)>& wanted, const Progress& progress) {
  Cases cases = cases_to_answer(analysis, environments, progress);
  std::erase_if(cases, [&](const auto& each) { return each->is_combined || !wanted(*each); });
  group_cases(analysis, cases, progress);
}

void excite(Analysis& analysis, std::optional<Environment::Type> type, std::span<const std::string> chosen,
            const AnalysisRequest& request, const Progress& progress) {
  refuse_unknown_names(analysis.plan, type, chosen);
  Cases cases = cases_to_answer(
      analysis,
      [&](const Environment& environment) { return environment.is_static() || is_wanted(environment, type, chosen); },
      progress);
  add_notched(analysis, cases, request, progress);
  group_cases(analysis, cases, progress);
  survey_and_watch(analysis, request, progress);
  const StopWatch start;
  std::vector<CaseResults>& outcomes = analysis.outcomes;
  outcomes.resize(cases.size());
  std::vector<CaseResponse*> load_of(cases.size());        // of single cases
  std::vector<const AnswerGroup*> group_of(cases.size());  // the same
  for (const auto& group : analysis.groups)
    for (std::size_t k = 0; k < group->cases.size(); ++k) {
      const auto i = static_cast<std::size_t>(std::find(cases.begin(), cases.end(), group->cases[k]) - cases.begin());
      load_of[i] = group->loads[k].get();
      group_of[i] = group.get();
    }
  std::vector<std::size_t> vibrating;  // what takes time, and needs the static outcomes
  std::vector<const CaseResults*> at_rest;
  for (std::size_t i = 0; i < cases.size(); ++i) {
    if (cases[i]->is_combined) continue;
    if (!cases[i]->is_static()) {
      vibrating.push_back(i);
      continue;
    }
    outcomes[i] = run_case(*load_of[i], group_of[i]->watched);
    at_rest.push_back(&outcomes[i]);
  }
  std::vector<std::vector<StaticSum>> sums;
  sums.reserve(vibrating.size());
  // The longest first, so that the threads end together.
  std::stable_partition(vibrating.begin(), vibrating.end(), [&](std::size_t i) { return cases[i]->is_random(); });
  for (const std::size_t i : vibrating)
    sums.push_back(sums_for(analysis.plan.limits, *cases[i], at_rest, group_of[i]->watched));
  std::mutex telling;
  run_jobs(vibrating.size(), request.threads, [&](std::size_t k) {
    const Excitation& own = *cases[vibrating[k]];
    {
      const std::lock_guard lock(telling);
      tell(progress, own.name());
    }
    const AnswerGroup& group = *group_of[vibrating[k]];
    CaseResults& outcome = outcomes[vibrating[k]];
    outcome = run_case(*load_of[vibrating[k]], group.watched, sums[k]);
    speak_of_modes(group, analysis.basis.modes, outcome);
  });
  for (std::size_t i = 0; i < cases.size(); ++i) {
    if (!cases[i]->is_combined) continue;
    std::vector<const CaseResults*> single;
    for (std::size_t k = 0; k < i; ++k)
      if (cases[k]->environment == cases[i]->environment && !is_replaced(*cases[k], outcomes))
        single.push_back(&outcomes[k]);
    outcomes[i] = combine(*cases[i]->environment, single, analysis.watched);
  }
  analysis.driven.resize(cases.size());
  analysis.power.resize(cases.size());
  std::vector<LargestMotion> translations;  // made where a load acts
  for (std::size_t i = 0; i < cases.size(); ++i) {
    if (!cases[i]->is_sine() || cases[i]->is_combined || cases[i]->environment->load_cases.empty()) continue;
    if (translations.empty()) translations = largest_translations(analysis.system, analysis.basis);
    look_at_drive(analysis, *load_of[i], group_of[i]->modes, translations, i);
  }
  for (std::size_t i = 0; i < cases.size(); ++i)
    if (cases[i]->is_sine() && !cases[i]->is_combined) look_at_shapes(analysis, *load_of[i], outcomes[i]);
  for (const CaseResults& outcome : outcomes) {
    const std::string& on = outcome.environment().superposed_on;
    if (on.empty() || outcome.is_combined()) continue;
    if (const CaseResults* const random = acts_on(outcome, outcomes))
      analysis.on_random.push_back(act_on_random(outcome, *random, analysis.watched));
    else
      analysis.warnings.push_back(fmt::format(
          "environment {}: what it makes together with {} is not known, because no such case of {} along its "
          "axis was run",
          outcome.name(), on, on));
  }
  // Random cases by their name, if they were run.
  const auto each_random = [&](const std::string& name, const auto& take) {
    for (std::size_t i = 0; i < cases.size(); ++i)
      if (outcomes[i].random() && !cases[i]->is_combined && outcomes[i].name() == name)
        take(*load_of[i], group_of[i]->watched, outcomes[i]);
  };
  for (const HistoryRequest& wanted : analysis.plan.histories)
    each_random(wanted.in,
                [&](const CaseResponse& load, const std::vector<Output>& watched, const CaseResults& outcome) {
                  tell(progress, fmt::format("record {} of {}", wanted.name, wanted.in));
                  const StopWatch own;
                  analysis.histories.push_back(make_history(wanted, load, watched, outcome, analysis.threads));
                  analysis.times.push_back({"record " + wanted.name, own.seconds()});
                });
  for (const CrossRequest& wanted : analysis.plan.cross_spectra)
    each_random(wanted.in,
                [&](const CaseResponse& load, const std::vector<Output>& watched, const CaseResults& outcome) {
                  analysis.cross_spectra.push_back(cross_spectrum(wanted, load, watched, outcome));
                });
  look_at_contacts(analysis, load_of, group_of);
  draw_places(analysis, load_of, group_of);
  count_lives(analysis, load_of, group_of, progress);
  weigh_bases(analysis, load_of, group_of);
  if (request.figures && !analysis.plan.figures.empty()) analysis.figure_answers = answer_figures(analysis);
  for (const auto& group : analysis.groups) group->loads.clear();
  warn_about_coupling(analysis);
  speak_of_springs(analysis);
  analysis.times.push_back({"responses", start.seconds()});
}

void audit_truncation(Analysis& analysis, const AnalysisRequest& request, const Progress& progress) {
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
  for (const auto& group : analysis.groups) {
    if (group->basis->modes == 0) continue;
    std::vector<const CaseResults*> outcomes;  // and what acts at rest: beside it zero is told from rounding
    for (const CaseResults& outcome : analysis.outcomes)
      if (outcome.at_rest() ||
          std::find(group->cases.begin(), group->cases.end(), outcome.excitation) != group->cases.end())
        outcomes.push_back(&outcome);
    const AuditSource source{
        analysis.plan.assembly, analysis.system, *group->basis,  *group->damping, analysis.plan.damping,
        analysis.plan.watch,    stress,          group->watched, outcomes,        request.audit_at};
    const std::vector<double> frequencies =
        request.audit_at.empty() ? frequencies_that_matter(source, request.audit.value_or(usual)) : request.audit_at;
    for (AuditedAnswer& each : audit(source, frequencies, progress)) analysis.audit.push_back(std::move(each));
  }
  for (const double stated : request.audit_at)
    if (std::none_of(analysis.audit.begin(), analysis.audit.end(),
                     [&](const AuditedAnswer& each) { return each.frequency == stated; }))
      analysis.warnings.push_back(
          fmt::format("audit: no environment reaches {:.5g} Hz, so nothing was compared there", stated));
  analysis.times.push_back({"audit", watch.seconds()});
}

void assess(Analysis& analysis) {
  analysis.limits =
      check_limits(analysis.plan.limits, analysis.outcomes, analysis.watched, analysis.basis, analysis.plan.assembly,
                   analysis.on_random, analysis.lives, analysis.damping.with_springs);
  analysis.equipment = equipment_levels(analysis.plan.equipment, analysis.outcomes, analysis.watched);
}

}  // namespace avrenk
