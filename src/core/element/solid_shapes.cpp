#include "core/element/solid_shapes.h"

#include <array>
#include <cmath>

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Matrix3d;
using Eigen::Vector3d;

struct Gauss {
  std::vector<double> points, weights;  // on (−1, 1)
};
Gauss gauss(int count) {
  if (count == 2) return {{-1 / std::sqrt(3), 1 / std::sqrt(3)}, {1, 1}};
  if (count == 3) return {{-std::sqrt(0.6), 0, std::sqrt(0.6)}, {5.0 / 9, 8.0 / 9, 5.0 / 9}};
  const double inner = std::sqrt(3.0 / 7 - 2.0 / 7 * std::sqrt(1.2)),
               outer = std::sqrt(3.0 / 7 + 2.0 / 7 * std::sqrt(1.2)), heavy = (18 + std::sqrt(30)) / 36,
               light = (18 - std::sqrt(30)) / 36;
  return {{-outer, -inner, inner, outer}, {light, heavy, heavy, light}};
}

Rule cube_rule(int count) {
  const Gauss line = gauss(count);
  Rule rule;
  for (std::size_t k = 0; k < line.points.size(); ++k)
    for (std::size_t j = 0; j < line.points.size(); ++j)
      for (std::size_t i = 0; i < line.points.size(); ++i)
        rule.push_back(
            {{line.points[i], line.points[j], line.points[k]}, line.weights[i] * line.weights[j] * line.weights[k]});
  return rule;
}

// The tetrahedron 0 ≤ x, y, z, x + y + z ≤ 1 as a cube with one face drawn together (Stroud, 1971): exact to degree
// 2 count − 3 in all.
Rule collapsed_tetrahedron_rule(int count) {
  const Gauss line = gauss(count);
  Rule rule;
  for (std::size_t k = 0; k < line.points.size(); ++k)
    for (std::size_t j = 0; j < line.points.size(); ++j)
      for (std::size_t i = 0; i < line.points.size(); ++i) {
        const double a = 0.5 * (1 + line.points[i]), b = 0.5 * (1 + line.points[j]), c = 0.5 * (1 + line.points[k]);
        rule.push_back({{a * (1 - b) * (1 - c), b * (1 - c), c},
                        line.weights[i] * line.weights[j] * line.weights[k] / 8 * (1 - b) * (1 - c) * (1 - c)});
      }
  return rule;
}

// Degree 2.
Rule tetrahedron_rule() {
  const double a = (5 - std::sqrt(5)) / 20, b = 1 - 3 * a;
  return {{{a, a, a}, 1.0 / 24}, {{b, a, a}, 1.0 / 24}, {{a, b, a}, 1.0 / 24}, {{a, a, b}, 1.0 / 24}};
}

// Triangle times line; degree 2 or 4 over the triangle (Dunavant, Int. J. Numer. Meth. Engng 21, 1985).
Rule wedge_rule(int degree, int along) {
  std::vector<std::array<double, 3>> triangle;  // x, y, weight; the weights add up to ½
  const auto add = [&](double a, double weight) {
    for (const auto& [x, y] : {std::pair{a, a}, {1 - 2 * a, a}, {a, 1 - 2 * a}})
      triangle.push_back({x, y, 0.5 * weight});
  };
  if (degree == 2) {
    add(1.0 / 6, 1.0 / 3);
  } else {
    add(0.445948490915965, 0.223381589678011);
    add(0.091576213509771, 0.109951743655322);
  }
  const Gauss line = gauss(along);
  Rule rule;
  for (std::size_t k = 0; k < line.points.size(); ++k)
    for (const auto& [x, y, weight] : triangle) rule.push_back({{x, y, line.points[k]}, weight * line.weights[k]});
  return rule;
}

// Middle nodes by the pairs of corners between which they lie.
template <std::size_t count>
using Edges = std::array<std::array<int, 2>, count>;

constexpr std::array<std::array<double, 3>, 8> cube_corners{
    {{-1, -1, -1}, {1, -1, -1}, {1, 1, -1}, {-1, 1, -1}, {-1, -1, 1}, {1, -1, 1}, {1, 1, 1}, {-1, 1, 1}}};
constexpr Edges<12> cube_edges{
    {{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 5}, {5, 6}, {6, 7}, {7, 4}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}};
