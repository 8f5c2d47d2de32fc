#include "core/mesh/face.h"
#include "core/dense.h"
#include "core/element/discrete.h"
#include "core/element/kinds.h"

#include <algorithm>
#define BOOST_ALLOW_DEPRECATED_HEADERS  // which its own headers include, with a message each
#include <boost/geometry.hpp>
#include <boost/geometry/index/rtree.hpp>
#include <cmath>

namespace avrenk {

using Eigen::Index;
using Eigen::Vector2d;

namespace {

FaceFunctions sized(std::size_t nodes) {
  FaceFunctions f;
  f.value.resize(static_cast<Index>(nodes));
  f.slope.resize(2, static_cast<Index>(nodes));
  return f;
}

FaceFunctions triangle(std::size_t nodes, const Vector2d& at) {
  FaceFunctions f = sized(nodes);
  const Eigen::Vector3d area(1 - at.x() - at.y(), at.x(), at.y());
  Eigen::Matrix<double, 2, 3> slope;
  slope << -1, 1, 0, -1, 0, 1;
  for (Index i = 0; i < 3; ++i) {
    if (nodes == 3) {
      f.value[i] = area[i];
      f.slope.col(i) = slope.col(i);
      continue;
    }
    const Index next = (i + 1) % 3;
    f.value[i] = area[i] * (2 * area[i] - 1);
    f.slope.col(i) = (4 * area[i] - 1) * slope.col(i);
    f.value[3 + i] = 4 * area[i] * area[next];
    f.slope.col(3 + i) = 4 * (area[next] * slope.col(i) + area[i] * slope.col(next));
  }
  return f;
}

FaceFunctions quadrilateral(std::size_t nodes, const Vector2d& at) {
  FaceFunctions f = sized(nodes);
  constexpr double corner_x[] = {-1, 1, 1, -1}, corner_y[] = {-1, -1, 1, 1};
  const double x = at.x(), y = at.y();
  for (Index i = 0; i < 4; ++i) {
    const double cx = corner_x[i], cy = corner_y[i], a = 1 + cx * x, b = 1 + cy * y;
    if (nodes == 4) {
      f.value[i] = 0.25 * a * b;
      f.slope.col(i) << 0.25 * cx * b, 0.25 * a * cy;
      continue;
    }
    const double c = cx * x + cy * y - 1;
    f.value[i] = 0.25 * a * b * c;
    f.slope.col(i) << 0.25 * cx * b * (c + a), 0.25 * cy * a * (c + b);
    if (i % 2 == 0) {  // edges along x
      f.value[4 + i] = 0.5 * (1 - x * x) * b;
      f.slope.col(4 + i) << -x * b, 0.5 * (1 - x * x) * cy;
    } else {
      const double side = corner_x[i];
      f.value[4 + i] = 0.5 * (1 + side * x) * (1 - y * y);
      f.slope.col(4 + i) << 0.5 * side * (1 - y * y), -y * (1 + side * x);
    }
  }
  return f;
}

bool is_triangle(std::size_t nodes) { return nodes == 3 || nodes == 6; }

bool inside(std::size_t nodes, const Vector2d& at) {
  constexpr double slack = 1e-9;
  return is_triangle(nodes) ? at.minCoeff() >= -slack && at.sum() <= 1 + slack : at.cwiseAbs().maxCoeff() <= 1 + slack;
}

// Along edge i of a face, s from 0 to 1.
Vector2d on_edge(std::size_t nodes, std::size_t edge, double s) {
  if (is_triangle(nodes)) {
    const Vector2d corners[] = {{0, 0}, {1, 0}, {0, 1}};
    return (1 - s) * corners[edge] + s * corners[(edge + 1) % 3];
  }
  const Vector2d corners[] = {{-1, -1}, {1, -1}, {1, 1}, {-1, 1}};
  return (1 - s) * corners[edge] + s * corners[(edge + 1) % 4];
}

}  // namespace

FaceFunctions face_functions(std::size_t nodes, const Vector2d& at) {
  return is_triangle(nodes) ? triangle(nodes, at) : quadrilateral(nodes, at);
}

void add(Mixture& sum, double weight, const Mixture& other) {
  for (const auto& [node, share] : other) {
    const auto [place, fresh] = sum.try_emplace(node, weight * share);
    if (!fresh) place->second += weight * share;
  }
}

namespace geometry = boost::geometry;
using TreePoint = geometry::model::point<double, 3, geometry::cs::cartesian>;
using TreeBox = geometry::model::box<TreePoint>;

struct FaceSearch::Tree {
  geometry::index::rtree<std::pair<TreeBox, std::size_t>, geometry::index::quadratic<16>> boxes;
};

FaceSearch::FaceSearch(const Assembly& assembly, const Surface& surface, const std::vector<int>& parts)
    : assembly_(assembly), surface_(surface), tree_(std::make_unique<Tree>()) {
  std::vector<std::pair<TreeBox, std::size_t>> all;
  const auto point = [](const Vector3& x) { return TreePoint(x.x(), x.y(), x.z()); };
  for (std::size_t f = 0; f < surface.faces.size(); ++f) {
    if (std::find(parts.begin(), parts.end(), surface.faces[f].part) == parts.end()) continue;
    Eigen::AlignedBox3d aligned_box3d;
    for (const int node : surface.faces[f].nodes) aligned_box3d.extend(assembly.position(node));
    // Faces with middle nodes may bulge beyond them, by less than their own size.
    if (surface.faces[f].nodes.size() > 4) {
      const double bulge = 0.15 * aligned_box3d.diagonal().norm();
      aligned_box3d.extend((aligned_box3d.min().array() - bulge).matrix().eval());
      aligned_box3d.extend((aligned_box3d.max().array() + bulge).matrix().eval());
    }
    all.emplace_back(TreeBox(point(aligned_box3d.min()), point(aligned_box3d.max())), f);
    box_.extend(aligned_box3d);
  }
  tree_->boxes = decltype(tree_->boxes)(all.begin(), all.end());
}

FaceSearch::~FaceSearch() = default;

bool FaceSearch::empty() const { return tree_->boxes.empty(); }

FacePoint FaceSearch::project(std::size_t index, const Vector3& x) const {
  const Surface::Face& face = surface_.faces[index];
  const std::size_t n = face.nodes.size();
  const auto corners = static_cast<std::size_t>(face.corners);
  Eigen::Matrix3Xd nodes(3, static_cast<Index>(n));
  for (std::size_t i = 0; i < n; ++i) nodes.col(static_cast<Index>(i)) = assembly_.position(face.nodes[i]);
  FacePoint point;
  point.face = index;
  // Gauss–Newton on the distance, from the middle.
  Vector2d at = is_triangle(n) ? Vector2d(1.0 / 3, 1.0 / 3) : Vector2d::Zero();
  constexpr int most = 30;
  bool found = false;
  for (int step = 0; step < most && !found; ++step) {
    const FaceFunctions f = face_functions(n, at);
    const Vector3 apart = x - nodes * f.value;
    const Eigen::Matrix<double, 3, 2> tangent = nodes * f.slope.transpose();
    const Vector2d change =
        Eigen::Matrix2d(tangent.transpose() * tangent).inverse() * Vector2d(tangent.transpose() * apart);
    at += change;
    found = change.norm() < 1e-12;
    if (at.norm() > 20) break;  // far outside
  }
  point.at = at;
  if (!inside(n, at)) {  // the nearest point of the nearest edge
    double best = std::numeric_limits<double>::infinity();
    for (std::size_t edge = 0; edge < corners; ++edge) {
      const auto squared = [&](double s) {
        return (x - nodes * face_functions(n, on_edge(n, edge, s)).value).squaredNorm();
      };
      const Vector3 from = nodes.col(static_cast<Index>(edge)),
                    along = nodes.col(static_cast<Index>((edge + 1) % corners)) - from;
      double s = std::clamp((x - from).dot(along) / along.squaredNorm(), 0.0, 1.0);
      for (int step = 0; n > corners && step < 8; ++step) {  // a parabola
        const Vector2d along_edge = on_edge(n, edge, 1) - on_edge(n, edge, 0);
        const FaceFunctions f = face_functions(n, on_edge(n, edge, s));
        const Vector3 tangent = nodes * (f.slope.transpose() * along_edge);
        s = std::clamp(s + (x - nodes * f.value).dot(tangent) / tangent.squaredNorm(), 0.0, 1.0);
      }
      if (const double own = squared(s); own < best) {
        best = own;
        point.at = on_edge(n, edge, s);
      }
    }
  }
  const FaceFunctions f = face_functions(n, point.at);
  point.position = nodes * f.value;
  const Eigen::Matrix<double, 3, 2> tangent = nodes * f.slope.transpose();
  point.normal = tangent.col(0).cross(tangent.col(1)).normalized();
  point.distance = (x - point.position).norm();
  return point;
}

FacePoint FaceSearch::nearest(const Vector3& x) const {
  // The nearest box gives a bound; a nearer face has a box within it.
  using Hit = std::pair<TreeBox, std::size_t>;
  std::vector<Hit> hits;
  tree_->boxes.query(geometry::index::nearest(TreePoint(x.x(), x.y(), x.z()), 1), std::back_inserter(hits));
  FacePoint best = project(hits.front().second, x);
  const std::size_t first = best.face;
  const Vector3 reach = Vector3::Constant(best.distance * (1 + 1e-9) + 1e-12);
  const Vector3 low = x - reach, high = x + reach;
  hits.clear();
  tree_->boxes.query(geometry::index::intersects(
                         TreeBox(TreePoint(low.x(), low.y(), low.z()), TreePoint(high.x(), high.y(), high.z()))),
                     std::back_inserter(hits));
  for (const Hit& hit : hits) {
    if (hit.second == first) continue;
    const FacePoint face_point = project(hit.second, x);
    // Of equally near faces that of the lowest number, so that the answer does not hang on the order of the tree.
    const double slack = 1e-9 * (1e-3 + face_point.distance);
    if (face_point.distance < best.distance - slack ||
        (face_point.distance < best.distance + slack && face_point.face < best.face))
      best = face_point;
  }
  return best;
}

Mixture FaceSearch::carry(const FacePoint& point, const Vector3& at) const {
  const Surface::Face& found = face(point);
  const FaceFunctions f = face_functions(found.nodes.size(), point.at);
  const Matrix6 arm = rigid_arm(point.position, at);
  Mixture result;
  const auto put = [&](std::size_t i, const Matrix6& share) {
    const auto [place, fresh] = result.try_emplace(found.nodes[i], share);
    if (!fresh) place->second += share;
  };
  if (assembly_.groups[found.group].kind->motions == 6) {
    for (std::size_t i = 0; i < found.nodes.size(); ++i) put(i, f.value[static_cast<Index>(i)] * arm);
    return result;
  }
  Eigen::Matrix3Xd nodes(3, f.value.size());
  for (std::size_t i = 0; i < found.nodes.size(); ++i)
    nodes.col(static_cast<Index>(i)) = assembly_.position(found.nodes[i]);
  const Eigen::Matrix<double, 3, 2> tangent = nodes * f.slope.transpose();
  const Eigen::Matrix<double, 3, 2> dual = tangent * (tangent.transpose() * tangent).inverse();
  const Vector3& n = point.normal;
  for (std::size_t i = 0; i < found.nodes.size(); ++i) {
    const Vector3 g = dual * f.slope.col(static_cast<Index>(i));
    Matrix6 share = Matrix6::Zero();
    share.topLeftCorner<3, 3>() = f.value[static_cast<Index>(i)] * Matrix3::Identity();
    share.bottomLeftCorner<3, 3>() = 0.5 * n * (n.transpose() * cross_matrix(g)) + g.cross(n) * n.transpose();
    put(i, arm * share);
  }
  return result;
}

Mixture best_fit(const std::vector<Vector3>& points, const std::vector<Mixture>& motions,
                 const std::vector<double>& weights, const Vector3& at) {
  Vector3 centre = Vector3::Zero();
  double sum = 0;
  for (std::size_t i = 0; i < points.size(); ++i) {
    centre += weights[i] * points[i];
    sum += weights[i];
  }
  centre /= sum;
  Matrix3 inertia = Matrix3::Zero();
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Vector3 r = points[i] - centre;
    inertia += weights[i] * (r.squaredNorm() * Matrix3::Identity() - r * r.transpose());
  }
  const Vector3 spread = tensor_eigen(inertia).values;
  // Moments of inertia of points on a line: 0, J, J.
  constexpr double on_a_line = 1e-6;
  if (!(spread[0] > on_a_line * spread[2])) return {};
  const Matrix3 turn = inertia.inverse();
  const Matrix6 arm = rigid_arm(centre, at);
  Mixture result;
  for (std::size_t i = 0; i < points.size(); ++i) {
    Matrix6 from_translation = Matrix6::Zero();
    from_translation.topLeftCorner<3, 3>() = weights[i] / sum * Matrix3::Identity();
    from_translation.bottomLeftCorner<3, 3>() = weights[i] * turn * cross_matrix(points[i] - centre);
    const Matrix6 whole = arm * from_translation;
    for (const auto& [node, share] : motions[i]) {
      const auto [place, fresh] = result.try_emplace(node, whole * share);
      if (!fresh) place->second += whole * share;
    }
  }
  return result;
}

}  // namespace avrenk
