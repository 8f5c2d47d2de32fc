#include "core/excitation/frequency_grid.h"

#include <algorithm>
#include <cmath>

#include "core/quantity/quantity.h"

namespace avrenk {

std::vector<double> frequency_grid(const GridRequest& request, const std::vector<double>& curve_points,
                                   const std::vector<std::pair<double, double>>& resonances) {
  std::vector<double> grid = request.at;
  grid.insert(grid.end(), curve_points.begin(), curve_points.end());
  const int steps = std::max(1, static_cast<int>(std::ceil(std::log2(request.to / request.from) * request.per_octave)));
  for (int i = 0; i <= steps; ++i)
    grid.push_back(i == steps ? request.to
                              : request.from * std::pow(request.to / request.from, static_cast<double>(i) / steps));
  for (int k = 1; request.every > 0 && request.from + k * request.every < request.to; ++k)
    grid.push_back(request.from + k * request.every);
  for (const auto& [frequency, ratio] : resonances)
    for (const double part : request.beside) grid.push_back(frequency * (1 + part));
  const int n = request.points_per_resonance;
  for (const auto& [frequency, ratio] : resonances) {
    for (int k = 1; k <= n; ++k) {
      const double theta = pi * (static_cast<double>(k) / (n + 1) - 0.5);
      grid.push_back(frequency * (1 + ratio * std::tan(theta)));
    }
  }
  return once_inside(std::move(grid), request.from, request.to);
}

double most_points(const GridRequest& request, std::size_t curve_points, std::size_t resonances) {
  return std::ceil(std::log2(request.to / request.from) * request.per_octave) + 1 +
         static_cast<double>(request.at.size() + curve_points) +
         (request.every > 0 ? (request.to - request.from) / request.every : 0) +
         static_cast<double>(resonances) * (request.points_per_resonance + static_cast<double>(request.beside.size()));
}

std::vector<double> once_inside(std::vector<double> all, double from, double to) {
  std::erase_if(all, [&](double f) { return !(f >= from && f <= to && f > 0); });
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end(), [](double a, double b) { return b - a < 1e-12 * b; }), all.end());
  return all;
}

}  // namespace avrenk
