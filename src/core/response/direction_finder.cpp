#include "core/response/direction_finder.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/algebra.h"
#include "core/dense.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;

constexpr int most_finder_steps = 100;

}  // namespace

DirectionFinder::DirectionFinder(const Channels& channels, const StressStations& stations, const CaseResponses& loads)
    : channels_(channels), stations_(stations), loads_(loads) {
  std::map<const Environment*, std::vector<std::size_t>> axes;
  for (std::size_t i = 0; i < loads.size(); ++i) {
    const Environment& environment = loads[i]->environment();
    if (environment.combination == Environment::Combination::root_sum_of_squares) axes[&environment].push_back(i);
    for (std::size_t still = 0; still < loads.size(); ++still) {
      const double many = weight_on_top(environment, loads[still]->environment());
      if (many == 0) continue;
      goals_.push_back({{i}, many, still});
      if (environment.upper != 1) goals_.push_back({{i}, many * environment.upper, still});
    }
  }
  for (auto& [environment, loads_of] : axes) goals_.push_back({std::move(loads_of)});
}

std::vector<Vector3> DirectionFinder::find(const StressPlace& place, const LoadMatrix& load,
                                           const std::vector<Vector3>& starts) const {
  const StressStation& station = stations_.all()[static_cast<std::size_t>(place.station)];
  const MatrixXd mean = stations_.rows(std::array{place.station}, channels_.strain_rows());
  const MatrixXd stress = mean * load.matrix;
  // Columns of one load that count in a direction: all of them, or of a sweep the two of the best frequency.
  const auto columns_of = [&](std::size_t i, const Eigen::RowVectorXd& normal) -> std::vector<Index> {
    const Columns& of_case = load.of_load[i];
    std::vector<Index> columns;
    if (loads_[i]->sine) {
      const Index points = of_case.count / 2;
      Index best = 0;
      (normal.segment(of_case.first, points).array().square() +
       normal.segment(of_case.first + points, points).array().square())
          .maxCoeff(&best);
      return {of_case.first + best, of_case.first + points + best};
    }
    for (Index k = 0; k < of_case.count; ++k) columns.push_back(of_case.first + k);
    return columns;
  };
  std::vector<Vector3> found;
  for (const Goal& goal : goals_) {
    double best = -1;
    Vector3 best_direction = Vector3::Zero();
    for (Vector3 n : starts) {
      double last = -1;
      for (int step = 0; step < most_finder_steps; ++step) {
        const Eigen::RowVectorXd normal =
            quantity_rows(station, place.level, StressQuantity::principal, n).row(0) * stress;
        Matrix3 weighted = Matrix3::Zero();
        double square = 0;
        for (const std::size_t i : goal.together)
          for (const Index k : columns_of(i, normal)) {
            square += normal[k] * normal[k];
            weighted += normal[k] * stress_tensor(station, place.level, stress.col(k));
          }
        double sum = goal.scale * std::sqrt(square);
        if (square > 0) weighted *= goal.scale / std::sqrt(square);
        if (goal.at_rest) {
          const Index k = load.of_load[*goal.at_rest].first;
          sum += std::abs(normal[k]);
          weighted += std::copysign(1.0, normal[k]) * stress_tensor(station, place.level, stress.col(k));
        }
        if (sum > best) {
          best = sum;
          best_direction = n;
        }
        if (sum <= last * (1 + 1e-13)) break;
        last = sum;
        n = tensor_eigen(weighted).vectors.col(2);
      }
    }
    if (best > 0) found.push_back(best_direction);
  }
  return found;
}

}  // namespace avrenk
