/// core/mesh/point_merger.h: points that lie at one spot are one.
#pragma once

#include <array>
#include <cmath>
#include <cstdint>
#include <unordered_map>
#include <vector>

#include "core/algebra.h"

namespace avrenk {

/// Numbers points; a point within `spot` of an earlier one gets its number.
class PointMerger {
 public:
  /// @param spot  m, > 0
  explicit PointMerger(double spot) : spot_(spot) {}

  /// The number of the spot, or −1.
  [[nodiscard]] int find(const Eigen::Vector3d& at) const {
    // Cells are much wider than a spot: most points are near to no border and look into one cell only.
    const Cell low = cell_of(at.array() - spot_), high = cell_of(at.array() + spot_);
    for (std::int64_t x = low[0]; x <= high[0]; ++x)
      for (std::int64_t y = low[1]; y <= high[1]; ++y)
        for (std::int64_t z = low[2]; z <= high[2]; ++z) {
          const auto [first, last] = cells_.equal_range(hash({x, y, z}));
          for (auto each = first; each != last; ++each)
            if ((points_[static_cast<std::size_t>(each->second.first)] - at).norm() <= spot_)
              return each->second.second;
        }
    return -1;
  }
  void add(const Eigen::Vector3d& at, int number) {
    cells_.emplace(hash(cell_of(at)), std::pair(static_cast<int>(points_.size()), number));
    points_.push_back(at);
  }

 private:
  using Cell = std::array<std::int64_t, 3>;
  [[nodiscard]] Cell cell_of(const Eigen::Array3d& at) const {
    const double width = 32 * spot_;
    return {std::llround(at.x() / width), std::llround(at.y() / width), std::llround(at.z() / width)};
  }
  // Different cells may share a value: the distance decides.
  static std::uint64_t hash(const Cell& cell) {
    std::uint64_t h = 0;
    for (const std::int64_t each : cell) {
      h ^= static_cast<std::uint64_t>(each) + 0x9e3779b97f4a7c15ULL + (h << 6U) + (h >> 2U);
      h *= 0xbf58476d1ce4e5b9ULL;
    }
    return h;
  }

  double spot_;
  std::vector<Eigen::Vector3d> points_;
  std::unordered_multimap<std::uint64_t, std::pair<int, int>> cells_;
};

}  // namespace avrenk
