/// analysis/damped_model.h: the fourth stage: modes with their damping and with springs as they are at each frequency:
/// what answers cases.
#pragma once

#include "analysis/modal_model.h"
#include "core/modes/damping.h"

namespace avrenk {

struct DampedModel {
  /// What is asked of the model. Usually the plan that it was made from; else one with another damping, other springs
  /// or fewer requests.
  std::shared_ptr<const LoadedPlan> loaded;
  std::shared_ptr<const ModalModel> modal;
  std::shared_ptr<const ModalDamping> damping;
  StageReport report{};

  [[nodiscard]] const Plan& plan() const { return loaded->plan; }
  [[nodiscard]] const Assembly& assembly() const { return modal->at_rest.assembly; }
  [[nodiscard]] const System& system() const { return modal->at_rest.system; }
  [[nodiscard]] const ModalBasis& basis() const { return modal->basis; }
  /// The basis by itself; keeps the model.
  [[nodiscard]] std::shared_ptr<const ModalBasis> shared_basis() const { return {modal, &modal->basis}; }
  [[nodiscard]] int threads() const { return loaded->threads; }
  /// Of a mode, from 0, Hz: with springs as they are at it, where there are such that depend on frequency.
  [[nodiscard]] double natural_frequency(int mode) const;
};

/// Damps the modes by the rule of the plan, and makes its springs a part of that.
/// @throws InputError, NumericalError  @see damp
[[nodiscard]] DampedModel damp_model(std::shared_ptr<const LoadedPlan> loaded, std::shared_ptr<const ModalModel> modal);

/// The same modes and general damping with the springs of another plan: see Plan::variant.
[[nodiscard]] DampedModel with_springs_of(std::shared_ptr<const LoadedPlan> loaded, const DampedModel& model);

/// Damping with the springs that are not what the matrices hold as a part of it: those that follow tables, at the
/// smallest amplitude, and those of the plan's variant.
[[nodiscard]] ModalDamping with_plan_springs(const Plan& plan, const Assembly& assembly, const System& system,
                                             const ModalBasis& basis, ModalDamping damping);

/// The modes that a run kept of this very model, and no others: nothing is solved for. Its products with the matrices
/// of the model are taken too where they are those of the same plan; the system then has no matrices.
/// @param run      folder of results
/// @param plan     digest of the plan that it keeps
/// @param applied  environments that will be applied
/// @throws FileError  the folder has none, or of another model
[[nodiscard]] DampedModel take_kept_model(std::shared_ptr<const LoadedPlan> loaded, const std::filesystem::path& run,
                                          const std::string& plan, const EnvironmentChoice& applied);

}  // namespace avrenk
