#include "core/element/solid.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <vector>

#include "core/error.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Matrix3d;
using Eigen::MatrixXd;
using Eigen::Vector3d;

// A point of the reference element and its weight.
struct Quadrature {
  Vector3d point;
  double weight;
};
using Rule = std::vector<Quadrature>;

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

// Shape functions of one node with their derivatives along the reference axes.
template <int nodes>
struct Functions {
  Eigen::Matrix<double, nodes, 1> value;
  Eigen::Matrix<double, 3, nodes> slope;
};

// Middle nodes by the pairs of corners between which they lie.
template <std::size_t count>
using Edges = std::array<std::array<int, 2>, count>;

constexpr std::array<std::array<double, 3>, 8> cube_corners{
    {{-1, -1, -1}, {1, -1, -1}, {1, 1, -1}, {-1, 1, -1}, {-1, -1, 1}, {1, -1, 1}, {1, 1, 1}, {-1, 1, 1}}};
constexpr Edges<12> cube_edges{
    {{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 5}, {5, 6}, {6, 7}, {7, 4}, {0, 4}, {1, 5}, {2, 6}, {3, 7}}};
constexpr Edges<6> tetrahedron_edges{{{0, 1}, {1, 2}, {2, 0}, {0, 3}, {1, 3}, {2, 3}}};
constexpr Edges<9> wedge_edges{{{0, 1}, {1, 2}, {2, 0}, {3, 4}, {4, 5}, {5, 3}, {0, 3}, {1, 4}, {2, 5}}};

struct Hexahedron8 {
  static constexpr SolidShape shape = SolidShape::hexahedron8;
  static constexpr SolidFacts facts{"hexahedron of 8 nodes", 8, 12};
  static constexpr int nodes = 8, incompatible = 3;
  static Rule stiffness_rule() { return cube_rule(2); }
  static Rule mass_rule() { return cube_rule(2); }
  static Functions<8> at(const Vector3d& p) {
    Functions<8> f;
    for (int i = 0; i < 8; ++i) {
      const auto& c = cube_corners[static_cast<std::size_t>(i)];
      const double x = 1 + c[0] * p.x(), y = 1 + c[1] * p.y(), z = 1 + c[2] * p.z();
      f.value[i] = x * y * z / 8;
      f.slope.col(i) << c[0] * y * z / 8, c[1] * x * z / 8, c[2] * x * y / 8;
    }
    return f;
  }
};

struct Hexahedron20 {
  static constexpr SolidShape shape = SolidShape::hexahedron20;
  static constexpr SolidFacts facts{"hexahedron of 20 nodes", 20, 25};
  static constexpr int nodes = 20, incompatible = 0;
  static Rule stiffness_rule() { return cube_rule(3); }
  static Rule mass_rule() { return cube_rule(3); }
  static Functions<20> at(const Vector3d& p) {
    Functions<20> f;
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
    return f;
  }
};

// Barycentric coordinates of the tetrahedron and their slopes.
struct Barycentric {
  explicit Barycentric(const Vector3d& p) : value{1 - p.sum(), p.x(), p.y(), p.z()} {}
  std::array<double, 4> value;
  static Vector3d slope(int i) { return i == 0 ? Vector3d(-1, -1, -1) : Vector3d(Vector3d::Unit(i - 1)); }
};

struct Tetrahedron4 {
  static constexpr SolidShape shape = SolidShape::tetrahedron4;
  static constexpr SolidFacts facts{"tetrahedron of 4 nodes", 4, 10};
  static constexpr int nodes = 4, incompatible = 0;
  static Rule stiffness_rule() { return {{{0.25, 0.25, 0.25}, 1.0 / 6}}; }
  static Rule mass_rule() { return tetrahedron_rule(); }
  static Functions<4> at(const Vector3d& p) {
    const Barycentric b(p);
    Functions<4> f;
    for (int i = 0; i < 4; ++i) {
      f.value[i] = b.value[static_cast<std::size_t>(i)];
      f.slope.col(i) = Barycentric::slope(i);
    }
    return f;
  }
};

