/// plan/plan_numbers.h: numbers with a unit that a plan holds, and where: what could be changed about a model.
#pragma once

#include "plan/plan.h"
#include "plan/tree.h"

namespace avrenk {

/// "parts.deck.thickness", 4 mm.
struct PlanNumber {
  std::string path;
  double value = 0;  ///< as it is written, above zero
  std::string unit;
  Place place;
  /// Text of so many times the value, for an override.
  [[nodiscard]] Override times(double factor) const;
};

/// All that could be changed about materials, parts, masses, joints and damping, in the order of the plan; what shapes
/// the mesh, and lists, are left out. With paths, what lies below each of them, or is it.
/// @throws InputError  a path that leads to no number: with the nearest valid ones
[[nodiscard]] std::vector<PlanNumber> changeable_numbers(const std::string& file,
                                                         const std::vector<Override>& overrides,
                                                         const std::vector<std::string>& paths);

}  // namespace avrenk
