#include "core/element/beam.h"

#include <cmath>

#include "core/dense.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Matrix2d;
using Eigen::Vector2d;

// Gauss–Legendre, 4 points on (0, 1): exact to degree 7; the mass integrand has degree 6 for a uniform section.
constexpr std::array<double, 4> gauss_points{0.06943184420297371, 0.33000947820757187, 0.66999052179242813,
                                             0.93056815579702629};
constexpr std::array<double, 4> gauss_weights{0.17392742256872693, 0.32607257743127307, 0.32607257743127307,
                                              0.17392742256872693};

// A number of the section at ξ = x/L, by Lagrange's polynomial.
template <typename Of>
double along(const BeamProperties& p, double xi, const Of& of) {
  if (!p.tapered()) return of(p.middle());
  constexpr auto last = static_cast<double>(beam_stations - 1);
  double sum = 0;
  for (std::size_t i = 0; i < beam_stations; ++i) {
    double share = 1;
    for (std::size_t j = 0; j < beam_stations; ++j)
      if (j != i) share *= (last * xi - static_cast<double>(j)) / (static_cast<double>(i) - static_cast<double>(j));
    sum += share * of(*p.sections[i]);
  }
  return sum;
}

// ∫₀¹ f(ξ) dξ as `take(ξ, weight)` of each point; of a taper, where 1/I is no polynomial, of each eighth by itself.
template <typename Take>
void integrate(const BeamProperties& p, const Take& take) {
  const int pieces = p.tapered() ? 8 : 1;
  for (int piece = 0; piece < pieces; ++piece)
    for (std::size_t g = 0; g < gauss_points.size(); ++g)
      take((piece + gauss_points[g]) / pieces, gauss_weights[g] / pieces);
}

double area(const BeamSection& s) { return s.area; }
double torsion(const BeamSection& s) { return s.torsion_constant; }

// The two bending planes in principal axes: local displacement and rotation DOFs of end 1 (end 2: +6) and the sign of
// the rotation.
struct Plane {
  int translation, rotation;
  double sign;
  double (*second_moment)(const BeamSection&);
  double (*shear_area)(const BeamSection&);
};
constexpr std::array<Plane, 2> planes{Plane{1, 5, +1, [](const BeamSection& s) { return s.second_moment_z; },
                                            [](const BeamSection& s) { return s.shear_factor_y * s.area; }},
                                      Plane{2, 4, -1, [](const BeamSection& s) { return s.second_moment_y; },
                                            [](const BeamSection& s) { return s.shear_factor_z * s.area; }}};

// Deflection w and rotation θ = w' − γ at ξ per unit (w1, θ1, w2, θ2), in a plane where a positive θ raises +x towards
// +w. phi = 12 EI / (k G A L²).
struct BendingShapes {
  Eigen::RowVector4d deflection, rotation, slope;  // w'
};
BendingShapes bending_shapes(double xi, double length, double phi) {
  const double c = 1 / (1 + phi), x2 = xi * xi, x3 = x2 * xi;
  BendingShapes n;
  n.deflection << c * (2 * x3 - 3 * x2 - phi * xi + 1 + phi),
      c * length * (x3 - (2 + 0.5 * phi) * x2 + (1 + 0.5 * phi) * xi), c * (-2 * x3 + 3 * x2 + phi * xi),
      c * length * (x3 - (1 - 0.5 * phi) * x2 - 0.5 * phi * xi);
  n.rotation << c * 6 * (x2 - xi) / length, c * (3 * x2 - (4 + phi) * xi + 1 + phi), c * 6 * (xi - x2) / length,
      c * (3 * x2 - (2 - phi) * xi);
  n.slope << c * (6 * x2 - 6 * xi - phi) / length, c * (3 * x2 - (4 + phi) * xi + 1 + 0.5 * phi),
      c * (-6 * x2 + 6 * xi + phi) / length, c * (3 * x2 - (2 - phi) * xi - 0.5 * phi);
  return n;
}

void add_bar(BeamMatrix& local, int dof, double stiffness) {
  local(dof, dof) += stiffness;
  local(dof + 6, dof + 6) += stiffness;
  local(dof, dof + 6) -= stiffness;
  local(dof + 6, dof) -= stiffness;
}

