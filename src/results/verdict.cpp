#include "results/verdict.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/words.h"
#include "files/table.h"

namespace avrenk {

std::string verdict_of(const Analysis& analysis) {
  const std::vector<LimitResult>& limits = analysis.assessment.limits;
  const std::vector<std::string>& unanswered = analysis.assessment.unanswered;
  std::string open_cases;
  if (!unanswered.empty())
    open_cases =
        fmt::format("; {} could not be answered: {}", counted(unanswered.size(), "case"), fmt::join(unanswered, ", "));
  if (limits.empty()) return "no limit applies" + open_cases;
  const auto exceeded = std::count_if(limits.begin(), limits.end(), [](const LimitResult& r) { return !r.met; });
  const char* const what = unanswered.empty() ? "exceeded" : "not met";
  const std::size_t open = analysis.plan().limits.size() - limits.size();
  std::string text =
      exceeded > 0 ? fmt::format("{} of {} {}; the worst is {}", exceeded, counted(limits.size(), "limit"), what,
                                 limits[0].limit->name)
                   : fmt::format("{} met; the smallest margin is {} %, {}",
                                 limits.size() == 1 ? "the limit is" : fmt::format("all {} limits are", limits.size()),
                                 format_number(100 * limits[0].deciding(), 3), limits[0].limit->name);
  const auto at_upper =
      std::count_if(limits.begin(), limits.end(), [](const LimitResult& r) { return r.met && r.upper_margin < 0; });
  if (at_upper > 0)
    text += fmt::format("; {} met at the nominal level would be exceeded at the upper tolerance", at_upper);
  for (const VariantAnswers& variant_answers : analysis.assessment.variants)
    if (variant_answers.exceeded > 0) {
      const auto worst =
          std::min_element(variant_answers.margins.begin(), variant_answers.margins.end(),
                           [](double a, double b) { return a < b || (!std::isnan(a) && std::isnan(b)); });
      text += fmt::format("; with {} springs {} {}, the worst is {}", variant_answers.name, variant_answers.exceeded,
                          what, limits[static_cast<std::size_t>(worst - variant_answers.margins.begin())].limit->name);
    }
  if (open > 0) text += fmt::format("; {} more need environments that were not run", open);
  return text + open_cases;
}

}  // namespace avrenk
