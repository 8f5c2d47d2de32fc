#include "core/element/shell.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <type_traits>

#include "core/error.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Matrix2d;
using Eigen::Matrix3d;
using Eigen::Matrix3Xd;
using Eigen::MatrixXd;
using Eigen::Vector2d;
using Eigen::Vector3d;

// By the motions of the nodes. Few rows lie in memory as registers take them: along the motions.
template <int rows, int nodes>
using ByMotions = Eigen::Matrix<double, rows, 6 * nodes, (rows < 6) ? Eigen::RowMajor : Eigen::ColMajor>;

constexpr double shear_factor = 5.0 / 6;
// Of the shear stiffness. Measured on the twisted cantilever and the pinched hemisphere of the obstacle course: 0.001
// leaves the first 30 % too soft, where neighbours in other planes lean on this spring, 0.01 3 %; 1 makes the second 4
// % too stiff.
constexpr double drilling_part = 0.1;

// A triangle that is thin for its size still locks: its shear stiffness is lowered by t²/(t² + α h²), which vanishes
// with the mesh (Brezzi, Fortin & Stenberg, Math. Models Methods Appl. Sci. 1, 1991).
constexpr double triangle_softening = 0.1;
template <int n>
double shear_softening(const Eigen::Matrix<double, 3, n>& nodes, double thickness) {
  if (n != 3) return 1;
  double h2 = 0;
  for (Index i = 0; i < 3; ++i) h2 = std::max(h2, (nodes.col(i) - nodes.col((i + 1) % 3)).squaredNorm());
  return thickness * thickness / (thickness * thickness + triangle_softening * h2);
}

enum Motion { along_x, along_y, along_z, about_x, about_y, about_z };  // of a node, in the element's axes

struct QuadraturePoint {
  Vector2d at;
  double weight;
};
template <int n>
const std::array<QuadraturePoint, static_cast<std::size_t>(n)>& rule() {
  if constexpr (n == 3) {
    static const std::array<QuadraturePoint, 3> points{
        {{{1.0 / 6, 1.0 / 6}, 1.0 / 6}, {{2.0 / 3, 1.0 / 6}, 1.0 / 6}, {{1.0 / 6, 2.0 / 3}, 1.0 / 6}}};
    return points;
  } else {
    static const double g = 1 / std::sqrt(3);
    static const std::array<QuadraturePoint, 4> points{{{{-g, -g}, 1}, {{g, -g}, 1}, {{g, g}, 1}, {{-g, g}, 1}}};
    return points;
  }
}

// Shape functions: values and slopes along the reference axes.
template <int n>
struct FlatFunctions {
  explicit FlatFunctions(const Vector2d& p) {
    if constexpr (n == 3) {
      value << 1 - p.x() - p.y(), p.x(), p.y();
      slope << -1, 1, 0, -1, 0, 1;
    } else {
      constexpr double corner[4][2] = {{-1, -1}, {1, -1}, {1, 1}, {-1, 1}};
      for (int i = 0; i < 4; ++i) {
        const double a = 1 + corner[i][0] * p.x(), b = 1 + corner[i][1] * p.y();
        value[i] = a * b / 4;
        slope.col(i) << corner[i][0] * b / 4, corner[i][1] * a / 4;
      }
    }
  }
  Eigen::Matrix<double, 1, n> value;
  Eigen::Matrix<double, 2, n> slope;
};

// The flat element in its own axes, and the way back to its nodes.
template <int n>
class Flat {
 public:
  using Nodes = Eigen::Matrix<double, 3, n>;
  Flat(const Nodes& nodes, const ShellSection& section)
      : section_(section), axes_(shell_axes(nodes, section)), global_(nodes) {
    const Vector3d centre = nodes.rowwise().mean();
    const Nodes local = axes_ * (nodes.colwise() - centre);
    plane_ = local.template topRows<2>();
    height_ = local.row(2);
    for (const QuadraturePoint& point : rule<n>())
      if (!(jacobian(FlatFunctions<n>(point.at)).determinant() > 0))
        throw NumericalError(n == 3 ? std::string("is a triangle without area")
                                    : std::string("is a quadrilateral with a corner of 180° or more"));
  }