struct Tetrahedron10 {
  static constexpr SolidShape shape = SolidShape::tetrahedron10;
  static constexpr SolidFacts facts{"tetrahedron of 10 nodes", 10, 24};
  static constexpr int nodes = 10, incompatible = 0;
  static Rule stiffness_rule() { return tetrahedron_rule(); }
  static Rule mass_rule() { return collapsed_tetrahedron_rule(4); }
  static Functions<10> at(const Vector3d& p) {
    const Barycentric b(p);
    Functions<10> f;
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
    return f;
  }
};

// Barycentric coordinates of the triangle times the line.
struct WedgePoint {
  explicit WedgePoint(const Vector3d& p) : l{1 - p.x() - p.y(), p.x(), p.y()}, z(p.z()) {}
  std::array<double, 3> l;
  double z;
  static Eigen::Vector2d slope(std::size_t i) {
    return i == 0 ? Eigen::Vector2d(-1, -1) : Eigen::Vector2d(Eigen::Vector2d::Unit(static_cast<Index>(i) - 1));
  }
};

struct Wedge6 {
  static constexpr SolidShape shape = SolidShape::wedge6;
  static constexpr SolidFacts facts{"wedge of 6 nodes", 6, 13};
  static constexpr int nodes = 6, incompatible = 0;
  static Rule stiffness_rule() { return wedge_rule(2, 2); }
  static Rule mass_rule() { return wedge_rule(4, 2); }
  static Functions<6> at(const Vector3d& p) {
    const WedgePoint w(p);
    Functions<6> f;
    for (std::size_t i = 0; i < 6; ++i) {
      const double side = i < 3 ? -1 : 1, half = 0.5 * (1 + side * w.z);
      f.value[static_cast<Index>(i)] = w.l[i % 3] * half;
      f.slope.col(static_cast<Index>(i)) << WedgePoint::slope(i % 3) * half, 0.5 * side * w.l[i % 3];
    }
    return f;
  }
};

struct Wedge15 {
  static constexpr SolidShape shape = SolidShape::wedge15;
  static constexpr SolidFacts facts{"wedge of 15 nodes", 15, 26};
  static constexpr int nodes = 15, incompatible = 0;
  static Rule stiffness_rule() { return wedge_rule(4, 3); }
  static Rule mass_rule() { return wedge_rule(4, 3); }
  static Functions<15> at(const Vector3d& p) {
    const WedgePoint w(p);
    Functions<15> f;
    const auto set = [&](std::size_t node, double value, const Eigen::Vector2d& in_plane, double along) {
      f.value[static_cast<Index>(node)] = value;
      f.slope.col(static_cast<Index>(node)) << in_plane, along;
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
        set(6 + e, 2 * a * b * up, 2 * up * (a * WedgePoint::slope(j % 3) + b * WedgePoint::slope(i % 3)),
            2 * a * b * s);
      } else {
        set(6 + e, w.l[i] * bubble, WedgePoint::slope(i) * bubble, -2 * w.z * w.l[i]);
      }
    }
    return f;
  }
};

// Calls `work` with the type that stands for a shape: once a block, so that all inside is compiled for it.
template <class Work>
decltype(auto) with_shape(SolidShape shape, const Work& work) {
  switch (shape) {
    case SolidShape::hexahedron20:
      return work(Hexahedron20());
    case SolidShape::tetrahedron4:
      return work(Tetrahedron4());
    case SolidShape::tetrahedron10:
      return work(Tetrahedron10());
    case SolidShape::wedge6:
      return work(Wedge6());
    case SolidShape::wedge15:
      return work(Wedge15());
    default:
      return work(Hexahedron8());
  }
}

// Shape functions at all points of a rule: the same for every element of a block.
template <class Shape>
struct Tabulated {
  explicit Tabulated(const Rule& rule) {
    for (const Quadrature& each : rule) {
      at.push_back(Shape::at(each.point));
      weight.push_back(each.weight);
      point.push_back(each.point);
    }
  }
  std::vector<Functions<Shape::nodes>> at;
  std::vector<double> weight;
  std::vector<Vector3d> point;
};

template <class Shape>
using Nodes = Eigen::Matrix<double, 3, Shape::nodes>;
template <class Shape>
using ElementMatrix = Eigen::Matrix<double, 3 * Shape::nodes, 3 * Shape::nodes>;

