#include "core/response/explanation.h"

#include <algorithm>
#include <cmath>

namespace avrenk {

using Eigen::Index;
using Eigen::VectorXd;

std::size_t first_largest(const VectorXd& values) {  // the first of equals is named
  std::size_t best = 0;
  for (Index k = 1; k < values.size(); ++k)
    if (values[k] > values[static_cast<Index>(best)] * (1 + 1e-9)) best = static_cast<std::size_t>(k);
  return best;
}

std::vector<std::pair<int, double>> largest_shares(const VectorXd& shares) {
  constexpr double smallest = 0.005;  // of the response, worth a place in a table
  std::vector<std::pair<int, double>> sorted;
  const auto modes = static_cast<int>(shares.size()) - 2;
  for (int r = 0; r < shares.size(); ++r)
    if (std::abs(shares[r]) >= smallest) sorted.emplace_back(r < modes ? r : modes - 1 - r, shares[r]);
  std::stable_sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.second > b.second; });
  return sorted;
}

}  // namespace avrenk
