/// core/check/finding.h: what a look at the model found before anything is computed with it.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/model/assembly.h"

namespace avrenk {

struct Finding {
  /// error: no result can be trusted, or none is possible; warning: most likely a mistake; note: worth knowing.
  enum class Grade { error, warning, note };
  Grade grade = Grade::note;
  std::string subject;          ///< "part deck", "joint isolator": where the plan says it
  std::string what;             ///< is wrong
  std::string remedy;           ///< what to do
  std::optional<Vector3> at{};  ///< m, where the model shows it
  [[nodiscard]] std::string sentence() const { return subject + ": " + what + (remedy.empty() ? "" : "; " + remedy); }
};

inline constexpr std::string_view grade_names[] = {"error", "warning", "note"};
[[nodiscard]] inline std::string_view name_of(Finding::Grade grade) {
  return grade_names[static_cast<std::size_t>(grade)];
}

/// Errors first, then warnings; within a grade in the order in which they were found.
void sort_by_grade(std::vector<Finding>& findings);
[[nodiscard]] bool has_errors(const std::vector<Finding>& findings);

}  // namespace avrenk