  [[nodiscard]] Matrix2d jacobian(const FlatFunctions<n>& f) const { return f.slope * plane_.transpose(); }

  // xx yy xy of the membrane.
  [[nodiscard]] ByMotions<3, n> membrane_rows(const FlatFunctions<n>& f) const {
    const Gradient gradient = gradients(f);
    ByMotions<3, n> rows = ByMotions<3, n>::Zero();
    for (int i = 0; i < n; ++i) {
      rows(0, 6 * i + along_x) = rows(2, 6 * i + along_y) = gradient(0, i);
      rows(1, 6 * i + along_y) = rows(2, 6 * i + along_x) = gradient(1, i);
    }
    return rows;
  }
  // Curvatures: u = z θ_y, v = −z θ_x.
  [[nodiscard]] ByMotions<3, n> curvature_rows(const FlatFunctions<n>& f) const {
    const Gradient gradient = gradients(f);
    ByMotions<3, n> rows = ByMotions<3, n>::Zero();
    for (int i = 0; i < n; ++i) {
      rows(0, 6 * i + about_y) = gradient(0, i);
      rows(1, 6 * i + about_x) = -gradient(1, i);
      rows(2, 6 * i + about_y) = gradient(1, i);
      rows(2, 6 * i + about_x) = -gradient(0, i);
    }
    return rows;
  }
  // γ_xz = w,x + θ_y and γ_yz = w,y − θ_x from covariant strains that are sampled where they are free of the false
  // shear of bending.
  [[nodiscard]] ByMotions<2, n> shear_rows(const Vector2d& p) const {
    ByMotions<2, n> covariant;
    if constexpr (n == 4) {
      covariant.row(0) =
          0.5 * (1 - p.y()) * covariant_shear({0, -1}, 0) + 0.5 * (1 + p.y()) * covariant_shear({0, 1}, 0);
      covariant.row(1) =
          0.5 * (1 - p.x()) * covariant_shear({-1, 0}, 1) + 0.5 * (1 + p.x()) * covariant_shear({1, 0}, 1);
    } else {
      const ByMotions<1, n> along_r = covariant_shear({0.5, 0}, 0), along_s = covariant_shear({0, 0.5}, 1);
      const ByMotions<1, n> turn = along_s - along_r - covariant_shear({0.5, 0.5}, 1) + covariant_shear({0.5, 0.5}, 0);
      covariant.row(0) = along_r + p.y() * turn;
      covariant.row(1) = along_s - p.x() * turn;
    }
    return jacobian(FlatFunctions<n>(p)).inverse().lazyProduct(covariant);
  }
  // θ_z − ½(v,x − u,y), incompatible modes included: without them the spring would resist bending in the plane, which
  // turns the element's middle as those modes do.
  [[nodiscard]] ByMotions<1, n> drilling_row(const FlatFunctions<n>& f, const Vector2d& p,
                                             const ByMotions<4, n>& amplitudes) const {
    const Gradient gradient = gradients(f);
    ByMotions<1, n> row = ByMotions<1, n>::Zero();
    for (int i = 0; i < n; ++i) {
      row[6 * i + about_z] = f.value[i];
      row[6 * i + along_y] = -0.5 * gradient(0, i);
      row[6 * i + along_x] = 0.5 * gradient(1, i);
    }
    if (n == 4) {
      const Eigen::Matrix<double, 3, 4> strains =
          bubble_rows(p, jacobian(f).determinant());  // v,x and u,y stand in the third
      for (int k = 0; k < 2; ++k)
        row +=
            0.5 * strains(2, 2 * k) * amplitudes.row(2 * k) - 0.5 * strains(2, 2 * k + 1) * amplitudes.row(2 * k + 1);
    }
    return row;
  }
  // Membrane strains of the incompatible modes 1 − ξ² and 1 − η² of u and v.
  [[nodiscard]] Eigen::Matrix<double, 3, 4> bubble_rows(const Vector2d& p, double determinant) const {
    const Matrix2d middle = jacobian(FlatFunctions<n>(Vector2d::Zero()));
    const Matrix2d inverse = middle.inverse();
    Eigen::Matrix<double, 3, 4> rows = Eigen::Matrix<double, 3, 4>::Zero();
    for (Index k = 0; k < 2; ++k) {
      const Vector2d gradient = -2 * p[k] * middle.determinant() / determinant * inverse.col(k);
      rows(0, 2 * k) = rows(2, 2 * k + 1) = gradient.x();
      rows(1, 2 * k + 1) = rows(2, 2 * k) = gradient.y();
    }
    return rows;
  }