// Six rows of strain from columns of gradients: 3 columns a function.
template <int count>
Eigen::Matrix<double, 6, 3 * count> strain_rows(const Eigen::Matrix<double, 3, count>& gradient) {
  Eigen::Matrix<double, 6, 3 * count> rows = Eigen::Matrix<double, 6, 3 * count>::Zero();
  for (int i = 0; i < count; ++i) {
    const double x = gradient(0, i), y = gradient(1, i), z = gradient(2, i);
    rows(0, 3 * i) = rows(3, 3 * i + 1) = rows(5, 3 * i + 2) = x;
    rows(1, 3 * i + 1) = rows(3, 3 * i) = rows(4, 3 * i + 2) = y;
    rows(2, 3 * i + 2) = rows(4, 3 * i + 1) = rows(5, 3 * i) = z;
  }
  return rows;
}

[[noreturn]] void refuse_inverted(std::string_view name, Index element, double jacobian) {
  throw NumericalError(fmt::format("element {} of its block, a {}, is turned inside out: its Jacobian is {:.2g} m³",
                                   element + 1, name, jacobian));
}

// The nine incompatible modes: gradients of 1 − ξ², 1 − η², 1 − ζ² by the Jacobian in the middle of the element, scaled
// so that their mean over the element vanishes, which is what the patch test asks for.
struct IncompatibleModes {
  explicit IncompatibleModes(const Nodes<Hexahedron8>& nodes) {
    const Matrix3d middle = Hexahedron8::at(Vector3d::Zero()).slope * nodes.transpose();
    inverse = middle.inverse();
    determinant = middle.determinant();
  }
  // Of the three functions; each moves in three directions.
  [[nodiscard]] Matrix3d gradients(const Vector3d& point, double jacobian) const {
    Matrix3d gradient;
    for (int k = 0; k < 3; ++k) gradient.col(k) = determinant / jacobian * -2 * point[k] * inverse.col(k);
    return gradient;
  }
  Matrix3d inverse;
  double determinant = 0;
};

// Right-hand sides in place, by the Cholesky factor of a small positive matrix.
template <int n, int columns>
void solve_positive(Eigen::Matrix<double, n, n> a, Eigen::Matrix<double, n, columns>& b) {
  for (int k = 0; k < n; ++k) {
    const double root = std::sqrt(a(k, k));
    for (int i = k; i < n; ++i) a(i, k) /= root;
    for (int j = k + 1; j < n; ++j)
      for (int i = j; i < n; ++i) a(i, j) -= a(i, k) * a(j, k);
  }
  for (int c = 0; c < columns; ++c) {
    for (int k = 0; k < n; ++k) {
      b(k, c) /= a(k, k);
      for (int i = k + 1; i < n; ++i) b(i, c) -= a(i, k) * b(k, c);
    }
    for (int k = n - 1; k >= 0; --k) {
      for (int i = k + 1; i < n; ++i) b(k, c) -= a(i, k) * b(i, c);
      b(k, c) /= a(k, k);
    }
  }
}

// Stiffness, with its part that couples to the incompatible modes condensed where there are any.
template <class Shape>
class ElementStiffness {
 public:
  ElementStiffness(const Nodes<Shape>& nodes, const Tabulated<Shape>& table, const Elasticity& elasticity,
                   Index element)
      : whole_(Whole::Zero()) {
    if constexpr (Shape::incompatible > 0) modes_.emplace(nodes);
    for (std::size_t g = 0; g < table.at.size(); ++g) {
      const Matrix3d jacobian = table.at[g].slope.lazyProduct(nodes.transpose());
      const double determinant = jacobian.determinant();
      if (!(determinant > 0)) refuse_inverted(Shape::facts.name, element, determinant);
      Gradients gradients;
      gradients.template leftCols<Shape::nodes>() = jacobian.inverse().lazyProduct(table.at[g].slope);
      if constexpr (Shape::incompatible > 0)
        gradients.template rightCols<3>() = modes_->gradients(table.point[g], determinant);
      add(gradients, table.weight[g] * determinant * elasticity);
    }
    constexpr int own = 3 * Shape::nodes;
    own_ = whole_.template topLeftCorner<own, own>();
    if constexpr (Shape::incompatible > 0) {
      const Eigen::Matrix<double, 9, own> mixed = whole_.template bottomLeftCorner<9, own>();
      condensed_ = -mixed;
      solve_positive<9, own>(whole_.template bottomRightCorner<9, 9>(), condensed_);
      for (int j = 0; j < own; ++j)
        for (int i = j; i < own; ++i) own_(i, j) += mixed.col(i).dot(condensed_.col(j));
    }
    for (int j = 0; j < own; ++j)
      for (int i = 0; i < j; ++i) own_(i, j) = own_(j, i);
  }
  [[nodiscard]] const ElementMatrix<Shape>& matrix() const { return own_; }
  /// Amplitudes of the incompatible modes from the displacements of the nodes, and their strains.
  [[nodiscard]] Eigen::Matrix<double, 6, 3 * Shape::nodes> incompatible_rows(const Vector3d& point,
                                                                             double jacobian) const {
    return strain_rows<3>(modes_->gradients(point, jacobian)).lazyProduct(condensed_);
  }

