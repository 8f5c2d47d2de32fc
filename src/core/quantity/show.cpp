#include "core/quantity/show.h"

namespace avrenk {

DisplayUnit Show::unit(const Kind& kind) const {
  const auto found = units_.find(&kind);
  return found != units_.end() ? found->second : display_unit(kind.display);
}

void Show::set(const Kind& kind, const std::string& unit) { units_[&kind] = display_unit(unit); }

}  // namespace avrenk
