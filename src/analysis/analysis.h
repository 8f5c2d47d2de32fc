/// analysis/analysis.h: a plan worked through: a chain of const values, one a stage, each with what it says and how
/// long it took:
///
///     LoadedPlan → ModelAtRest → ModalModel → DampedModel → Responses → Assessment
///
/// No stage knows a terminal; progress, warnings and notes are values.
#pragma once

#include "analysis/assessment.h"
#include "core/mesh/surface.h"

namespace avrenk {

/// What commands print and results/ writes.
struct Analysis {
  std::shared_ptr<const Responses> responses;  ///< with all stages before; without outcomes where nothing was run
  Assessment assessment{};
  StageReport report{};  ///< notes of the plan, and what all stages say, in their order
  Surface surface{};     ///< of shells and solids, for pictures; empty where nobody looks at any

  [[nodiscard]] const DampedModel& model() const { return responses->model; }
  [[nodiscard]] const ModalModel& modal() const { return *model().modal; }
  [[nodiscard]] const ModelAtRest& at_rest() const { return modal().at_rest; }
  [[nodiscard]] const LoadedPlan& loaded() const { return *model().loaded; }
  [[nodiscard]] const Plan& plan() const { return model().plan(); }
  [[nodiscard]] const Assembly& assembly() const { return model().assembly(); }
  [[nodiscard]] const System& system() const { return model().system(); }
  [[nodiscard]] const ModalBasis& basis() const { return model().basis(); }
  [[nodiscard]] const ModalDamping& damping() const { return *model().damping; }
  [[nodiscard]] const std::vector<Output>& watched() const { return responses->watched; }
  [[nodiscard]] const std::vector<CaseResults>& outcomes() const { return responses->outcomes; }
};

/// How far a plan is worked through.
struct AnalysisScope {
  bool responses = true;  ///< environments are run; else modes alone
  EnvironmentSelection environments{};
  bool variants = true;  ///< of springs
};

/// All stages. The plan is as it was loaded.
/// @param kept  results of earlier runs, in which modes of the same model may be
/// @throws InputError, NumericalError
[[nodiscard]] Analysis analyse(const std::shared_ptr<const LoadedPlan>& loaded, const AnalysisRequest& request,
                               const AnalysisScope& scope, const std::vector<std::filesystem::path>& kept,
                               const Progress& progress = {});

/// The stages to modes and damping.
/// @param applied  environments that will be applied
[[nodiscard]] DampedModel solve(const std::shared_ptr<const LoadedPlan>& loaded,
                                const std::vector<std::filesystem::path>& kept, const EnvironmentChoice& applied,
                                const Progress& progress = {});

/// What a model and those before it say, in their order.
[[nodiscard]] StageReport report_of(const DampedModel& model);

}  // namespace avrenk
