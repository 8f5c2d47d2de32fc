#include "core/modes/shape_match.h"

#include <algorithm>
#define BOOST_ALLOW_DEPRECATED_HEADERS  // which its own headers include, with a message each
#include <boost/geometry.hpp>
#include <boost/geometry/index/rtree.hpp>

namespace avrenk {
namespace {

using Eigen::Index;

namespace bg = boost::geometry;
using Point = bg::model::point<double, 3, bg::cs::cartesian>;

// For each point the nearest of others, −1 where that is too far.
std::vector<Index> nearest(const Eigen::Matrix3Xd& points, const Eigen::Matrix3Xd& others, double apart) {
  std::vector<std::pair<Point, Index>> entries;
  entries.reserve(static_cast<std::size_t>(others.cols()));
  for (Index k = 0; k < others.cols(); ++k) entries.emplace_back(Point(others(0, k), others(1, k), others(2, k)), k);
  const bg::index::rtree<std::pair<Point, Index>, bg::index::rstar<8>> tree(entries);
  std::vector<Index> found;
  found.reserve(static_cast<std::size_t>(points.cols()));
  for (Index k = 0; k < points.cols(); ++k) {
    std::vector<std::pair<Point, Index>> one;
    tree.query(bg::index::nearest(Point(points(0, k), points(1, k), points(2, k)), 1), std::back_inserter(one));
    const bool near = !one.empty() && (others.col(one[0].second) - points.col(k)).norm() <= apart;
    found.push_back(near ? one[0].second : -1);
  }
  return found;
}

}  // namespace

ShapeMatch match_shapes(const SampledModes& first, const SampledModes& second, double apart) {
  ShapeMatch match;
  const std::vector<Index> other = nearest(first.points, second.points, apart);
  std::vector<Index> here, there;
  double used = 0;
  for (std::size_t k = 0; k < other.size(); ++k) {
    if (other[k] < 0) continue;
    here.push_back(static_cast<Index>(k));
    there.push_back(other[k]);
    used += first.mass.col(static_cast<Index>(k)).head<3>().sum();
    match.farthest = std::max(match.farthest, (second.points.col(other[k]) - first.points.col(here.back())).norm());
  }
  const double all_mass = first.mass.topRows<3>().sum();
  match.points_used = all_mass > 0 ? used / all_mass : 0;
  const auto sampled = [&](const SampledModes& modes, const std::vector<Index>& which) {
    Eigen::MatrixXd all(6 * static_cast<Index>(which.size()), static_cast<Index>(modes.motions.size()));
    for (Index r = 0; r < all.cols(); ++r)
      for (std::size_t k = 0; k < which.size(); ++k)
        all.block<6, 1>(6 * static_cast<Index>(k), r) =
            first.mass.col(here[k]).cwiseSqrt().cwiseProduct(modes.motions[static_cast<std::size_t>(r)].col(which[k]));
    all.array().rowwise() /= all.colwise().norm().array().max(1e-300);
    return all;
  };
  match.assurance = (sampled(first, here).transpose() * sampled(second, there)).cwiseAbs2();
  match.partner.assign(first.motions.size(), -1);
  std::vector<std::pair<double, std::pair<Index, Index>>> pairs;
  for (Index i = 0; i < match.assurance.rows(); ++i)
    for (Index j = 0; j < match.assurance.cols(); ++j)
      if (match.assurance(i, j) >= least_assurance) pairs.push_back({-match.assurance(i, j), {i, j}});
  std::sort(pairs.begin(), pairs.end());
  std::vector<bool> taken(second.motions.size(), false);
  for (const auto& [assurance, pair] : pairs) {
    int& partner = match.partner[static_cast<std::size_t>(pair.first)];
    if (partner >= 0 || taken[static_cast<std::size_t>(pair.second)]) continue;
    partner = static_cast<int>(pair.second);
    taken[static_cast<std::size_t>(pair.second)] = true;
  }
  return match;
}

}  // namespace avrenk