  // Amplitudes of the incompatible modes from the nodes' motions, 4 x 6n.
  [[nodiscard]] ByMotions<4, n> bubbles() const {
    if (n == 3) return ByMotions<4, n>::Zero();
    Eigen::Matrix4d inner = Eigen::Matrix4d::Zero();
    ByMotions<4, n> mixed = ByMotions<4, n>::Zero();
    for (const QuadraturePoint& point : rule<n>()) {
      const FlatFunctions<n> f(point.at);
      const double determinant = jacobian(f).determinant(), weight = point.weight * determinant * section_.thickness;
      const auto rows = bubble_rows(point.at, determinant);
      const Eigen::Matrix<double, 4, 3> force = weight * rows.transpose().lazyProduct(section_.in_plane);
      inner += force.lazyProduct(rows);
      mixed += force.lazyProduct(membrane_rows(f));
    }
    return -inner.inverse().lazyProduct(mixed);
  }
  [[nodiscard]] ByMotions<3, n> whole_membrane_rows(const FlatFunctions<n>& f, const Vector2d& p,
                                                    const ByMotions<4, n>& amplitudes) const {
    ByMotions<3, n> rows = membrane_rows(f);
    if (n == 4) rows += bubble_rows(p, jacobian(f).determinant()).lazyProduct(amplitudes);
    return rows;
  }

  // Motions of the flat element's corners, in its axes, from those of the nodes: turned, and carried along arms that
  // run from each node to the middle surface.
  [[nodiscard]] Eigen::Matrix<double, 6, 6> arm(int i) const {
    Eigen::Matrix<double, 6, 6> own = Eigen::Matrix<double, 6, 6>::Zero();
    own.topLeftCorner<3, 3>() = own.bottomRightCorner<3, 3>() = axes_;
    const double length = section_.offset - height_[i];  // along the normal: θ × arm = arm (θ_y, −θ_x, 0)
    own.block<1, 3>(along_x, 3) = length * axes_.row(1);
    own.block<1, 3>(along_y, 3) = -length * axes_.row(0);
    return own;
  }
  [[nodiscard]] ByMotions<6 * n, n> arms() const {
    ByMotions<6 * n, n> all = ByMotions<6 * n, n>::Zero();
    for (int i = 0; i < n; ++i) all.template block<6, 6>(6 * i, 6 * i) = arm(i);
    return all;
  }

  // Slopes of the functions along x and y.
  [[nodiscard]] Eigen::Matrix<double, 2, n> gradients(const FlatFunctions<n>& f) const {
    return jacobian(f).inverse().lazyProduct(f.slope);
  }

  /// Area of the surface itself for each unit of the reference element.
  [[nodiscard]] double area_density(const FlatFunctions<n>& f) const {
    const Vector3d along = global_ * f.slope.row(0).transpose(), across = global_ * f.slope.row(1).transpose();
    return along.cross(across).norm();
  }

 private:
  using Gradient = Eigen::Matrix<double, 2, n>;
  // w,ξ + x,ξ θ_y − y,ξ θ_x along reference axis `axis`.
  [[nodiscard]] ByMotions<1, n> covariant_shear(const Vector2d& p, Index axis) const {
    const FlatFunctions<n> f(p);
    const Matrix2d j = jacobian(f);
    ByMotions<1, n> row = ByMotions<1, n>::Zero();
    for (int i = 0; i < n; ++i) {
      row[6 * i + along_z] = f.slope(axis, i);
      row[6 * i + about_y] = j(axis, 0) * f.value[i];
      row[6 * i + about_x] = -j(axis, 1) * f.value[i];
    }
    return row;
  }

  const ShellSection& section_;
  Matrix3d axes_;
  Nodes global_;
  Gradient plane_;
  Eigen::Matrix<double, 1, n> height_;
};

