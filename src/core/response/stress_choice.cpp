// Which places of a survey matter.
#include <algorithm>
#include <map>
#include <set>

#include "core/response/stress_survey.h"

namespace avrenk {

std::vector<StressPlace> largest_places(const Eigen::Matrix3Xd& value, const StressStations& stations,
                                        const std::vector<int>& parts, std::size_t most) {
  std::vector<StressPlace> places;
  for (const int part : parts) {
    const auto [from, to] = stations.of_part(part);
    for (std::size_t s = from; s < to; ++s)
      for (int level = 0; level < levels_of(stations.all()[s]); ++level) places.push_back({static_cast<int>(s), level});
  }
  const auto order = [&](const StressPlace& a, const StressPlace& b) {
    const double va = value(a.level, a.station), vb = value(b.level, b.station);
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

std::vector<StressPlace> candidate_places(const StressSurvey& survey, const StressStations& stations,
                                          const std::vector<int>& parts, std::size_t most) {
  std::set<StressPlace> all;
  const auto take = [&](const Eigen::Matrix3Xd& value) {
    for (const StressPlace& place : largest_places(value, stations, parts, most)) all.insert(place);
  };
  std::map<const Environment*, Eigen::Matrix3Xd> squares;
  for (const StressField& field : survey.fields) {
    take(field.value);
    const Environment& environment = *field.load.environment;
    if (environment.combination == Environment::Combination::root_sum_of_squares) {
      auto [sum, fresh] = squares.try_emplace(&environment, Eigen::Matrix3Xd::Zero(3, field.value.cols()));
      sum->second.array() += field.value.array().square();
    }
    for (const StressField& still : survey.fields)
      if (still.load.environment->name == environment.after) take(field.value + still.value);
  }
  for (const auto& [environment, sum] : squares) take(sum);
  return {all.begin(), all.end()};
}

}  // namespace avrenk
