/// files/spring_tables.h: springs that depend on frequency or amplitude, and variants of them, as tables.
#pragma once

#include <span>

#include "core/assess/limits.h"
#include "core/quantity/show.h"
#include "core/response/equivalent_springs.h"
#include "files/table.h"

namespace avrenk {

/// Modes with springs of one name.
struct NamedModes {
  std::string name;  ///< "as stated", "soft"
  const std::vector<SpringMode>* modes = nullptr;
};
/// The modes with springs as they are at their own frequencies, and with variants of them: those that differ from the
/// modes of the matrices, by more than a thousandth in frequency or a hundredth in damping.
/// @param by_amplitude  whether some depend on it: these are as at the smallest
[[nodiscard]] Table spring_mode_table(const ModalBasis& basis, const ModalDamping& damping,
                                      const std::vector<NamedModes>& all, bool by_amplitude, const Show& show);

/// Of one case the springs that depend on amplitude: how far they move, and what they are then; those that turn in a
/// table of their own.
[[nodiscard]] std::vector<Table> equivalent_tables(const Excitation& excitation, const EquivalentSprings& springs,
                                                   const Assembly& assembly, const Show& show);

/// Of all cases of each joint and axis the spring that moves farthest.
[[nodiscard]] std::vector<Table> farthest_tables(
    const std::vector<std::pair<const Excitation*, const EquivalentSprings*>>& cases, const Assembly& assembly,
    const Show& show);

/// Margins of each limit, and with each variant.
struct NamedMargins {
  std::string name;
  std::span<const double> margins;  ///< in the order of the limits
};
[[nodiscard]] Table variant_table(const std::vector<LimitResult>& limits, const std::vector<NamedMargins>& variants);

}  // namespace avrenk
