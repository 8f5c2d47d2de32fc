#include "core/excitation/environment.h"

namespace avrenk {

bool CoherenceRule::has_distance() const { return !slowness.isZero(0) || length > 0 || decay > 0; }

}  // namespace avrenk
