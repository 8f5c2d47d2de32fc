/// files/check_tables.h: tables of a model before anything is computed with it.
#pragma once

#include "core/check/element_quality.h"
#include "core/check/gravity.h"
#include "core/error.h"
#include "core/mesh/resolution.h"
#include "core/quantity/show.h"
#include "core/system/energy.h"
#include "files/table.h"

namespace avrenk {

/// Elements, nodes, box and frequency limit of each part.
[[nodiscard]] Table part_table(const Assembly& assembly, const std::vector<MeshReach>& reach, const Show& show);
/// Mass in the model and on the scale, where the plan says it.
[[nodiscard]] Table weighed_table(const Assembly& assembly, const Show& show);
/// Each place with its nodes and the box around them.
[[nodiscard]] Table place_table(const Assembly& assembly, const Show& show);
/// What each joint became: connections, and how far apart what they connect lies.
[[nodiscard]] Table joint_table(const Assembly& assembly, const Show& show);
/// The worst element of each part.
[[nodiscard]] Table quality_table(const Assembly& assembly, const std::vector<PartQuality>& quality, const Show& show);
/// The highest stress of each part under 1 g along each axis.
[[nodiscard]] Table gravity_stress_table(const Assembly& assembly, const std::vector<HighestStress>& stress,
                                         const Show& show);
/// Strain energy under 1 g by part and joint, as shares of each axis.
[[nodiscard]] Table energy_table(const Assembly& assembly, const StrainEnergy& energy);
/// Findings with the place in the plan of what they are about.
[[nodiscard]] Table finding_table(const std::vector<Finding>& findings, const std::map<std::string, Place>& subjects,
                                  const Show& show);

}  // namespace avrenk
