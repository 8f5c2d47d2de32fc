/// core/check/plausible.h: values that are possible but unlikely, as a wrong unit makes them.
#pragma once

#include "core/check/finding.h"

namespace avrenk {

/// A doubt each about a material: stiffness, density, the speed of sound √(E/ρ) that both give, Poisson's ratio,
/// strength against stiffness. Bounds enclose engineering solids from foams to ceramics and osmium.
[[nodiscard]] std::vector<Finding> implausible_materials(const Assembly& assembly);

/// Each part or mass whose computed mass is farther than `tolerance` from what it weighs.
[[nodiscard]] std::vector<Finding> weight_differences(const Assembly& assembly, double tolerance = 0.05);

/// What a part or mass weighs by name, where the plan says it.
[[nodiscard]] std::optional<double> weighed(const Assembly& assembly, const std::string& name);

}  // namespace avrenk
