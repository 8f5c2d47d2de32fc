#include "core/assess/equipment.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/excitation/drawn_curve.h"

namespace avrenk {
namespace {

std::vector<double> curve_of(const Outcome& outcome, std::size_t watched) {
  if (const RandomAnswers* random = outcome.random()) return random->rows[watched].psd;
  const Eigen::MatrixXcd& curve = outcome.sine()->rows[watched].curve;
  std::vector<double> values;
  for (Eigen::Index k = 0; k < curve.cols(); ++k) values.push_back(largest_over_phase(curve.col(k)));
  return values;
}

}  // namespace

std::vector<EquipmentLevel> equipment_levels(const std::vector<EquipmentRequest>& requests,
                                             const std::vector<Outcome>& outcomes,
                                             const std::vector<Watched>& watched) {
  std::vector<EquipmentLevel> levels;
  for (const EquipmentRequest& request : requests) {
    const Watched* const what = find_watched(watched, request.of);
    if (!what) continue;
    const auto index = static_cast<std::size_t>(what - watched.data());
    EquipmentLevel level{&request, what->quantity->kind, false, {}, {}, {}, {}};
    std::vector<const Outcome*> cases;
    for (const Outcome& outcome : outcomes) {
      const auto is_meant = [&](const std::string& name) {
        return name == outcome.environment().name || name == outcome.name();
      };
      if (outcome.grid().empty() || !outcome.has(*what) ||
          std::none_of(request.environments.begin(), request.environments.end(), is_meant))
        continue;
      level.random = outcome.random() != nullptr;
      cases.push_back(&outcome);
      level.cases.push_back(outcome.name());
      level.grid.insert(level.grid.end(), outcome.grid().begin(), outcome.grid().end());
    }
    if (cases.empty()) continue;
    level.grid = once_inside(std::move(level.grid), 0, HUGE_VAL);
    level.largest.assign(level.grid.size(), 0);
    for (const Outcome* outcome : cases) {
      const std::vector<double> values = curve_of(*outcome, index);
      const DrawnCurve curve(outcome->grid(), values);
      for (std::size_t k = 0; k < level.grid.size(); ++k)
        level.largest[k] = std::max(level.largest[k], curve.at(level.grid[k]));
    }
    const double decibels = level.random ? 10 : 20;
    try {
      level.envelope = straight_envelope(
          level.grid, level.largest,
          {level.random ? request.octaves : 0, std::pow(10, request.margin / decibels), request.points, decibels});
    } catch (const InputError& error) {
      refuse("equipment level " + request.name, error.problems.front().wrong, error.problems.front().instead);
    }
    levels.push_back(std::move(level));
  }
  return levels;
}

}  // namespace avrenk
