#include "core/assess/equipment.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/error.h"
#include "core/excitation/drawn_curve.h"
#include "core/response/on_random.h"

namespace avrenk {
namespace {

std::vector<double> curve_of(const CaseResults& outcome, std::size_t watched) {
  if (const RandomAnswers* random = outcome.random()) {
    const RandomRow& row = random->rows[watched];
    return row.of_place.empty() ? row.psd : row.of_place;
  }
  const SineRow& row = outcome.sine()->rows[watched];
  if (!row.of_place.empty()) return row.of_place;
  const Eigen::MatrixXcd& curve = row.curve;
  std::vector<double> values;
  for (Eigen::Index k = 0; k < curve.cols(); ++k) values.push_back(largest_over_phase(curve.col(k)));
  return values;
}

}  // namespace

bool goes_into(const EquipmentRequest& request, const CaseResults& outcome, const Output& watched) {
  return !outcome.grid().empty() && outcome.has(watched) && outcome.excitation->is_among(request.environments);
}

std::vector<EquipmentLevel> equipment_levels(const std::vector<EquipmentRequest>& requests,
                                             const std::vector<CaseResults>& outcomes,
                                             const std::vector<Output>& watched) {
  std::vector<EquipmentLevel> levels;
  for (const EquipmentRequest& request : requests) {
    const Output* const what = find_output(watched, request.of);
    if (!what) continue;
    const auto index = static_cast<std::size_t>(what - watched.data());
    EquipmentLevel level{&request, what->quantity->kind, false, {}, {}, {}, {}};
    std::vector<const CaseResults*> cases;
    for (const CaseResults& outcome : outcomes) {
      if (!goes_into(request, outcome, *what) || is_replaced(*outcome.excitation, outcomes)) continue;
      level.random = outcome.random() != nullptr;
      cases.push_back(&outcome);
      level.cases.push_back(outcome.name());
      const auto add = [&](const std::vector<double>& grid) {
        level.grid.insert(level.grid.end(), grid.begin(), grid.end());
      };
      add(outcome.grid());
      const CaseResults* const below = outcome.random() ? acts_on(outcome, outcomes) : nullptr;
      if (!below) continue;
      level.cases.back() += " on " + below->name();
      add(below->grid());
    }
    if (cases.empty()) continue;
    level.grid = once_inside(std::move(level.grid), 0, HUGE_VAL);
    level.largest.assign(level.grid.size(), 0);
    for (const CaseResults* outcome : cases) {
      const std::vector<double> values = curve_of(*outcome, index);
      std::vector<double> below_values;
      std::vector<DrawnCurve> curves{{outcome->grid(), values}};
      if (const CaseResults* const below = outcome->random() ? acts_on(*outcome, outcomes) : nullptr) {
        below_values = curve_of(*below, index);
        curves.emplace_back(below->grid(), below_values);
      }
      for (std::size_t k = 0; k < level.grid.size(); ++k) {
        double sum = 0;
        for (const DrawnCurve& curve : curves) sum += curve.at(level.grid[k]);
        level.largest[k] = std::max(level.largest[k], sum);
      }
    }
    const double decibels = level.random ? 10 : 20;
    try {
      level.envelope = straight_envelope(
          level.grid, level.largest,
          {level.random ? request.octaves : 0, std::pow(10, request.margin / decibels), request.points, decibels});
    } catch (const InputError& error) {
      throw_input_error("equipment level " + request.name, error.problems.front().wrong, error.problems.front().remedy);
    }
    levels.push_back(std::move(level));
  }
  return levels;
}

}  // namespace avrenk
