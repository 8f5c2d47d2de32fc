/// core/excitation/steps.h: points of tables whose values jump.
#pragma once

#include <vector>

namespace avrenk {

/// Points of a table of stretches f1…f2 that follow one another, with both sides of each step, a billionth of the
/// frequency away from it. `is_step(before, after)` judges two neighbours. None of no stretches.
template <typename Stretch, typename IsStep>
[[nodiscard]] std::vector<double> beside_steps(const std::vector<Stretch>& stretches, IsStep is_step) {
  std::vector<double> values;
  for (std::size_t i = 0; i < stretches.size(); ++i) {
    if (i == 0) values.push_back(stretches[i].f1);
    const double end = stretches[i].f2;
    const bool step = i + 1 < stretches.size() && is_step(stretches[i], stretches[i + 1]);
    if (step) values.push_back(end * (1 - 1e-9));
    values.push_back(end);
    if (step) values.push_back(end * (1 + 1e-9));
  }
  return values;
}

}  // namespace avrenk
