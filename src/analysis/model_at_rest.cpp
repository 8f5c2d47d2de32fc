#include "analysis/model_at_rest.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "analysis/contact_summaries.h"
#include "core/clock.h"
#include "core/excitation/excitation.h"

namespace avrenk {
namespace {

// Says what bolts and contacts came to.
void report_settled(ModelAtRest& model) {
  const Plan& plan = model.plan();
  for (const SettledCase& settled : model.settled) {
    for (const StaticContactState::Stage& stage : settled.state.stages)
      if (!settled.state.contacts.empty())
        model.report.log.push_back(
            fmt::format("contact: {}, {}: closed {}", settled.environment, stage.name, fmt::join(stage.closed, ", ")));
    for (std::string& note : settled_in_words(settled, model.assembly, plan.show))
      model.report.notes.push_back(std::move(note));
    if (settled.frees_contacts) continue;
    const auto pulling = std::count_if(settled.state.contacts.begin(), settled.state.contacts.end(),
                                       [](const ContactAtRest& contact) { return contact.pressing < 0; });
    if (pulling > 0)
      model.report.warnings.push_back(fmt::format(
          "environment {}: {} of the {} contacts that are closed in {} would open in it, and are held: take "
          "the modes about {} to see them open",
          settled.environment, pulling, settled.state.contacts.size(), plan.modes_about, settled.environment));
  }
}

// Tightens the bolts of static environments, and finds what contacts do in that about which modes are taken: what opens
// there is taken out of the model.
void settle(ModelAtRest& model, const Progress& progress) {
  const Plan& plan = model.plan();
  std::vector<const Environment*> cases;
  for (const Environment& environment : plan.environments)
    if (environment.is_settled())
      cases.insert(environment.name == plan.modes_about ? cases.begin() : cases.end(), &environment);
  if (cases.empty()) return;
  const StopWatch start;
  std::optional<Factorisation> factor;
  for (const Environment* environment : cases) {
    const StaticInput& input = environment->at_rest();
    report_progress(progress, fmt::format("bolts and contacts of {}", environment->name));
    if (!factor) factor.emplace(factorise_stiffness(model.assembly, model.system));
    const auto excitation = excitations(*environment, model.assembly, model.system).front();
    RestRequest request;
    request.force = model.system.loads * Eigen::VectorXd(excitation->loads.rowwise().sum().real()) +
                    forces_of_field(model.system, input.acceleration).free;
    request.displaced = displacement_of(*environment, model.system.support_motion.cols());
    request.bolts = input.bolts;
    request.one_by_one = input.one_by_one;
    const bool about = environment->name == plan.modes_about;
    request.contacts_stay = !about;
    StaticContactState state = find_contact_equilibrium(model.assembly, model.system, *factor, request, progress);
    model.assembly.loads[static_cast<std::size_t>(input.settled)].columns[0] = state.column;
    if (std::any_of(state.contacts.begin(), state.contacts.end(),
                    [](const ContactAtRest& contact) { return !contact.closed; })) {
      take_out_open(state, model.assembly);
      factor.reset();
      model.system = make_system(model.assembly, model.loaded->threads);
    }
    model.settled.push_back({environment->name, about, std::move(state)});
  }
  refresh_loads(model.assembly, model.system);
  model.report.times.push_back({"bolts and contacts", start.seconds()});
  report_settled(model);
}

// The stress stiffness of the state that modes are taken about.
void preload(ModelAtRest& model, const Progress& progress) {
  const StopWatch start;
  const Plan& plan = model.plan();
  const auto state = std::find_if(plan.environments.begin(), plan.environments.end(),
                                  [&](const Environment& each) { return each.name == plan.modes_about; });
  const auto excitation = excitations(*state, model.assembly, model.system).front();
  model.preload = apply_preload(model.assembly, model.system, excitation->loads.rowwise().sum().real(),
                                displacement_of(*state, model.system.support_motion.cols()),
                                state->at_rest().acceleration, plan.modes.feet, model.loaded->threads, progress);
  model.report.times.push_back({"preload", start.seconds()});
  const auto& [at_rest, load_factor, shape, buckles] = *model.preload;
  if (load_factor <= 1)
    throw InputError(Problem{"modes about",
                             fmt::format("the model buckles at {:.4g} times {}: {}", load_factor, state->name, buckles),
                             "lower that load, or make what buckles stiffer", std::nullopt});
  model.report.notes.push_back(fmt::format(
      "modes: about {}, {}{}", state->name,
      std::isfinite(load_factor) ? fmt::format("at {:.4g} times which the model buckles: {}", load_factor, buckles)
                                 : "no multiple of which makes the model buckle",
      plan.assembly.beams.empty() ? "" : " (of beams the axial forces count, bending moments do not)"));
}

}  // namespace

bool has_static_state(const Plan& plan) {
  return !plan.modes_about.empty() || std::any_of(plan.environments.begin(), plan.environments.end(),
                                                  [](const Environment& each) { return each.is_settled(); });
}

ModelAtRest bring_to_rest(const std::shared_ptr<const LoadedPlan>& loaded, const Progress& progress) {
  const StopWatch start;
  report_progress(progress, "assembling");
  const Assembly& assembly = loaded->plan.assembly;
  ModelAtRest model{loaded, assembly, make_system(assembly, loaded->threads)};
  model.report.times.push_back({"assembling", start.seconds()});
  settle(model, progress);
  if (!model.plan().modes_about.empty()) preload(model, progress);
  return model;
}

ModelAtRest numbered_only(const std::shared_ptr<const LoadedPlan>& loaded) {
  const StopWatch start;
  const Assembly& assembly = loaded->plan.assembly;
  ModelAtRest model{loaded, assembly, number_system(assembly)};
  model.report.times.push_back({"numbering", start.seconds()});
  return model;
}

}  // namespace avrenk