// Aᵀ X A with the arms A of the nodes, one block a node.
template <int n>
ByMotions<6 * n, n> carried(const Flat<n>& flat, const ByMotions<6 * n, n>& x) {
  using Block = Eigen::Matrix<double, 6, 6>;
  std::array<Block, static_cast<std::size_t>(n)> arm;
  for (int i = 0; i < n; ++i) arm[static_cast<std::size_t>(i)] = flat.arm(i);
  ByMotions<6 * n, n> result;
  for (int j = 0; j < n; ++j)
    for (int i = 0; i < n; ++i) {
      const Block own = x.template block<6, 6>(6 * i, 6 * j);
      const Block half = own.lazyProduct(arm[static_cast<std::size_t>(j)]);
      result.template block<6, 6>(6 * i, 6 * j) = arm[static_cast<std::size_t>(i)].transpose().lazyProduct(half);
    }
  return result;
}

template <int n>
ByMotions<6 * n, n> stiffness_of(const Eigen::Matrix<double, 3, n>& nodes, const ShellSection& section) {
  const Flat<n> flat(nodes, section);
  const double soft = shear_softening<n>(nodes, section.thickness);
  const double t = section.thickness, drilling = drilling_part * section.in_plane(2, 2) * t;
  const ByMotions<4, n> amplitudes = flat.bubbles();
  ByMotions<6 * n, n> k = ByMotions<6 * n, n>::Zero();
  for (const QuadraturePoint& point : rule<n>()) {
    const FlatFunctions<n> f(point.at);
    const double weight = point.weight * flat.jacobian(f).determinant();
    const ByMotions<3, n> membrane = flat.whole_membrane_rows(f, point.at, amplitudes),
                          bending = flat.curvature_rows(f);
    const ByMotions<2, n> shear = flat.shear_rows(point.at);
    const ByMotions<1, n> spin = flat.drilling_row(f, point.at, amplitudes);
    const Matrix3d stretch = weight * t * section.in_plane, bend = weight * t * t * t / 12 * section.in_plane;
    const Matrix2d slide = weight * soft * shear_factor * t * section.transverse;
    const ByMotions<3, n> force = stretch.lazyProduct(membrane), moment = bend.lazyProduct(bending);
    const ByMotions<2, n> across = slide.lazyProduct(shear);
    const ByMotions<1, n> torque = weight * drilling * spin;
    // Products of this size are not worth a call of BLAS, which locks besides.
    k += membrane.transpose().lazyProduct(force);
    k += bending.transpose().lazyProduct(moment);
    k += shear.transpose().lazyProduct(across);
    k += spin.transpose().lazyProduct(torque);
  }
  return carried<n>(flat, k);
}

template <int n>
ByMotions<6 * n, n> mass_of(const Eigen::Matrix<double, 3, n>& nodes, const ShellSection& section) {
  const Flat<n> flat(nodes, section);
  const double t = section.thickness, mass = section.density * t + section.extra_mass,
               rotary = section.density * t * t * t / 12;
  ByMotions<6 * n, n> m = ByMotions<6 * n, n>::Zero();
  for (const QuadraturePoint& point : rule<n>()) {
    const FlatFunctions<n> f(point.at);
    const double area = point.weight * flat.area_density(f);
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        const double both = area * f.value[i] * f.value[j];
        for (const Motion d : {along_x, along_y, along_z}) m(6 * i + d, 6 * j + d) += mass * both;
        for (const Motion d : {about_x, about_y}) m(6 * i + d, 6 * j + d) += rotary * both;
      }
  }
  return carried<n>(flat, m);
}

