#include "core/mesh/footprint.h"

#include <cmath>

#include "core/quantity/quantity.h"

namespace avrenk {

using Eigen::Index;

Follower follower_of(const std::string& joint, Joint::Type type, int node, const Mixture& mixture, double gap,
                     int patch) {
  Follower follower{joint, type, node, {}, {}, gap, patch};
  follower.shares.resize(6, 6 * static_cast<Index>(mixture.size()));
  for (const auto& [lead, share] : mixture) {
    follower.shares.middleCols<6>(6 * static_cast<Index>(follower.leads.size())) = share;
    follower.leads.push_back(lead);
  }
  return follower;
}

std::vector<Vector3> ellipse(const Vector3& centre, const Vector3& first, const Vector3& second) {
  std::vector<Vector3> points;
  constexpr int count = 16;
  for (int k = 0; k < count; ++k) {
    const double angle = 2 * pi * k / count;
    points.emplace_back(centre + std::cos(angle) * first + std::sin(angle) * second);
  }
  return points;
}

Mixture footprint(const FaceSearch& carrier, std::vector<Vector3> points, const Vector3& at) {
  std::vector<Mixture> motions;
  for (Vector3& each : points) {
    const FacePoint point = carrier.nearest(each);
    motions.push_back(carrier.carry(point, point.position));
    each = point.position;
  }
  return best_fit(points, motions, std::vector<double>(points.size(), 1.0), at);
}

}  // namespace avrenk
