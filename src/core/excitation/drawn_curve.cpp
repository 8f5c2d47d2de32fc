#include "core/excitation/drawn_curve.h"

#include <algorithm>
#include <cmath>

namespace avrenk {
namespace {

bool is_power_law(const PowerLaw& law) { return law.v1 > 0 && law.v2 > 0; }
double value_of(const PowerLaw& law, double f) {
  return is_power_law(law) ? law.at(f) : std::lerp(law.v1, law.v2, (f - law.f1) / (law.f2 - law.f1));
}
double area_of(const PowerLaw& law) {
  return is_power_law(law) ? law.moment(0) : 0.5 * (law.v1 + law.v2) * (law.f2 - law.f1);
}

}  // namespace

DrawnCurve::DrawnCurve(std::span<const double> grid, std::span<const double> values)
    : grid_(grid), values_(values), areas_{0} {
  areas_.reserve(grid.size());
  for (std::size_t k = 0; k + 1 < grid.size(); ++k) areas_.push_back(areas_.back() + area_of(stretch(k)));
}

std::size_t DrawnCurve::stretch_at(double frequency) const {
  const auto next = std::upper_bound(grid_.begin(), grid_.end(), frequency);
  return static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(next - grid_.begin() - 1, 0, std::ssize(grid_) - 2));
}

double DrawnCurve::at(double frequency) const {
  if (frequency < grid_.front() || frequency > grid_.back()) return 0;
  const std::size_t k = stretch_at(frequency);
  // A point itself is what it is, not what a power makes of it.
  for (const std::size_t end : {k, k + 1})
    if (frequency == grid_[end]) return values_[end];
  return value_of(stretch(k), frequency);
}

double DrawnCurve::area_to(double frequency) const {
  const double f = std::clamp(frequency, grid_.front(), grid_.back());
  const std::size_t k = stretch_at(f);
  if (!(f > grid_[k])) return areas_[k];
  PowerLaw part = stretch(k);
  part.v2 = value_of(part, f);
  part.f2 = f;
  return areas_[k] + area_of(part);
}

}  // namespace avrenk
