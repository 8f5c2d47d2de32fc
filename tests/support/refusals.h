/// Tables of changes that make a plan wrong, and what is said of each.
#pragma once

#include <gmock/gmock.h>

#include <string>
#include <vector>

#include "support/temporary.h"

namespace avrenk::test {

/// A text of a plan that becomes another, and what is said of the plan then; empty: nothing, it is read.
struct Refusal {
  std::string from, to, said;
};
enum class Said { among_others, alone };

/// Makes each change by itself; the text must stand in the plan.
/// @param told  all that is said of a plan
/// @param how   whether a part of it is looked for, or all of it is given
template <typename Told>
void expect_refusals(const std::string& plan, const std::vector<Refusal>& refusals, const Told& told,
                     Said how = Said::among_others) {
  for (const Refusal& refusal : refusals) {
    SCOPED_TRACE(refusal.from + " -> " + refusal.to);
    const std::string said = told(replaced(plan, refusal.from, refusal.to));
    if (how == Said::alone || refusal.said.empty())
      EXPECT_EQ(said, refusal.said);
    else
      EXPECT_THAT(said, testing::HasSubstr(refusal.said));
  }
}

}  // namespace avrenk::test
