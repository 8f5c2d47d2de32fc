#include "core/check/finding.h"

#include <algorithm>

namespace avrenk {

void sort_by_grade(std::vector<Finding>& findings) {
  std::stable_sort(findings.begin(), findings.end(),
                   [](const Finding& a, const Finding& b) { return a.grade < b.grade; });
}

bool has_errors(const std::vector<Finding>& findings) {
  return std::any_of(findings.begin(), findings.end(),
                     [](const Finding& each) { return each.grade == Finding::Grade::error; });
}

}  // namespace avrenk
