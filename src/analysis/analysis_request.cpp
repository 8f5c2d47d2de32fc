#include "analysis/analysis_request.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/spelling.h"
#include "plan/plan.h"

namespace avrenk {

bool is_of(const std::string& name, const Environment& environment) {
  return name == environment.name || name.starts_with(environment.name + ".");
}

bool EnvironmentSelection::includes(const Environment& environment) const {
  if (environment.is_static()) return true;
  if (type && environment.type() != *type) return false;
  return names.empty() || std::find(names.begin(), names.end(), environment.name) != names.end();
}

void EnvironmentSelection::require_in(const Plan& plan) const {
  std::vector<std::string> known;
  for (const Environment& environment : plan.environments)
    if (!environment.is_static() && (!type || environment.type() == *type)) known.push_back(environment.name);
  const char* const what = !type ? "" : *type == Environment::Type::sine ? "sine " : "random ";
  for (const std::string& name : names)
    if (std::find(known.begin(), known.end(), name) == known.end())
      throw InputError(Problem{"", fmt::format("the plan has no {}environment \"{}\"", what, name),
                               suggest_name(name, known), Place{plan.file, 0, 0}});
  if (known.empty() && type)
    throw InputError(Problem{"", fmt::format("the plan has no {}environment", what),
                             "declare one under environments:", Place{plan.file, 0, 0}});
}

}  // namespace avrenk