template <int n>
ByMotions<6 * n, n> geometric_of(const Eigen::Matrix<double, 3, n>& nodes, const ShellSection& section,
                                 const Eigen::VectorXd& motions) {
  const Flat<n> flat(nodes, section);
  const ByMotions<4, n> amplitudes = flat.bubbles();
  Eigen::Matrix<double, 6 * n, 1> own;
  for (int i = 0; i < n; ++i) own.template segment<6>(6 * i) = flat.arm(i).lazyProduct(motions.segment<6>(6 * i));
  ByMotions<6 * n, n> k = ByMotions<6 * n, n>::Zero();
  for (const QuadraturePoint& point : rule<n>()) {
    const FlatFunctions<n> f(point.at);
    const ByMotions<3, n> rows = flat.whole_membrane_rows(f, point.at, amplitudes);
    const Vector3d strain = rows.lazyProduct(own);
    const Vector3d stress = section.in_plane.lazyProduct(strain);
    Matrix2d forces;
    forces << stress[0], stress[2], stress[2], stress[1];
    forces *= point.weight * flat.jacobian(f).determinant() * section.thickness;
    const Eigen::Matrix<double, 2, n> slopes = flat.gradients(f);
    for (int i = 0; i < n; ++i)
      for (int j = 0; j < n; ++j) {
        const Vector2d by_j = forces.lazyProduct(slopes.col(j));
        const double both = slopes.col(i).dot(by_j);
        for (const Motion d : {along_x, along_y, along_z}) k(6 * i + d, 6 * j + d) += both;
      }
  }
  return carried<n>(flat, k);
}

// Calls `work` with the number of nodes as a constant: once a block, so that all inside is compiled for it.
template <class Work>
decltype(auto) with_nodes(int nodes, const Work& work) {
  if (nodes == 3) return work(std::integral_constant<int, 3>());
  return work(std::integral_constant<int, 4>());
}

// One matrix for each element, side by side.
template <int n, class Make>
MatrixXd side_by_side(const ShellBlock& block, Index first, Index count, const Make& make) {
  MatrixXd all(6 * n, 6 * n * count);
  for (Index k = 0; k < count; ++k)
    all.template middleCols<6 * n>(6 * n * k) =
        make(Eigen::Matrix<double, 3, n>(block.coordinates.middleCols<n>(n * (first + k))), block.section);
  return all;
}

}  // namespace

ShellSection isotropic_shell(double thickness, double youngs_modulus, double poissons_ratio, double density) {
  const double shear = youngs_modulus / (2 * (1 + poissons_ratio)),
               plane = youngs_modulus / (1 - poissons_ratio * poissons_ratio);
  ShellSection section;
  section.thickness = thickness;
  section.density = density;
  section.in_plane << plane, poissons_ratio * plane, 0, poissons_ratio * plane, plane, 0, 0, 0, shear;
  section.transverse = shear * Matrix2d::Identity();
  return section;
}

Matrix3d shell_axes(const Matrix3Xd& nodes, const ShellSection& section) {
  const Vector3d normal =
      (nodes.cols() == 4 ? Vector3d((nodes.col(2) - nodes.col(0)).cross(nodes.col(3) - nodes.col(1)))
                         : Vector3d((nodes.col(1) - nodes.col(0)).cross(nodes.col(2) - nodes.col(0))))
          .normalized();
  Vector3d along = section.along.isZero(0) ? Vector3d(nodes.col(1) - nodes.col(0)) : section.along;
  along -= along.dot(normal) * normal;
  if (along.norm() < 1e-6 * section.along.norm()) along = nodes.col(1) - nodes.col(0);  // it points along the normal
  along = (along - along.dot(normal) * normal).normalized();
  Matrix3d axes;
  axes.row(0) = along;
  axes.row(1) = normal.cross(along);
  axes.row(2) = normal;
  return axes;
}

MatrixXd shell_stiffness(const ShellBlock& block, Index first, Index count) {
  return with_nodes(block.nodes, [&](auto n) { return side_by_side<n>(block, first, count, stiffness_of<n>); });
}

MatrixXd shell_mass(const ShellBlock& block, Index first, Index count) {
  return with_nodes(block.nodes, [&](auto n) { return side_by_side<n>(block, first, count, mass_of<n>); });
}

MatrixXd shell_geometric_stiffness(const ShellBlock& block, Index first, Index count, const MatrixXd& motions) {
  return with_nodes(block.nodes, [&](auto n) {
    Index element = 0;
    return side_by_side<n>(block, first, count, [&](const auto& nodes, const ShellSection& section) {
      return geometric_of<n>(nodes, section, motions.col(element++));
    });
  });
}

