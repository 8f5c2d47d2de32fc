/// Rainflow counting of a record, as the standard has it.
#pragma once

#include <cmath>
#include <cstddef>
#include <vector>

namespace avrenk::test {

struct CountedCycle {
  double range = 0, count = 0;  ///< ½ or 1
};

/// Cycles of a list of reversals, ASTM E1049-85 5.4.4.
inline std::vector<CountedCycle> rainflow(const std::vector<double>& reversals) {
  std::vector<CountedCycle> cycles;
  std::vector<double> stack;
  std::size_t start = 0;  // of what is left in the stack
  for (const double each : reversals) {
    stack.push_back(each);
    while (stack.size() - start >= 3) {
      const std::size_t n = stack.size();
      const double x = std::abs(stack[n - 1] - stack[n - 2]), y = std::abs(stack[n - 2] - stack[n - 3]);
      if (x < y) break;
      if (n - 3 == start) {  // Y holds the starting point
        cycles.push_back({y, 0.5});
        ++start;
      } else {
        cycles.push_back({y, 1});
        stack.erase(stack.end() - 3, stack.end() - 1);
      }
    }
  }
  for (std::size_t k = start; k + 1 < stack.size(); ++k) cycles.push_back({std::abs(stack[k + 1] - stack[k]), 0.5});
  return cycles;
}

/// Turning points of a record in samples, each on the parabola through three of them.
inline std::vector<double> reversals_of(const std::vector<double>& samples) {
  std::vector<double> all;
  for (std::size_t k = 1; k + 1 < samples.size(); ++k) {
    const double a = samples[k - 1], b = samples[k], c = samples[k + 1];
    if ((b - a) * (c - b) > 0 || (a == b && b == c)) continue;
    const double curve = a - 2 * b + c, slope = 0.5 * (c - a);
    all.push_back(curve == 0 ? b : b - slope * slope / (2 * curve));
  }
  return all;
}

/// Σ n (S/S₁)^k of amplitudes.
inline double rainflow_sum(const std::vector<double>& samples, double strength, double slope) {
  double sum = 0;
  for (const CountedCycle& each : rainflow(reversals_of(samples)))
    sum += each.count * std::pow(0.5 * each.range / strength, slope);
  return sum;
}

}  // namespace avrenk::test