// Principal axes; bending and torsion about the shear centre, the axial force at the centroid.
BeamMatrix principal_stiffness(double length, const BeamProperties& p) {
  BeamMatrix k = BeamMatrix::Zero();
  double axial = 0, twist = 0;
  integrate(p, [&](double xi, double weight) {
    axial += weight * length / (p.elastic.youngs_modulus * along(p, xi, area));
    twist += weight * length / (p.elastic.shear_modulus * along(p, xi, torsion));
  });
  add_bar(k, 0, 1 / axial);
  add_bar(k, 3, 1 / twist);
  for (const Plane& plane : planes) {
    // Deflection and rotation of end 2 under a force and a moment there, end 1 held.
    Matrix2d flexibility = Matrix2d::Zero();
    integrate(p, [&](double xi, double part) {
      const double weight = part * length, arm = length * (1 - xi);
      const double bending = p.elastic.youngs_modulus * along(p, xi, plane.second_moment);
      const double shear = p.elastic.shear_modulus * along(p, xi, plane.shear_area);
      flexibility += weight / bending * Vector2d(arm, 1) * Vector2d(arm, 1).transpose();
      if (shear > 0) flexibility(0, 0) += weight / shear;
    });
    Eigen::Matrix<double, 2, 4> strain;  // motion of end 2 less the rigid motion that end 1 gives it
    strain << -1, -length, 1, 0, 0, -1, 0, 1;
    const Eigen::Matrix4d block = strain.transpose() * flexibility.inverse() * strain;
    const std::array<int, 4> dof{plane.translation, plane.rotation, plane.translation + 6, plane.rotation + 6};
    const std::array<double, 4> sign{1, plane.sign, 1, plane.sign};
    for (std::size_t i = 0; i < 4; ++i)
      for (std::size_t j = 0; j < 4; ++j)
        k(dof[i], dof[j]) += sign[i] * sign[j] * block(static_cast<int>(i), static_cast<int>(j));
  }
  return k;
}

Vector2d principal_shear_centre(const BeamSection& section) {
  return Eigen::Rotation2Dd(-section.principal_angle) * section.shear_centre;
}

// Of the middle section in a plane, for bending_shapes.
double shear_parameter(const Plane& plane, double length, const BeamProperties& p) {
  const double shear = p.elastic.shear_modulus * plane.shear_area(p.middle());
  return shear > 0 ? 12 * p.elastic.youngs_modulus * plane.second_moment(p.middle()) / (shear * length * length) : 0;
}

// Values per unit (w1, θ1, w2, θ2) of a plane, by the motions of both ends.
Eigen::Matrix<double, 1, 12> on_ends(const Plane& plane, const Eigen::RowVector4d& values) {
  Eigen::Matrix<double, 1, 12> row = Eigen::Matrix<double, 1, 12>::Zero();
  for (int end = 0; end < 2; ++end) {
    row[plane.translation + 6 * end] = values[2 * end];
    row[plane.rotation + 6 * end] = plane.sign * values[2 * end + 1];
  }
  return row;
}

// Motion of the centroid and rotations at ξ, from end motions as in principal_stiffness.
Eigen::Matrix<double, 6, 12> principal_shapes(double xi, double length, const BeamProperties& p) {
  const BeamSection& middle = p.middle();
  Eigen::Matrix<double, 6, 12> n = Eigen::Matrix<double, 6, 12>::Zero();
  for (const int bar : {0, 3}) {
    n(bar, bar) = 1 - xi;
    n(bar, bar + 6) = xi;
  }
  for (const Plane& plane : planes) {
    const BendingShapes shapes = bending_shapes(xi, length, shear_parameter(plane, length, p));
    n.row(plane.translation) = on_ends(plane, shapes.deflection);
    n.row(plane.rotation) = plane.sign * on_ends(plane, shapes.rotation);
  }
  const Vector2d centre = principal_shear_centre(middle);
  n.row(1) += centre.y() * n.row(3);  // the centroid turns about the shear centre
  n.row(2) -= centre.x() * n.row(3);
  return n;
}

// Mass in principal axes, end motions as in principal_stiffness.
BeamMatrix principal_mass(double length, const BeamProperties& p) {
  BeamMatrix m = BeamMatrix::Zero();
  integrate(p, [&](double xi, double weight) {
    const Eigen::Matrix<double, 6, 12> n = principal_shapes(xi, length, p);
    const double a = p.density * along(p, xi, area) + p.extra_mass;
    const double iy = p.density * along(p, xi, planes[1].second_moment),
                 iz = p.density * along(p, xi, planes[0].second_moment);
    Eigen::Matrix<double, 6, 1> inertia;
    inertia << a, a, a, iy + iz, iy, iz;
    m += weight * length * n.transpose() * inertia.asDiagonal() * n;
  });
  return m;
}

// The same of the slopes v', w' of the centroid and the twist θ_x' (rows 1, 2, 3): 3 x 12.
Eigen::Matrix<double, 3, 12> principal_slopes(double xi, double length, const BeamProperties& p) {
  Eigen::Matrix<double, 3, 12> n = Eigen::Matrix<double, 3, 12>::Zero();
  n(2, 3) = -1 / length;
  n(2, 9) = 1 / length;
  for (const Plane& plane : planes)
    n.row(plane.translation - 1) = on_ends(plane, bending_shapes(xi, length, shear_parameter(plane, length, p)).slope);
  const Vector2d centre = principal_shear_centre(p.middle());
  n.row(0) += centre.y() * n.row(2);
  n.row(1) -= centre.x() * n.row(2);
  return n;
}

