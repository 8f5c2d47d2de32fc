/// core/quantity/show.h: the units in which a user wants numbers printed.
#pragma once

#include <map>

#include "core/quantity/quantity.h"

namespace avrenk {

/// Units of printed numbers, by kind; what is not set prints in the kind's own display unit.
class Show {
 public:
  [[nodiscard]] DisplayUnit unit(const Kind& kind) const {
    const auto found = units_.find(&kind);
    return found != units_.end() ? found->second : display_unit(kind.display);
  }
  void set(const Kind& kind, const std::string& unit) { units_[&kind] = display_unit(unit); }

 private:
  std::map<const Kind*, DisplayUnit> units_;
};

}  // namespace avrenk