 private:
  static constexpr int functions = Shape::nodes + Shape::incompatible;  // those of the nodes first
  using Gradients = Eigen::Matrix<double, 3, functions>;
  using Whole = Eigen::Matrix<double, 3 * functions, 3 * functions>;
  // BᵀDB below its diagonal. A column of B has three entries, and so has a row of Bᵀ: general products, and calls of
  // BLAS, which locks, would cost several times that.
  void add(const Gradients& g, const Elasticity& d) {
    for (int k = 0; k < functions; ++k) {
      const double gx = g(0, k), gy = g(1, k), gz = g(2, k);
      const std::array<Eigen::Matrix<double, 6, 1>, 3> stress{gx * d.col(0) + gy * d.col(3) + gz * d.col(5),
                                                              gy * d.col(1) + gx * d.col(3) + gz * d.col(4),
                                                              gz * d.col(2) + gy * d.col(4) + gx * d.col(5)};
      for (int c = 0; c < 3; ++c) {
        const Eigen::Matrix<double, 6, 1>& s = stress[static_cast<std::size_t>(c)];
        double* const column = whole_.data() + static_cast<Index>(3 * functions) * (3 * k + c);
        for (int i = k; i < functions; ++i) {
          const double x = g(0, i), y = g(1, i), z = g(2, i);
          column[3 * i] += x * s[0] + y * s[3] + z * s[5];
          column[3 * i + 1] += y * s[1] + x * s[3] + z * s[4];
          column[3 * i + 2] += z * s[2] + y * s[4] + x * s[5];
        }
      }
    }
  }
  Whole whole_;
  ElementMatrix<Shape> own_;
  std::optional<IncompatibleModes> modes_;
  Eigen::Matrix<double, 9, 3 * Shape::nodes> condensed_;
};

template <class Shape>
Nodes<Shape> nodes_of(const SolidBlock& block, Index element) {
  return block.coordinates.template middleCols<Shape::nodes>(element * Shape::nodes);
}

}  // namespace

const SolidFacts& facts_of(SolidShape shape) {
  return with_shape(shape, [](auto kind) -> const SolidFacts& { return decltype(kind)::facts; });
}

Elasticity isotropic_elasticity(double youngs_modulus, double poissons_ratio) {
  const double shear = youngs_modulus / (2 * (1 + poissons_ratio)),
               lame = youngs_modulus * poissons_ratio / ((1 + poissons_ratio) * (1 - 2 * poissons_ratio));
  Elasticity c = Elasticity::Zero();
  c.topLeftCorner<3, 3>().setConstant(lame);
  c.diagonal().head<3>().array() += 2 * shear;
  c.diagonal().tail<3>().setConstant(shear);
  return c;
}

