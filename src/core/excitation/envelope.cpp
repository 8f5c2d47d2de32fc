#include "core/excitation/envelope.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/error.h"
#include "core/excitation/drawn_curve.h"

namespace avrenk {
namespace {

constexpr std::pair<std::string_view, double> widths[] = {
    {"none", 0}, {"sixth octave", 1.0 / 6}, {"third octave", 1.0 / 3}, {"octave", 1}};

struct Corner {
  double x = 0, y = 0;  // ln f, ln level
};

double line_at(const Corner& a, const Corner& b, double x) { return a.y + (b.y - a.y) * (x - a.x) / (b.x - a.x); }
// Of a polygon without its sign.
double polygon_area(std::initializer_list<Corner> corners) {
  double twice = 0;
  const Corner* before = corners.end() - 1;
  for (const Corner& each : corners) {
    twice += before->x * each.y - each.x * before->y;
    before = &each;
  }
  return 0.5 * std::abs(twice);
}

// A way to have one corner less, and the area that it adds.
struct Removal {
  double area = std::numeric_limits<double>::infinity();
  std::size_t from = 0, count = 0;  // corners that go
  std::vector<Corner> instead;
};

// Takes corner i out, 0 < i < n − 1.
Removal removal_of(const std::vector<Corner>& c, std::size_t i) {
  const Corner &left = c[i - 1], &own = c[i], &right = c[i + 1];
  if (line_at(left, right, own.x) >= own.y) return {polygon_area({left, own, right}), i, 1, {}};
  // No corner rises above the highest of the three: lines that go on from a steep flank would make a spire.
  const double highest = std::max({left.y, own.y, right.y});
  Removal best;
  const auto take = [&](Removal&& other) {
    const bool is_spire = std::any_of(other.instead.begin(), other.instead.end(),
                                      [&](const Corner& corner) { return corner.y > highest + 1e-12; });
    if (!is_spire && other.area < best.area) best = std::move(other);
  };
  // What is added beside a neighbour that is raised.
  const auto beside_right = [&](const Corner& raised) {
    return i + 2 < c.size() ? polygon_area({right, raised, c[i + 2]}) : 0;
  };
  const auto beside_left = [&](const Corner& raised) { return i > 1 ? polygon_area({left, raised, c[i - 2]}) : 0; };
  // The line from one neighbour through this corner goes on to above the other one.
  const Corner high_right{right.x, line_at(left, own, right.x)}, high_left{left.x, line_at(own, right, left.x)};
  take({polygon_area({own, high_right, right}) + beside_right(high_right), i, 2, {high_right}});
  take({polygon_area({own, high_left, left}) + beside_left(high_left), i - 1, 2, {high_left}});
  // Both neighbours are raised to this corner.
  const Corner flat_left{left.x, std::max(left.y, own.y)}, flat_right{right.x, std::max(right.y, own.y)};
  take({polygon_area({left, flat_left, own}) + polygon_area({own, flat_right, right}) + beside_left(flat_left) +
            beside_right(flat_right),
        i - 1,
        3,
        {flat_left, flat_right}});
  return best;
}

}  // namespace

double rounded_up(double value, int digits) {
  const double unit = std::pow(10, std::floor(std::log10(value) + 1e-12) + 1 - digits), count = value / unit;
  const double nearest = std::round(count);
  return (std::abs(count - nearest) < 1e-9 * nearest ? nearest : std::ceil(count)) * unit;
}

std::vector<std::string> octave_words() {
  std::vector<std::string> words;
  for (const auto& [word, octaves] : widths) words.emplace_back(word);
  return words;
}

std::optional<double> octaves_of(std::string_view word) {
  for (const auto& [known, octaves] : widths)
    if (known == word) return octaves;
  return std::nullopt;
}

std::vector<double> averaged_over_octaves(std::span<const double> grid, std::span<const double> psd, double octaves) {
  const DrawnCurve curve(grid, psd);
  const double half = std::exp2(0.5 * octaves);
  std::vector<double> all;
  all.reserve(grid.size());
  for (const double f : grid) {
    const double from = std::max(f / half, grid.front()), to = std::min(f * half, grid.back());
    all.push_back((curve.area_to(to) - curve.area_to(from)) / (to - from));
  }
  return all;
}

Envelope straight_envelope(std::span<const double> grid, std::span<const double> values,
                           const EnvelopeRequest& request) {
  if (grid.size() < 2) throw_input_error("", "the curve has fewer than two points", "give at least two");
  if (request.points < 2) throw_input_error("", "an envelope has two points at least", "ask for 2 or more");
  Envelope envelope;
  envelope.averaged.assign(values.begin(), values.end());
  if (request.octaves > 0) envelope.averaged = averaged_over_octaves(grid, values, request.octaves);
  const double largest = *std::max_element(envelope.averaged.begin(), envelope.averaged.end());
  if (!(largest > 0)) throw_input_error("", "the curve is zero everywhere", "nothing has to be enveloped");
  constexpr double floor = 1e-12;  // of the largest
  std::vector<Corner> corners;
  corners.reserve(grid.size());
  for (std::size_t k = 0; k < grid.size(); ++k)
    corners.push_back({std::log(grid[k]), std::log(request.factor * std::max(envelope.averaged[k], floor * largest))});
  std::vector<Removal> removals(corners.size());
  for (std::size_t i = 1; i + 1 < corners.size(); ++i) removals[i] = removal_of(corners, i);
  constexpr double nothing = 1e-12;  // a corner on a straight line
  for (;;) {
    const auto best = std::min_element(removals.begin(), removals.end(),
                                       [](const Removal& a, const Removal& b) { return a.area < b.area; });
    if (corners.size() <= 2 || (corners.size() <= static_cast<std::size_t>(request.points) && best->area > nothing))
      break;
    const Removal chosen = *best;
    const auto from = static_cast<std::ptrdiff_t>(chosen.from), count = static_cast<std::ptrdiff_t>(chosen.count);
    corners.erase(corners.begin() + from, corners.begin() + from + count);
    corners.insert(corners.begin() + from, chosen.instead.begin(), chosen.instead.end());
    removals.erase(removals.begin() + from, removals.begin() + from + count);
    removals.insert(removals.begin() + from, chosen.instead.size(), Removal{});
    const std::size_t fewer = chosen.count - chosen.instead.size();
    // What stands around has other neighbours now, and the corners behind other numbers.
    for (std::size_t i = 0; i < corners.size(); ++i) {
      const bool near = i + 4 > chosen.from && i < chosen.from + 4;
      if (i == 0 || i + 1 == corners.size())
        removals[i] = {};
      else if (near)
        removals[i] = removal_of(corners, i);
      else if (i >= chosen.from)
        removals[i].from -= fewer;
    }
  }
  std::vector<Breakpoint> points;
  points.reserve(corners.size());
  for (const Corner& each : corners) points.push_back({std::exp(each.x), rounded_up(std::exp(each.y)), {}});
  points.front().frequency = grid.front();
  points.back().frequency = grid.back();
  envelope.table = LogLogTable(points, request.decibel_factor);
  for (std::size_t k = 0; k < grid.size(); ++k) {
    const double above = request.decibel_factor * std::log10(request.factor * values[k] / envelope.table.at(grid[k]));
    if (above > envelope.clipped) {
      envelope.clipped = above;
      envelope.clipped_at = grid[k];
    }
  }
  return envelope;
}

}  // namespace avrenk