// Per unit of axial force, in principal axes, end motions as in principal_stiffness.
BeamMatrix principal_geometric(double length, const BeamProperties& p) {
  BeamMatrix k = BeamMatrix::Zero();
  integrate(p, [&](double xi, double weight) {
    const Eigen::Matrix<double, 3, 12> slopes = principal_slopes(xi, length, p);
    const double polar =
        (along(p, xi, planes[0].second_moment) + along(p, xi, planes[1].second_moment)) / along(p, xi, area);
    k += weight * length * slopes.transpose() * Eigen::Vector3d(1, 1, polar).asDiagonal() * slopes;
  });
  return k;
}

// From motions of the centroids in the section's axes to principal axes at the shear centre.
BeamMatrix to_shear_centre(const BeamProperties& p) {
  const BeamSection& section = p.middle();
  const double c = std::cos(section.principal_angle), s = std::sin(section.principal_angle);
  Eigen::Matrix3d rotation;
  rotation << 1, 0, 0, 0, c, s, 0, -s, c;
  const Vector2d centre = principal_shear_centre(section);
  BeamMatrix t = BeamMatrix::Zero();
  for (int block = 0; block < 4; ++block) t.block<3, 3>(3 * block, 3 * block) = rotation;
  for (int end = 0; end < 2; ++end) {
    t(6 * end + 1, 6 * end + 3) = -centre.y();
    t(6 * end + 2, 6 * end + 3) = centre.x();
  }
  return t;
}

// Stiffness of the ends in the section's axes before anything is released.
BeamMatrix whole_stiffness(double length, const BeamProperties& p) {
  const BeamMatrix t = to_shear_centre(p);
  return t.transpose() * principal_stiffness(length, p) * t;
}

// Motions of all twelve ends from those of the nodes: what is released follows without force, G = [I; −K_rr⁻¹ K_ra].
BeamMatrix follow_releases(const BeamMatrix& k, const std::array<bool, 12>& released) {
  std::vector<int> free, held;
  for (int i = 0; i < 12; ++i) (released[static_cast<std::size_t>(i)] ? free : held).push_back(i);
  BeamMatrix g = BeamMatrix::Identity();
  if (free.empty()) return g;
  const Eigen::MatrixXd solution = solve_symmetric(k(free, free), k(free, held));
  for (std::size_t i = 0; i < free.size(); ++i) {
    g.row(free[i]).setZero();
    for (std::size_t j = 0; j < held.size(); ++j)
      g(free[i], held[j]) = -solution(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j));
  }
  return g;
}

BeamMatrix rotation_to_local(const BeamGeometry& geometry) {
  const Eigen::Matrix3d axes = geometry.axes();
  BeamMatrix r = BeamMatrix::Zero();
  for (int block = 0; block < 4; ++block) r.block<3, 3>(3 * block, 3 * block) = axes;
  return r;
}

// End motions in principal axes from global motions of the nodes, releases followed.
BeamMatrix to_principal_ends(const BeamGeometry& geometry, const BeamProperties& properties) {
  const BeamMatrix follow = follow_releases(whole_stiffness(geometry.length(), properties), properties.released);
  return to_shear_centre(properties) * follow * rotation_to_local(geometry);
}

}  // namespace

Eigen::Matrix3d BeamGeometry::axes() const {
  const Eigen::Vector3d x = (end2 - end1).normalized();
  const Eigen::Vector3d y = up.cross(x).normalized();
  Eigen::Matrix3d rows;
  rows << x.transpose(), y.transpose(), x.cross(y).transpose();
  return rows;
}

BeamMatrix stiffness(const BeamGeometry& geometry, const BeamProperties& properties) {
  const BeamMatrix k = whole_stiffness(geometry.length(), properties);
  const BeamMatrix ends = follow_releases(k, properties.released) * rotation_to_local(geometry);
  return ends.transpose() * k * ends;
}

BeamMatrix mass(const BeamGeometry& geometry, const BeamProperties& properties) {
  const BeamMatrix ends = to_principal_ends(geometry, properties);
  return ends.transpose() * principal_mass(geometry.length(), properties) * ends;
}

BeamMatrix geometric_stiffness(const BeamGeometry& geometry, const BeamProperties& properties) {
  const BeamMatrix ends = to_principal_ends(geometry, properties);
  return ends.transpose() * principal_geometric(geometry.length(), properties) * ends;
}

