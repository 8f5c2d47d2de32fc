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

std::vector<ModePair> largest_pairs(const Eigen::MatrixXd& pairs) {
  constexpr double smallest = 0.01;
  constexpr std::size_t most = 6;
  std::vector<ModePair> sorted;
  const auto modes = static_cast<int>(pairs.rows()) - 2;
  const auto number = [&](int r) { return r < modes ? r : modes - 1 - r; };
  for (int s = 0; s < pairs.cols(); ++s)
    for (int r = 0; r <= s; ++r)
      if (const double share = (r == s ? 1 : 2) * pairs(r, s); std::abs(share) >= smallest)
        sorted.push_back({number(r), number(s), share});
  std::stable_sort(sorted.begin(), sorted.end(),
                   [](const ModePair& a, const ModePair& b) { return std::abs(a.share) > std::abs(b.share); });
  if (sorted.size() > most) sorted.resize(most);
  return sorted;
}

const Eigen::MatrixXcd& CoupledStates::at(double frequency) {
  for (const auto& [known, state] : states_)
    if (std::abs(known - frequency) <= 1e-9 * frequency) return state;
  states_.emplace_back(frequency, coupled_.state(frequency));
  return states_.back().second;
}

}  // namespace avrenk
