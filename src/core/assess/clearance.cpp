#include "core/assess/clearance.h"

namespace avrenk {

Clearance clearance_of(const Output& watched, std::size_t index, const CaseResults& outcome, const CaseResults* still,
                       double scale) {
  const bool is_static = outcome.at_rest() != nullptr;
  const CaseResults* const at_rest = is_static ? &outcome : still;
  const StaticRow* const constant = at_rest ? &at_rest->at_rest()->rows[index] : nullptr;
  Clearance worst;
  for (std::size_t k = 0; k < watched.candidates->items.size(); ++k) {
    // Positive where the second place moves away from the first.
    const double wider = constant ? watched.candidates->of(constant->rows, k)(watched.first) : 0;
    const double swing = is_static ? 0
                         : outcome.sine()
                             ? scale * outcome.sine()->rows[index].peak.value
                             : scale * outcome.random()->rows[index].candidate_rms[static_cast<Eigen::Index>(k)];
    const Clearance own{watched.gaps[k], swing - wider, swing + wider, watched.candidates->label(k)};
    if (k == 0 || own.left() < worst.left() - 1e-9 * own.gap) worst = own;
  }
  return worst;
}

}  // namespace avrenk
