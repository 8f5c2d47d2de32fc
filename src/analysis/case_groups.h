/// analysis/case_groups.h: cases of environments, and which modes answer each.
#pragma once

#include "analysis/damped_model.h"
#include "core/error.h"
#include "core/excitation/excitation.h"
#include "core/response/case_response.h"
#include "core/response/equivalent_springs.h"

namespace avrenk {

using Cases = std::vector<std::shared_ptr<const Excitation>>;

/// What answers some cases: all modes, some of them, or the full equations.
struct CaseGroup {
  std::shared_ptr<const ModalBasis> basis;
  std::shared_ptr<const ModalDamping> damping;
  Cases cases{};
  std::vector<int> modes{};  ///< of the model, that are in it, where they are chosen; else empty
};

/// Index of the group that answers a case. @pre one does
[[nodiscard]] std::size_t group_of(const std::vector<CaseGroup>& groups, const Excitation& excitation);

/// What springs that depend on amplitude are in one case.
struct EquivalentCase {
  std::shared_ptr<const Excitation> excitation;
  EquivalentSprings springs;
};

/// All single cases, each in the group that answers it.
struct GroupedCases {
  std::vector<CaseGroup> groups;              ///< the first: all modes
  std::vector<EquivalentCase> equivalents{};  ///< of each case that vibrates, where springs depend on amplitude
  StageReport report{};
};

/// Does something for one case.
/// @throws CaseError  in the place of a NumericalError: which case it is
template <typename Work>
auto do_for_case(const Excitation& excitation, const Work& work) {
  try {
    return work();
  } catch (const CaseError&) {
    throw;
  } catch (const NumericalError& error) {
    throw CaseError((excitation.specified ? *excitation.specified : excitation).name(), error.what());
  }
}

/// Every case of the environments that are to be answered, static ones first; behind the cases of an environment that
/// which stands for all of them, where it combines them.
/// @throws InputError  the model has no response: it moves freely, or modes below are missing
[[nodiscard]] Cases cases_of(const DampedModel& model, const EnvironmentChoice& applied);

/// All modes answer all cases but those of environments that choose some, or are solved directly, and what acts at rest
/// beside a preload; where springs depend on amplitude each case that vibrates has a group with its own.
/// @throws InputError  a mode that there is not, or none in a band; grids that do not fit into memory
[[nodiscard]] GroupedCases group_cases(const DampedModel& model, const Cases& cases, const Progress& progress = {});

/// What each case of each group does to the model: one list a group.
[[nodiscard]] std::vector<CaseResponses> apply_cases(const DampedModel& model, const std::vector<CaseGroup>& groups);

}  // namespace avrenk
