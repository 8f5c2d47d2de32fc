/// core/model/material.h: what parts are made of.
#pragma once

#include <optional>
#include <string>

#include "core/algebra.h"
#include "core/element/elasticity.h"
#include "core/model/fatigue_line.h"

namespace avrenk {

struct Elastic;

struct Material {
  std::string name;
  double youngs_modulus = 0;                  ///< Pa; of an orthotropic one that along its x
  double poissons_ratio = 0;                  ///< −1 < nu < 0.5; of an orthotropic one ν_xy
  double density = 0;                         ///< kg/m³
  std::optional<double> loss_factor;          ///< η; absent: the general damping applies
  std::optional<double> yield{}, ultimate{};  ///< Pa: allowables for limits
  std::optional<FatigueLine> fatigue{};       ///< cycles that it bears
  std::optional<Orthotropic> orthotropic{};
  Matrix3 axes = Matrix3::Identity();  ///< rows: x, y, z of the orthotropic constants, in the part's own axes
  std::optional<Vector3> expansion{};  ///< 1/K along x, y, z of the material: of an isotropic one the same
  /// Components have none of their own.
  [[nodiscard]] bool is_of_component() const { return youngs_modulus == 0; }
  [[nodiscard]] Elastic elastic() const;
};

}  // namespace avrenk
