/// Plans of the examples.
#pragma once

#include <string>

#include "support/temporary.h"

namespace avrenk::test {

inline std::string example(const std::string& name) {
  return read_all(std::string(AVRENK_SOURCE_DIR) + "/examples/" + name);
}

}  // namespace avrenk::test
