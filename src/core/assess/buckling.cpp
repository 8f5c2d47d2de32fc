#include "core/assess/buckling.h"

#include <algorithm>
#include <cmath>

#include "core/quantity/quantity.h"

namespace avrenk {

BucklingLoad buckling_load(const BeamSection& section, const Material& material, double length) {
  const double modulus = material.youngs_modulus, weak = std::min(section.second_moment_y, section.second_moment_z);
  BucklingLoad result;
  result.slenderness = length / std::sqrt(weak / section.area);
  const double square = result.slenderness * result.slenderness, euler = pi * pi * modulus / square;  // Pa
  result.load = section.area * euler;
  if (!material.yield || euler < *material.yield / 2) return result;
  result.is_johnson = true;
  result.load = section.area * *material.yield * (1 - *material.yield * square / (4 * pi * pi * modulus));
  return result;
}

}  // namespace avrenk