constexpr Edges<6> tetrahedron_edges{{{0, 1}, {1, 2}, {2, 0}, {0, 3}, {1, 3}, {2, 3}}};
constexpr Edges<9> wedge_edges{{{0, 1}, {1, 2}, {2, 0}, {3, 4}, {4, 5}, {5, 3}, {0, 3}, {1, 4}, {2, 5}}};

void put_hexahedron8(const Vector3d& p, SolidFunctions& f) {
  for (int i = 0; i < 8; ++i) {
    const auto& c = cube_corners[static_cast<std::size_t>(i)];
    const double x = 1 + c[0] * p.x(), y = 1 + c[1] * p.y(), z = 1 + c[2] * p.z();
    f.value[i] = x * y * z / 8;
    f.slope.col(i) << c[0] * y * z / 8, c[1] * x * z / 8, c[2] * x * y / 8;
  }
}

void put_hexahedron20(const Vector3d& p, SolidFunctions& f) {
  for (int i = 0; i < 8; ++i) {
    const auto& c = cube_corners[static_cast<std::size_t>(i)];
    const double x = 1 + c[0] * p.x(), y = 1 + c[1] * p.y(), z = 1 + c[2] * p.z();
    const double sum = c[0] * p.x() + c[1] * p.y() + c[2] * p.z() - 2;
    f.value[i] = x * y * z * sum / 8;
    f.slope.col(i) << c[0] * y * z * (sum + x) / 8, c[1] * x * z * (sum + y) / 8, c[2] * x * y * (sum + z) / 8;
  }
  for (std::size_t e = 0; e < cube_edges.size(); ++e) {
    const auto &a = cube_corners[static_cast<std::size_t>(cube_edges[e][0])],
               &b = cube_corners[static_cast<std::size_t>(cube_edges[e][1])];
    const auto i = static_cast<Index>(8 + e);
    f.value[i] = 0.25;
    std::array<double, 3> factor{}, slope{};
    for (std::size_t d = 0; d < 3; ++d) {
      const double middle = 0.5 * (a[d] + b[d]), at = p[static_cast<Index>(d)];
      factor[d] = middle == 0 ? 1 - at * at : 1 + middle * at;
      slope[d] = middle == 0 ? -2 * at : middle;
      f.value[i] *= factor[d];
    }
    f.slope.col(i) << 0.25 * slope[0] * factor[1] * factor[2], 0.25 * factor[0] * slope[1] * factor[2],
        0.25 * factor[0] * factor[1] * slope[2];
  }
}

// Barycentric coordinates of the tetrahedron and their slopes.
struct Barycentric {
  explicit Barycentric(const Vector3d& p) : value{1 - p.sum(), p.x(), p.y(), p.z()} {}
  std::array<double, 4> value;
  static Vector3d slope(int i) { return i == 0 ? Vector3d(-1, -1, -1) : Vector3d(Vector3d::Unit(i - 1)); }
};

void put_tetrahedron4(const Vector3d& p, SolidFunctions& f) {
  const Barycentric b(p);
  for (int i = 0; i < 4; ++i) {
    f.value[i] = b.value[static_cast<std::size_t>(i)];
    f.slope.col(i) = Barycentric::slope(i);
  }
}

void put_tetrahedron10(const Vector3d& p, SolidFunctions& f) {
  const Barycentric b(p);
  for (int i = 0; i < 4; ++i) {
    const double l = b.value[static_cast<std::size_t>(i)];
    f.value[i] = l * (2 * l - 1);
    f.slope.col(i) = (4 * l - 1) * Barycentric::slope(i);
  }
  for (std::size_t e = 0; e < tetrahedron_edges.size(); ++e) {
    const auto& [i, j] = tetrahedron_edges[e];
    const double a = b.value[static_cast<std::size_t>(i)], c = b.value[static_cast<std::size_t>(j)];
    f.value[static_cast<Index>(4 + e)] = 4 * a * c;
    f.slope.col(static_cast<Index>(4 + e)) = 4 * (a * Barycentric::slope(j) + c * Barycentric::slope(i));
  }
}

