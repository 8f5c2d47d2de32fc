/// Findings as the user reads them.
#pragma once

#include <string>
#include <vector>

#include "core/check/finding.h"

namespace avrenk::test {

inline std::vector<std::string> sentences(const std::vector<Finding>& findings) {
  std::vector<std::string> all;
  all.reserve(findings.size());
  for (const Finding& each : findings) all.push_back(each.sentence());
  return all;
}

}  // namespace avrenk::test
