/// core/quantity/show.h: the units in which a user wants numbers printed.
#pragma once

#include <map>

#include "core/quantity/quantity.h"

namespace avrenk {

/// Units of printed numbers, by kind; what is not set prints in the kind's own display unit.
class Show {
 public:
  [[nodiscard]] DisplayUnit unit(const Kind& kind) const;
  void set(const Kind& kind, const std::string& unit);

 private:
  std::map<const Kind*, DisplayUnit> units_;
};

}  // namespace avrenk