Moments shell_moments(const ShellBlock& block) {
  return with_nodes(block.nodes, [&](auto n) {
    const ShellSection& section = block.section;
    const double t = section.thickness, mass = section.density * t + section.extra_mass,
                 rotary = section.density * t * t * t / 12;
    Moments sum;
    for (Index element = 0; element < block.elements(); ++element) {
      const Eigen::Matrix<double, 3, n> nodes = block.coordinates.middleCols<n>(n * element);
      const Flat<n> flat(nodes, section);
      const Vector3d normal = shell_axes(nodes, section).row(2);
      for (const QuadraturePoint& point : rule<n>()) {
        const FlatFunctions<n> f(point.at);
        const double area = point.weight * flat.area_density(f);
        const Vector3d at = nodes * f.value.transpose() + section.offset * normal;
        sum.mass += mass * area;
        sum.first += mass * area * at;
        sum.second += mass * area * at * at.transpose() + rotary * area * normal * normal.transpose();
      }
    }
    return sum;
  });
}

namespace {

// Stress of the membrane, and that of bending at the top, at one point, from the motions of the flat element's corners.
template <int n>
std::pair<ByMotions<3, n>, ByMotions<3, n>> stress_at(const Flat<n>& flat, const ShellSection& section,
                                                      const ByMotions<4, n>& amplitudes, const Vector2d& point) {
  const FlatFunctions<n> f(point);
  const Matrix3d bending = 0.5 * section.thickness * section.in_plane;
  return {section.in_plane.lazyProduct(flat.whole_membrane_rows(f, point, amplitudes)),
          bending.lazyProduct(flat.curvature_rows(f))};
}

}  // namespace

MatrixXd shell_stress_rows(const Matrix3Xd& nodes, const ShellSection& section, const Vector2d& point, double height) {
  return with_nodes(static_cast<int>(nodes.cols()), [&](auto n) -> MatrixXd {
    const Flat<n> flat(nodes, section);
    const auto [membrane, bending] = stress_at<n>(flat, section, flat.bubbles(), point);
    const ByMotions<3, n> both = membrane + height * bending;
    return both.lazyProduct(flat.arms());
  });
}

namespace {

// Values at the nodes from those at the Gauss points, by the element's own functions.
template <int n>
const Eigen::Matrix<double, n, n>& points_to_nodes() {
  static const Eigen::Matrix<double, n, n> carry = [] {
    Eigen::Matrix<double, n, n> at_points, at_nodes;
    constexpr double corner[2][4][2] = {{{0, 0}, {1, 0}, {0, 1}, {0, 0}}, {{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}};
    for (int g = 0; g < n; ++g) {
      at_points.row(g) = FlatFunctions<n>(rule<n>()[static_cast<std::size_t>(g)].at).value;
      at_nodes.row(g) = FlatFunctions<n>(Vector2d(corner[n == 4][g][0], corner[n == 4][g][1])).value;
    }
    return Eigen::Matrix<double, n, n>(at_nodes * at_points.inverse());
  }();
  return carry;
}

}  // namespace

MatrixXd shell_nodal_stress_rows(const ShellBlock& block, Index element) {
  return with_nodes(block.nodes, [&](auto n) -> MatrixXd {
    const Flat<n> flat(block.coordinates.middleCols<n>(n * element), block.section);
    const ByMotions<4, n> amplitudes = flat.bubbles();
    const Eigen::Matrix<double, n, n>& carry = points_to_nodes<n>();
    ByMotions<6 * n, n> all = ByMotions<6 * n, n>::Zero();
    for (int g = 0; g < n; ++g) {
      const auto [membrane, bending] =
          stress_at<n>(flat, block.section, amplitudes, rule<n>()[static_cast<std::size_t>(g)].at);
      ByMotions<6, n> both;
      both << membrane - bending, membrane + bending;
      for (int i = 0; i < n; ++i) all.template middleRows<6>(6 * i) += carry(i, g) * both;
    }
    MatrixXd rows(6 * n, 6 * n);
    for (int i = 0; i < n; ++i) rows.middleCols<6>(6 * i) = all.template middleCols<6>(6 * i).lazyProduct(flat.arm(i));
    return rows;
  });
}

}  // namespace avrenk