// Barycentric coordinates of the triangle times the line.
struct WedgePoint {
  explicit WedgePoint(const Vector3d& p) : l{1 - p.x() - p.y(), p.x(), p.y()}, z(p.z()) {}
  std::array<double, 3> l;
  double z;
  static Eigen::Vector2d slope(std::size_t i) {
    return i == 0 ? Eigen::Vector2d(-1, -1) : Eigen::Vector2d(Eigen::Vector2d::Unit(static_cast<Index>(i) - 1));
  }
};

void put_wedge6(const Vector3d& p, SolidFunctions& f) {
  const WedgePoint w(p);
  for (std::size_t i = 0; i < 6; ++i) {
    const double side = i < 3 ? -1 : 1, half = 0.5 * (1 + side * w.z);
    const Eigen::Vector2d in_plane = WedgePoint::slope(i % 3) * half;
    f.value[static_cast<Index>(i)] = w.l[i % 3] * half;
    f.slope.col(static_cast<Index>(i)) << in_plane.x(), in_plane.y(), 0.5 * side * w.l[i % 3];
  }
}

void put_wedge15(const Vector3d& p, SolidFunctions& f) {
  const WedgePoint w(p);
  const auto set = [&](std::size_t node, double value, const Eigen::Vector2d& in_plane, double along) {
    f.value[static_cast<Index>(node)] = value;
    f.slope.col(static_cast<Index>(node)) << in_plane.x(), in_plane.y(), along;
  };
  const double bubble = 1 - w.z * w.z;
  for (std::size_t i = 0; i < 6; ++i) {  // corners
    const double l = w.l[i % 3], s = i < 3 ? -1 : 1, up = 1 + s * w.z;
    set(i, 0.5 * l * ((2 * l - 1) * up - bubble), WedgePoint::slope(i % 3) * 0.5 * ((4 * l - 1) * up - bubble),
        0.5 * l * ((2 * l - 1) * s + 2 * w.z));
  }
  for (std::size_t e = 0; e < 9; ++e) {
    const auto i = static_cast<std::size_t>(wedge_edges[e][0]), j = static_cast<std::size_t>(wedge_edges[e][1]);
    if (e < 6) {  // on the triangles
      const double s = e < 3 ? -1 : 1, up = 1 + s * w.z, a = w.l[i % 3], b = w.l[j % 3];
      set(6 + e, 2 * a * b * up, 2 * up * (a * WedgePoint::slope(j % 3) + b * WedgePoint::slope(i % 3)), 2 * a * b * s);
    } else {
      set(6 + e, w.l[i] * bubble, WedgePoint::slope(i) * bubble, -2 * w.z * w.l[i]);
    }
  }
}

struct Reference {
  SolidFacts facts;
  void (*put)(const Vector3d&, SolidFunctions&);
  Rule (*stiffness)();
  Rule (*mass)();
  Rule (*samples)();
  SolidShape corners;
};
// In the order of SolidShape.
const std::array<Reference, 6>& references() {
  static const std::array<Reference, 6> all{{{{"hexahedron of 8 nodes", 8, 12},
                                              put_hexahedron8,
                                              [] { return cube_rule(2); },
                                              [] { return cube_rule(2); },
                                              [] { return cube_rule(2); },
                                              SolidShape::hexahedron8},
                                             {{"hexahedron of 20 nodes", 20, 25},
                                              put_hexahedron20,
                                              [] { return cube_rule(3); },
                                              [] { return cube_rule(3); },
                                              [] { return cube_rule(2); },
                                              SolidShape::hexahedron8},
                                             {{"tetrahedron of 4 nodes", 4, 10},
                                              put_tetrahedron4,
                                              [] {
                                                return Rule{{{0.25, 0.25, 0.25}, 1.0 / 6}};
                                              },
                                              tetrahedron_rule,
                                              tetrahedron_rule,
                                              SolidShape::tetrahedron4},
                                             {{"tetrahedron of 10 nodes", 10, 24},
                                              put_tetrahedron10,
                                              tetrahedron_rule,
                                              [] { return collapsed_tetrahedron_rule(4); },
                                              tetrahedron_rule,
                                              SolidShape::tetrahedron4},
                                             {{"wedge of 6 nodes", 6, 13},
                                              put_wedge6,
                                              [] { return wedge_rule(2, 2); },
                                              [] { return wedge_rule(4, 2); },
                                              [] { return wedge_rule(2, 2); },
                                              SolidShape::wedge6},
                                             {{"wedge of 15 nodes", 15, 26},
                                              put_wedge15,
                                              [] { return wedge_rule(4, 3); },
                                              [] { return wedge_rule(4, 3); },
                                              [] { return wedge_rule(2, 2); },
                                              SolidShape::wedge6}}};
  return all;
}
const Reference& reference_of(SolidShape shape) { return references()[static_cast<std::size_t>(shape)]; }

}  // namespace

