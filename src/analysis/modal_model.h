/// analysis/modal_model.h: the third stage: the modes of the model at rest, solved for or taken from an earlier run.
#pragma once

#include <filesystem>

#include "analysis/model_at_rest.h"
#include "core/modes/mode_content.h"
#include "files/model_print.h"

namespace avrenk {

struct ModalModel {
  ModelAtRest at_rest;
  /// Those of the plan, with the patterns in which their pressure fields act on this model.
  std::vector<Environment> environments;
  ModalBasis basis;
  std::vector<ModeContent> contents{};  ///< of every mode, where somebody will look at them
  std::vector<PreloadLevel> levels{};   ///< of the preload, as far as the plan asks for them
  ModelPrint print{};                   ///< fingerprint of what the modes depend on; empty where it is known otherwise
  std::filesystem::path modes_from{};   ///< the file that the modes were taken from; empty: they were computed
  std::string modes_note{};             ///< whether they were taken or computed anew, and why
  bool more_than_file = false;          ///< a pivot count or static shapes were made that the file does not have
  StageReport report{};
  [[nodiscard]] const Plan& plan() const { return at_rest.plan(); }
};

/// A model with a basis that is known, and the pressure fields of the environments that will be applied: loads in the
/// patterns that the modes see.
[[nodiscard]] ModalModel with_basis(ModelAtRest at_rest, ModalBasis basis, const EnvironmentChoice& applied,
                                    const Progress& progress = {});

/// Takes the modes from the first of the files that holds those of the same model, or solves for them; then counts how
/// many there are up to where the band asks for them, what moves in each, and how they are under parts of a preload.
/// @param kept     results of earlier runs, looked at in this order
/// @param applied  environments that will be applied
[[nodiscard]] ModalModel solve_modal(ModelAtRest at_rest, const std::vector<std::filesystem::path>& kept,
                                     const EnvironmentChoice& applied, const Progress& progress = {});

/// The frequency that the modes are asked to reach and do not; 0: they do.
[[nodiscard]] double frequency_not_reached(const Plan& plan, const ModalBasis& basis);

}  // namespace avrenk
