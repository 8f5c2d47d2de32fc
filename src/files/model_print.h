/// files/model_print.h: fingerprints of a model: whether modes that were kept are its own, and what changed if not.
#pragma once

#include <map>

#include "core/system/system.h"

namespace avrenk {

struct ModelPrint {
  /// 128 bits over all that modes depend on: M and K as assembled, how the feet follow the bases, where dampers act.
  /// How much they damp, profiles, limits and names are not among them.
  std::string system;
  /// The same piece by piece, as the plan has them: "material alloy", "mesh of part deck", "joint isolators". They only
  /// tell what changed; `system` decides.
  std::map<std::string, std::string> pieces;
  /// Each load by its name: what its columns put on the model; and those of DamperLoads::unlike. Static shapes of the
  /// basis depend on them, modes do not.
  std::map<std::string, std::string> loads{};
};

[[nodiscard]] ModelPrint print_of(const Assembly& assembly, const System& system);

/// What of the loads a basis was not made for, in words; empty: it carries all that are there now.
[[nodiscard]] std::string loads_not_carried(const std::map<std::string, std::string>& carried,
                                            const std::map<std::string, std::string>& now);

/// In words: "material alloy changed, part rib is new, joint straps is gone"; of many the first four.
[[nodiscard]] std::string what_changed(const std::map<std::string, std::string>& before,
                                       const std::map<std::string, std::string>& now);

}  // namespace avrenk
