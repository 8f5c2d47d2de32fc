// Which places of a survey matter.
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "core/response/stress_survey.h"

namespace avrenk {

void add(StressSurvey& known, StressSurvey&& more) {
  for (StressField& field : more.fields) known.fields.push_back(std::move(field));
  known.shortfall = std::max(known.shortfall, more.shortfall);
  for (auto& [place, directions] : more.directions) {
    std::vector<Vector3>& all = known.directions[place];
    all.insert(all.end(), directions.begin(), directions.end());
  }
}

std::vector<StressPlace> largest_places(const Eigen::Matrix3Xd& value, const StressStations& stations,
                                        const std::vector<int>& parts, std::size_t most) {
  std::vector<StressPlace> places;
  for (const int part : parts) {
    const auto [from, to] = stations.of_part(part);
    for (std::size_t s = from; s < to; ++s)
      for (int level = 0; level < levels_of(stations.all()[s]); ++level)
        if (!std::isnan(value(level, static_cast<Eigen::Index>(s)))) places.push_back({static_cast<int>(s), level});
  }
  const auto order = [&](const StressPlace& a, const StressPlace& b) {
    const double va = std::abs(value(a.level, a.station)), vb = std::abs(value(b.level, b.station));
    return va != vb ? va > vb : a < b;
  };
  const std::size_t kept = std::min(most, places.size());
  std::partial_sort(places.begin(), places.begin() + static_cast<std::ptrdiff_t>(kept), places.end(), order);
  places.resize(kept);
  return places;
}

const WorstStress* StressField::worst_of(const StressStations& stations, int part) const {
  for (const WorstStress& each : worst)
    if (stations.all()[static_cast<std::size_t>(each.place.station)].part == part) return &each;
  return nullptr;
}

double weight_on_top(const Environment& load, const Environment& at_rest) {
  if (!at_rest.is_static()) return 0;
  if (load.is_static()) return 0;
  return load.is_random() ? 3 : 1;
}

std::vector<StressPlace> candidate_places(const StressSurvey& survey, const StressStations& stations,
                                          const StressDemand& demand, std::size_t most) {
  std::set<StressPlace> places;
  const auto take = [&](const Eigen::Matrix3Xd& value) {
    for (const StressPlace& place : largest_places(value, stations, demand.parts, most)) places.insert(place);
  };
  std::map<const Environment*, Eigen::Matrix3Xd> squares;
  for (const StressField& field : survey.fields) {
    if (field.quantity != demand.quantity) continue;
    take(field.value);
    const Environment& environment = *field.excitation->environment;
    if (environment.combination == Environment::Combination::root_sum_of_squares) {
      auto [sum, fresh] = squares.try_emplace(&environment, Eigen::Matrix3Xd::Zero(3, field.value.cols()));
      sum->second.array() += field.value.array().square();
    }
    for (const StressField& still : survey.fields)
      if (const double many = weight_on_top(environment, *still.excitation->environment);
          still.quantity == demand.quantity && many > 0)
        take(many * field.value.cwiseAbs() + still.value.cwiseAbs());
  }
  for (const auto& [environment, sum] : squares) take(sum);
  return {places.begin(), places.end()};
}

std::vector<Vector3> candidate_directions(const StressSurvey& survey, const StressPlace& place) {
  std::vector<Vector3> directions;
  const auto take = [&](const Vector3& direction) {
    const bool known = std::any_of(directions.begin(), directions.end(),
                                   [&](const Vector3& each) { return each.cross(direction).norm() < 1e-9; });
    if (!known && direction.allFinite()) directions.push_back(direction);
  };
  for (const StressField& field : survey.fields)
    if (field.quantity == StressQuantity::principal) take(field.direction_at(place));
  if (const auto together = survey.directions.find(place); together != survey.directions.end())
    for (const Vector3& direction : together->second) take(direction);
  return directions;
}

}  // namespace avrenk
