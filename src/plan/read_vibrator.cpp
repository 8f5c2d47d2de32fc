// vibrator: the machine that makes the profiles.
#include "plan/sections.h"

namespace avrenk {

void read_vibrator(const Tree& section, Reading& reading) {
  MapReader map(section, "vibrator", reading.problems);
  if (!map.is_map()) return;
  Vibrator vibrator;
  vibrator.force = map.quantity("force", kind::force, Sign::positive);
  vibrator.random_force = map.quantity("random force", kind::force, Sign::positive);
  vibrator.velocity = map.quantity("velocity", kind::velocity, Sign::positive);
  vibrator.stroke = map.quantity("stroke", kind::length, Sign::positive);
  vibrator.moment = map.quantity("overturning moment", kind::moment, Sign::positive);
  vibrator.moving_mass = map.required_quantity("moving mass", kind::mass, Sign::not_negative).value_or(0) +
                         map.quantity("table mass", kind::mass, Sign::not_negative).value_or(0);
  vibrator.specimen = map.required_quantity("specimen", kind::mass, Sign::not_negative).value_or(0);
  map.done();
  reading.plan.vibrator = vibrator;
}

}  // namespace avrenk
