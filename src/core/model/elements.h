/// core/model/elements.h: what nodes are joined by, and bodies at them.
#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/element/beam.h"

namespace avrenk {

struct ElementKind;

struct BeamElement {
  std::array<int, 2> nodes;  ///< ends that lie off their nodes are carried by rigid arms
  int part = 0;
  BeamGeometry geometry;
  int taper = -1;                   ///< index into Assembly::tapers; −1: the section of the part
  std::array<bool, 12> released{};  ///< see BeamProperties
};

/// Shells or solids of one part and kind.
struct ElementGroup {
  int part = 0;
  const ElementKind* kind = nullptr;
  std::vector<int> nodes;  ///< of the first element, then of the second …
  Matrix3 rotation =
      Matrix3::Identity();  ///< from the part's own axes to global: rotation or mirror image of this copy
  [[nodiscard]] std::size_t elements() const;
  [[nodiscard]] std::span<const int> element(std::size_t i) const;
};

/// A body that is rigid and small: mass and inertia about its own centre of gravity, which sits at node + offset.
struct PointMass {
  std::string name;
  int node = 0;
  Vector3 offset = Vector3::Zero();
  double mass = 0;                    ///< kg
  Matrix3 inertia = Matrix3::Zero();  ///< kg m², tensor: off-diagonal terms are −∫xy dm
  std::optional<double> weighed{};    ///< kg: what the real body weighs
};

}  // namespace avrenk
