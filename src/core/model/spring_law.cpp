#include "core/model/spring_law.h"

#include "core/model/spring.h"

namespace avrenk {

bool SpringLaw::has_tables() const {
  return depends_on_amplitude() || loss.size() > 1 ||
         std::any_of(stiffness.begin(), stiffness.end(), [](const LogTable& own) { return own.size() > 1; });
}

bool SpringLaw::depends_on_amplitude() const {
  return !softening[0].empty() || !softening[1].empty() || !loss_growth[0].empty() || !loss_growth[1].empty();
}

bool depend_on_amplitude(const std::vector<Spring>& springs) {
  return std::any_of(springs.begin(), springs.end(),
                     [](const Spring& spring) { return spring.law && spring.law->depends_on_amplitude(); });
}

}  // namespace avrenk
