/// plan/standard_materials.h: materials by the designation of their standard, with typical values.
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace avrenk {

/// Typical values at room temperature, of handbooks: no minimum of any standard, no certificate.
struct StandardMaterial {
  std::string_view designation;  ///< "EN AW-7075-T6"
  double youngs_modulus;         ///< Pa
  double poissons_ratio;
  double density;          ///< kg/m³
  double yield, ultimate;  ///< Pa: 0.2 % proof stress and tensile strength; 0: there is no single one
  double expansion;        ///< 1/K, mean from 20 to 100 °C; 0: there is no single one
};

[[nodiscard]] std::span<const StandardMaterial> standard_materials();

/// By its designation; capitals, spaces and hyphens do not count. nullptr: there is no such.
[[nodiscard]] const StandardMaterial* standard_material(std::string_view designation);

[[nodiscard]] std::vector<std::string> standard_designations();

}  // namespace avrenk
