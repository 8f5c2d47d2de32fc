/// results/test_sheets.h: what the conductor of a test is handed: a page for each axis and level.
#pragma once

#include "analysis/analysis.h"
#include "figures/report.h"

namespace avrenk {

/// A page and the case that it is of.
struct TestSheet {
  std::string name;  ///< "sine.x"
  Report page;
};

/// Of every case of motion of the base along one axis that was run, what is applied where its input is notched: the
/// input with its tolerance, what each accelerometer will read, what the vibrator has to give, and what to look for
/// before and after. Empty unless the plan asks for them.
[[nodiscard]] std::vector<TestSheet> test_sheets_of(const Analysis& analysis, const std::string& date);

}  // namespace avrenk
