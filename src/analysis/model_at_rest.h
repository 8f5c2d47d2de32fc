/// analysis/model_at_rest.h: the second stage: the matrices of the model, about the static state that its plan names.
#pragma once

#include "analysis/loaded_plan.h"
#include "core/modes/preload.h"
#include "core/progress.h"
#include "core/system/contact_equilibrium.h"

namespace avrenk {

/// Bolts and contacts in one static environment.
struct SettledCase {
  std::string environment;
  bool frees_contacts = false;  ///< what it left open is taken out of the model for all that follows
  StaticContactState state;
};

struct ModelAtRest {
  std::shared_ptr<const LoadedPlan> loaded;
  /// That of the plan without what contacts leave open, and with the loads that bolts and gaps make.
  Assembly assembly;
  System system;
  std::vector<SettledCase> settled{};  ///< static environments with tightened bolts, or in which contacts settle
  std::optional<Preload> preload{};    ///< the state that modes are taken about
  StageReport report{};
  [[nodiscard]] const Plan& plan() const { return loaded->plan; }
};

/// Whether the model comes to rest before all else: modes about a static environment, or bolts or contacts that settle.
[[nodiscard]] bool has_static_state(const Plan& plan);

/// Assembles the matrices, tightens bolts, finds what contacts do, and puts the stress stiffness of the static state
/// that modes are taken about into the system.
/// @throws InputError  a mechanism, or the model buckles before that state is reached
[[nodiscard]] ModelAtRest bring_to_rest(const std::shared_ptr<const LoadedPlan>& loaded, const Progress& progress = {});

/// The model with its unknowns numbered and no matrices. @pre !has_static_state
[[nodiscard]] ModelAtRest numbered_only(const std::shared_ptr<const LoadedPlan>& loaded);

}  // namespace avrenk