Elasticity orthotropic_elasticity(const Orthotropic& constants, const Matrix3d& axes) {
  const Vector3d &e = constants.youngs_modulus, &nu = constants.poissons_ratio;
  Elasticity compliance = Elasticity::Zero();
  for (int i = 0; i < 3; ++i) {
    compliance(i, i) = 1 / e[i];
    compliance(3 + i, 3 + i) = 1 / constants.shear_modulus[i];
  }
  compliance(0, 1) = compliance(1, 0) = -nu[0] / e[0];
  compliance(1, 2) = compliance(2, 1) = -nu[1] / e[1];
  compliance(0, 2) = compliance(2, 0) = -nu[2] / e[0];
  const Eigen::LLT<Elasticity> positive(compliance);
  if (positive.info() != Eigen::Success || !(e.minCoeff() > 0))
    throw InputError(Problem{"", "these elastic constants store negative energy under some strain",
                             "|ν_xy| must be below √(E_x/E_y), and so on; check which of the two ν is meant",
                             std::nullopt});
  // Strain in the material's axes from global strain: ε' = a ε aᵀ, row by row.
  Elasticity turn;
  constexpr std::array<std::array<int, 2>, 6> pairs{{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {2, 0}}};
  for (int r = 0; r < 6; ++r) {
    const auto& [i, j] = pairs[static_cast<std::size_t>(r)];
    for (int s = 0; s < 6; ++s) {
      const auto& [k, l] = pairs[static_cast<std::size_t>(s)];
      // Engineering shears: doubled in the rows, halved in the columns.
      const double both = axes(i, k) * axes(j, l) + (k != l ? axes(i, l) * axes(j, k) : 0);
      turn(r, s) = both * (r < 3 ? 1 : 2) * (s < 3 ? 1 : 0.5);
    }
  }
  return turn.transpose() * positive.solve(turn);
}

MatrixXd solid_stiffness(const SolidBlock& block, Index first, Index count) {
  return with_shape(block.shape, [&](auto kind) -> MatrixXd {
    using Shape = decltype(kind);
    const Tabulated<Shape> table(Shape::stiffness_rule());
    MatrixXd all(3 * Shape::nodes, 3 * Shape::nodes * count);
    for (Index k = 0; k < count; ++k)
      all.middleCols(3 * Shape::nodes * k, 3 * Shape::nodes) =
          ElementStiffness<Shape>(nodes_of<Shape>(block, first + k), table, block.elasticity, first + k).matrix();
    return all;
  });
}

MatrixXd solid_mass(const SolidBlock& block, Index first, Index count) {
  return with_shape(block.shape, [&](auto kind) -> MatrixXd {
    using Shape = decltype(kind);
    const Tabulated<Shape> table(Shape::mass_rule());
    MatrixXd all = MatrixXd::Zero(3 * Shape::nodes, 3 * Shape::nodes * count);
    for (Index k = 0; k < count; ++k) {
      const Nodes<Shape> nodes = nodes_of<Shape>(block, first + k);
      Eigen::Matrix<double, Shape::nodes, Shape::nodes> scalar =
          Eigen::Matrix<double, Shape::nodes, Shape::nodes>::Zero();
      for (std::size_t g = 0; g < table.at.size(); ++g) {
        const Matrix3d jacobian = table.at[g].slope.lazyProduct(nodes.transpose());
        const double determinant = jacobian.determinant();
        if (!(determinant > 0)) refuse_inverted(Shape::facts.name, first + k, determinant);
        const Eigen::Matrix<double, Shape::nodes, 1> weighted =
            block.density * table.weight[g] * determinant * table.at[g].value;
        scalar += weighted.lazyProduct(table.at[g].value.transpose());
      }
      for (int i = 0; i < Shape::nodes; ++i)
        for (int j = 0; j < Shape::nodes; ++j)
          for (int d = 0; d < 3; ++d) all(3 * i + d, 3 * (Shape::nodes * k + j) + d) = scalar(i, j);
    }
    return all;
  });
}

namespace {

// Rows of the stress at points of one element, incompatible modes included.
template <class Shape>
class StressRows {
 public:
  StressRows(const SolidBlock& block, Index element)
      : nodes_(nodes_of<Shape>(block, element)), elasticity_(block.elasticity) {
    if constexpr (Shape::incompatible > 0)
      incompatible_.emplace(nodes_, Tabulated<Shape>(Shape::stiffness_rule()), block.elasticity, element);
  }
  [[nodiscard]] Eigen::Matrix<double, 6, 3 * Shape::nodes> at(const Vector3d& point) const {
    const Functions<Shape::nodes> here = Shape::at(point);
    const Matrix3d jacobian = here.slope * nodes_.transpose();
    Eigen::Matrix<double, 6, 3 * Shape::nodes> rows = strain_rows<Shape::nodes>(jacobian.inverse() * here.slope);
    if constexpr (Shape::incompatible > 0) rows += incompatible_->incompatible_rows(point, jacobian.determinant());
    return elasticity_ * rows;
  }