const SolidFacts& facts_of(SolidShape shape) { return reference_of(shape).facts; }

SolidFunctions solid_functions(SolidShape shape, const Vector3d& point) {
  const Reference& reference = reference_of(shape);
  SolidFunctions f;
  f.value.resize(reference.facts.nodes);
  f.slope.resize(3, reference.facts.nodes);
  reference.put(point, f);
  return f;
}

Rule stiffness_rule(SolidShape shape) { return reference_of(shape).stiffness(); }
Rule mass_rule(SolidShape shape) { return reference_of(shape).mass(); }
Rule sampling_rule(SolidShape shape) { return reference_of(shape).samples(); }
SolidShape corners_of(SolidShape shape) { return reference_of(shape).corners; }

Tabulated::Tabulated(SolidShape shape, const Rule& points) : rule(points) {
  for (const Quadrature& each : rule) at.push_back(solid_functions(shape, each.point));
}

SolidNodes nodes_of(const SolidBlock& block, Index element) {
  const int count = facts_of(block.shape).nodes;
  return block.coordinates.middleCols(element * count, count);
}

Matrix3d jacobian_of(const SolidFunctions& at, const SolidNodes& nodes) {
  Matrix3d jacobian = Matrix3d::Zero();
  for (Index i = 0; i < nodes.cols(); ++i)
    for (Index c = 0; c < 3; ++c)
      for (Index r = 0; r < 3; ++r) jacobian(r, c) += at.slope(r, i) * nodes(c, i);
  return jacobian;
}

IncompatibleModes::IncompatibleModes(const SolidNodes& nodes) {
  const Matrix3d middle = jacobian_of(solid_functions(SolidShape::hexahedron8, Vector3d::Zero()), nodes);
  inverse = middle.inverse();
  determinant = middle.determinant();
}

Matrix3d IncompatibleModes::gradients(const Vector3d& point, double jacobian) const {
  Matrix3d gradient;
  for (int k = 0; k < 3; ++k) gradient.col(k) = determinant / jacobian * -2 * point[k] * inverse.col(k);
  return gradient;
}

Eigen::Matrix3Xd solid_reference_nodes(SolidShape shape) {
  const int count = facts_of(shape).nodes;
  Eigen::Matrix3Xd nodes(3, count);
  const auto middles = [&](int corners, const auto& edges) {
    for (std::size_t e = 0; e < edges.size() && corners + static_cast<int>(e) < count; ++e)
      nodes.col(corners + static_cast<Index>(e)) = 0.5 * (nodes.col(edges[e][0]) + nodes.col(edges[e][1]));
  };
  switch (shape) {
    case SolidShape::hexahedron8:
    case SolidShape::hexahedron20:
      for (int i = 0; i < 8; ++i) nodes.col(i) = Vector3d(cube_corners[static_cast<std::size_t>(i)].data());
      middles(8, cube_edges);
      break;
    case SolidShape::tetrahedron4:
    case SolidShape::tetrahedron10:
      nodes.leftCols<4>() << 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1;
      middles(4, tetrahedron_edges);
      break;
    default:
      nodes.leftCols<6>() << 0, 1, 0, 0, 1, 0, 0, 0, 1, 0, 0, 1, -1, -1, -1, 1, 1, 1;
      middles(6, wedge_edges);
  }
  return nodes;
}

std::span<const std::array<int, 2>> solid_edges(SolidShape shape) {
  if (shape == SolidShape::hexahedron8 || shape == SolidShape::hexahedron20) return cube_edges;
  if (shape == SolidShape::tetrahedron4 || shape == SolidShape::tetrahedron10) return tetrahedron_edges;
  return wedge_edges;
}

}  // namespace avrenk
