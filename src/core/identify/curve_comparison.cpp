#include "core/identify/curve_comparison.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace avrenk {
namespace {

using Complex = std::complex<double>;

// Straight between the points of a curve. @pre inside
template <typename Value>
Value between_points(const std::vector<double>& grid, const std::vector<Value>& values, double f) {
  const auto above = std::upper_bound(grid.begin(), grid.end(), f);
  if (above == grid.end()) return values.back();
  const auto k = std::max<std::size_t>(static_cast<std::size_t>(above - grid.begin()), 1);
  const double t = (f - grid[k - 1]) / (grid[k] - grid[k - 1]);
  return values[k - 1] + t * (values[k] - values[k - 1]);
}

}  // namespace

double ratio_in_decibels(double ratio, bool is_psd) { return (is_psd ? 10 : 20) * std::log10(ratio); }

std::vector<ResponsePeak> response_peaks(const ResponseCurve& curve, std::span<const double> input,
                                         std::span<const StartingMode> under) {
  std::vector<double> magnitude = curve.magnitude;
  std::vector<Complex> response = curve.response;
  for (std::size_t k = 0; k < magnitude.size(); ++k) {
    const double scale = input.empty() ? 1 : 1 / input[k];
    magnitude[k] = curve.is_psd ? std::sqrt(magnitude[k] * scale) : magnitude[k] * scale;
    if (!response.empty()) response[k] *= scale;
  }
  std::vector<ResponsePeak> peaks;
  for (const CurveMode& mode :
       response.empty() ? fit_magnitude(curve.grid, magnitude) : fit_response(curve.grid, response, under))
    peaks.push_back({curve.grid[mode.peak], curve.magnitude[mode.peak], mode});
  return peaks;
}

std::vector<std::pair<std::size_t, std::size_t>> pair_peaks(std::span<const double> first,
                                                            std::span<const double> second) {
  struct Near {
    double distance;
    std::size_t i, j;
  };
  std::vector<Near> nears;
  const double farthest = std::log(1.2);
  for (std::size_t i = 0; i < first.size(); ++i)
    for (std::size_t j = 0; j < second.size(); ++j)
      if (const double distance = std::abs(std::log(second[j] / first[i])); distance <= farthest)
        nears.push_back({distance, i, j});
  std::stable_sort(nears.begin(), nears.end(), [](const Near& a, const Near& b) { return a.distance < b.distance; });
  std::vector<bool> first_taken(first.size()), second_taken(second.size());
  std::vector<std::pair<std::size_t, std::size_t>> pairs;
  for (const auto& [distance, i, j] : nears) {
    if (first_taken[i] || second_taken[j]) continue;
    first_taken[i] = second_taken[j] = true;
    pairs.emplace_back(i, j);
  }
  std::sort(pairs.begin(), pairs.end());
  return pairs;
}

std::optional<Likeness> likeness(const ResponseCurve& first, const ResponseCurve& second) {
  if (first.grid.empty() || second.grid.empty()) return std::nullopt;
  Likeness alike;
  alike.from = std::max(first.grid.front(), second.grid.front());
  alike.to = std::min(first.grid.back(), second.grid.back());
  if (!(alike.from < alike.to)) return std::nullopt;
  std::vector<double> points{alike.from, alike.to};
  for (const std::vector<double>* const grid : {&first.grid, &second.grid})
    for (const double f : *grid)
      if (f > alike.from && f < alike.to) points.push_back(f);
  std::sort(points.begin(), points.end());
  points.erase(std::unique(points.begin(), points.end()), points.end());

  const bool phases = !first.response.empty() && !second.response.empty();
  std::array<double, 2> squares{}, of_phases{};
  Complex both{};
  for (std::size_t k = 0; k < points.size(); ++k) {
    const double below = k > 0 ? points[k] - points[k - 1] : 0,
                 above = k + 1 < points.size() ? points[k + 1] - points[k] : 0, width = 0.5 * (below + above);
    const auto square = [&](const ResponseCurve& curve) {
      const double value = between_points(curve.grid, curve.magnitude, points[k]);
      return curve.is_psd ? value : value * value;
    };
    squares[0] += width * square(first);
    squares[1] += width * square(second);
    if (!phases) continue;
    const Complex a = between_points(first.grid, first.response, points[k]),
                  b = between_points(second.grid, second.response, points[k]);
    of_phases[0] += width * std::norm(a);
    of_phases[1] += width * std::norm(b);
    both += width * std::conj(a) * b;
  }
  if (!(squares[0] > 0) || !(squares[1] > 0)) return std::nullopt;
  alike.level = ratio_in_decibels(squares[1] / squares[0], true);
  alike.assurance = phases ? std::norm(both) / (of_phases[0] * of_phases[1]) : std::nan("");
  return alike;
}

}  // namespace avrenk