 private:
  Nodes<Shape> nodes_;
  const Elasticity& elasticity_;
  std::optional<ElementStiffness<Shape>> incompatible_;
};

}  // namespace

MatrixXd solid_stress_rows(const SolidBlock& block, Index element, const Vector3d& point) {
  return with_shape(block.shape,
                    [&](auto kind) -> MatrixXd { return StressRows<decltype(kind)>(block, element).at(point); });
}

namespace {

// The shape with the same corners and no middle nodes: its functions carry stresses from as many points as it has
// corners.
template <class Shape>
struct CornersOf {
  using type = Shape;
};
template <>
struct CornersOf<Hexahedron20> {
  using type = Hexahedron8;
};
template <>
struct CornersOf<Tetrahedron10> {
  using type = Tetrahedron4;
};
template <>
struct CornersOf<Wedge15> {
  using type = Wedge6;
};

template <class Corners>
Rule sampling_rule() {
  if constexpr (Corners::nodes == 8) return cube_rule(2);
  if constexpr (Corners::nodes == 4) return tetrahedron_rule();
  return wedge_rule(2, 2);
}

}  // namespace

MatrixXd solid_nodal_stress_rows(const SolidBlock& block, Index element) {
  return with_shape(block.shape, [&](auto kind) -> MatrixXd {
    using Shape = decltype(kind);
    using Corners = typename CornersOf<Shape>::type;
    constexpr int samples = Corners::nodes;
    // Values at the samples from those at the corners, turned round, then carried to all nodes.
    static const Eigen::Matrix<double, Shape::nodes, samples> carry = [] {
      Eigen::Matrix<double, samples, samples> at_samples;
      const Rule rule = sampling_rule<Corners>();
      for (int g = 0; g < samples; ++g)
        at_samples.row(g) = Corners::at(rule[static_cast<std::size_t>(g)].point).value.transpose();
      Eigen::Matrix<double, Shape::nodes, samples> at_nodes;
      const Eigen::Matrix3Xd reference = solid_reference_nodes(Shape::shape);
      for (int i = 0; i < Shape::nodes; ++i) at_nodes.row(i) = Corners::at(reference.col(i)).value.transpose();
      return Eigen::Matrix<double, Shape::nodes, samples>(at_nodes * at_samples.inverse());
    }();
    const StressRows<Shape> rows(block, element);
    MatrixXd all = MatrixXd::Zero(6 * Shape::nodes, 3 * Shape::nodes);
    const Rule rule = sampling_rule<Corners>();
    for (int g = 0; g < samples; ++g) {
      const Eigen::Matrix<double, 6, 3 * Shape::nodes> stress = rows.at(rule[static_cast<std::size_t>(g)].point);
      for (int i = 0; i < Shape::nodes; ++i) all.middleRows(6 * i, 6) += carry(i, g) * stress;
    }
    return all;
  });
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

Moments solid_moments(const SolidBlock& block) {
  return with_shape(block.shape, [&](auto kind) {
    using Shape = decltype(kind);
    const Tabulated<Shape> table(Shape::mass_rule());
    Moments sum;
    for (Index element = 0; element < block.elements(); ++element) {
      const Nodes<Shape> nodes = nodes_of<Shape>(block, element);
      for (std::size_t g = 0; g < table.at.size(); ++g) {
        const double mass = block.density * table.weight[g] * (table.at[g].slope * nodes.transpose()).determinant();
        const Vector3d at = nodes * table.at[g].value;
        sum.mass += mass;
        sum.first += mass * at;
        sum.second += mass * at * at.transpose();
      }
    }
    return sum;
  });
}

double solid_jacobian_ratio(const SolidBlock& block, Index element) {
  return with_shape(block.shape, [&](auto kind) -> double {
    using Shape = decltype(kind);
    const Nodes<Shape> nodes = nodes_of<Shape>(block, element);
    double lowest = HUGE_VAL, highest = -HUGE_VAL;
    for (const Quadrature& each : Shape::stiffness_rule()) {
      const double determinant = (Shape::at(each.point).slope * nodes.transpose()).determinant();
      lowest = std::min(lowest, determinant);
      highest = std::max(highest, determinant);
    }
    return highest > 0 ? lowest / highest : -1;
  });
}

}  // namespace avrenk