namespace {

// Section forces from forces on the ends in the section's axes.
template <int columns>
void to_section_forces(const BeamProperties& properties, Eigen::Matrix<double, 12, columns>& rows) {
  for (int i = 0; i < 12; ++i)
    if (properties.released[static_cast<std::size_t>(i)]) rows.row(i).setZero();  // rounding only
  rows.template topRows<6>() *= -1;  // the nodal force at end 1 acts on a face whose outward normal is −x
  const Vector2d& centre = properties.middle().shear_centre;
  for (const int end : {0, 6}) rows.row(end + 3) += centre.y() * rows.row(end + 1) - centre.x() * rows.row(end + 2);
}

}  // namespace

BeamMatrix force_recovery(const BeamGeometry& geometry, const BeamProperties& properties) {
  const BeamMatrix k = whole_stiffness(geometry.length(), properties);
  BeamMatrix rows = k * follow_releases(k, properties.released) * rotation_to_local(geometry);
  to_section_forces(properties, rows);
  return rows;
}

BeamLineLoad line_load(const BeamGeometry& geometry, const BeamProperties& properties) {
  const double length = geometry.length();
  const BeamMatrix t = to_shear_centre(properties), k = whole_stiffness(length, properties),
                   follow = follow_releases(k, properties.released);
  Eigen::Matrix<double, 12, 3> ends = Eigen::Matrix<double, 12, 3>::Zero();
  integrate(properties, [&](double xi, double weight) {
    ends += weight * length * principal_shapes(xi, length, properties).topRows<3>().transpose();
  });
  // Along the section's axes, of whose turn the first block of t holds the matrix.
  ends = (t.transpose() * ends * t.topLeftCorner<3, 3>() * geometry.axes()).eval();
  BeamLineLoad load;
  load.at_ends = rotation_to_local(geometry).transpose() * (follow.transpose() * ends);
  // Ends that are released move under the load until nothing is left there.
  std::vector<int> free;
  for (int i = 0; i < 12; ++i)
    if (properties.released[static_cast<std::size_t>(i)]) free.push_back(i);
  load.section = -ends;
  if (!free.empty()) load.section += k(Eigen::all, free) * solve_symmetric(k(free, free), ends(free, Eigen::all));
  to_section_forces(properties, load.section);
  return load;
}

bool releases_hold(const BeamGeometry& geometry, const BeamProperties& properties) {
  std::vector<int> free;
  for (int i = 0; i < 12; ++i)
    if (properties.released[static_cast<std::size_t>(i)]) free.push_back(i);
  if (free.empty()) return true;
  const BeamMatrix k = whole_stiffness(geometry.length(), properties);
  const Eigen::VectorXd scale = k.diagonal()(free).cwiseSqrt().cwiseInverse();
  const Eigen::MatrixXd scaled = scale.asDiagonal() * Eigen::MatrixXd(k(free, free)) * scale.asDiagonal();
  return symmetric_eigen(scaled).values[0] > 1e-9;
}

Eigen::Matrix<double, 3, 6> stress_rows(const BeamSection& section, const StressPoint& point) {
  const double c = std::cos(section.principal_angle), s = std::sin(section.principal_angle);
  Eigen::Matrix<double, 3, 6> rows = Eigen::Matrix<double, 3, 6>::Zero();
  rows(0, 0) = 1 / section.area;
  // Moments and shear forces along the principal axes.
  const double from_y = point.z / section.second_moment_y, from_z = -point.y / section.second_moment_z;
  rows(1, 4) = c * from_y - s * from_z;
  rows(1, 5) = s * from_y + c * from_z;
  rows(2, 1) = c * point.shear_y - s * point.shear_z;
  rows(2, 2) = s * point.shear_y + c * point.shear_z;
  rows(2, 3) = point.torsion;
  return rows;
}

std::array<BeamSlice, 4> slices(const BeamGeometry& geometry, const BeamProperties& p) {
  const double length = geometry.length();
  const Eigen::Matrix3d axes =
      Eigen::AngleAxisd(-p.middle().principal_angle, Eigen::Vector3d::UnitX()).toRotationMatrix() * geometry.axes();
  std::array<BeamSlice, 4> all;
  for (std::size_t g = 0; g < 4; ++g) {
    const double xi = gauss_points[g], weight = gauss_weights[g] * length;
    const double iy = p.density * along(p, xi, planes[1].second_moment),
                 iz = p.density * along(p, xi, planes[0].second_moment);
    all[g].mass = weight * (p.density * along(p, xi, area) + p.extra_mass);
    all[g].centre = (1 - xi) * geometry.end1 + xi * geometry.end2;
    all[g].inertia = axes.transpose() * (weight * Eigen::Vector3d(iy + iz, iy, iz)).asDiagonal() * axes;
  }
  return all;
}

double BeamGeometry::length() const { return (end2 - end1).norm(); }

}  // namespace avrenk
