#include "core/element/beam.h"

#include <array>
#include <cmath>

#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

// Gauss–Legendre, 4 points on (0, 1): exact to degree 7; the mass integrand has degree 6.
constexpr std::array<double, 4> gauss_points{0.06943184420297371, 0.33000947820757187, 0.66999052179242813,
                                             0.93056815579702629};
constexpr std::array<double, 4> gauss_weights{0.17392742256872693, 0.32607257743127307, 0.32607257743127307,
                                              0.17392742256872693};

// Deflection w, rotation θ = w' − γ, curvature θ' and shear strain γ at ξ = x/L per unit (w1, θ1, w2, θ2), in a plane
// where a positive θ raises +x towards +w. phi = 12 EI / (k G A L²).
struct BendingShapes {
  Eigen::RowVector4d deflection, rotation, curvature, shear;
};
BendingShapes bending_shapes(double xi, double length, double phi) {
  const double c = 1 / (1 + phi), x2 = xi * xi, x3 = x2 * xi;
  BendingShapes n;
  n.deflection << c * (2 * x3 - 3 * x2 - phi * xi + 1 + phi),
      c * length * (x3 - (2 + 0.5 * phi) * x2 + (1 + 0.5 * phi) * xi), c * (-2 * x3 + 3 * x2 + phi * xi),
      c * length * (x3 - (1 - 0.5 * phi) * x2 - 0.5 * phi * xi);
  n.rotation << c * 6 * (x2 - xi) / length, c * (3 * x2 - (4 + phi) * xi + 1 + phi), c * 6 * (xi - x2) / length,
      c * (3 * x2 - (2 - phi) * xi);
  n.curvature << c * 6 * (2 * xi - 1) / (length * length), c * (6 * xi - 4 - phi) / length,
      c * 6 * (1 - 2 * xi) / (length * length), c * (6 * xi - 2 + phi) / length;
  n.shear << -c * phi / length, -0.5 * c * phi, c * phi / length, -0.5 * c * phi;
  return n;
}

double shear_flexibility(double bending_stiffness, double shear_modulus, double shear_area, double length) {
  return shear_area > 0 ? 12 * bending_stiffness / (shear_modulus * shear_area * length * length) : 0;
}

// The two bending planes: local displacement and rotation DOFs of end 1 (end 2: +6) and the sign of the rotation.
struct Plane {
  int translation, rotation;
  double sign;
  double second_moment, shear_area;
};
std::array<Plane, 2> planes(const BeamSection& s) {
  return {Plane{1, 5, +1, s.second_moment_z, s.shear_factor_y * s.area},
          Plane{2, 4, -1, s.second_moment_y, s.shear_factor_z * s.area}};
}

void add_plane(BeamMatrix& local, const Plane& plane, const Eigen::Matrix4d& block) {
  const std::array<int, 4> dof{plane.translation, plane.rotation, plane.translation + 6, plane.rotation + 6};
  const std::array<double, 4> sign{1, plane.sign, 1, plane.sign};
  for (std::size_t i = 0; i < 4; ++i)
    for (std::size_t j = 0; j < 4; ++j)
      local(dof[i], dof[j]) += sign[i] * sign[j] * block(static_cast<int>(i), static_cast<int>(j));
}

void add_bar(BeamMatrix& local, int dof, double diagonal, double coupling) {
  local(dof, dof) += diagonal;
  local(dof + 6, dof + 6) += diagonal;
  local(dof, dof + 6) += coupling;
  local(dof + 6, dof) += coupling;
}

BeamMatrix local_stiffness(double length, const BeamSection& s, const Elastic& e) {
  BeamMatrix k = BeamMatrix::Zero();
  add_bar(k, 0, e.youngs_modulus * s.area / length, -e.youngs_modulus * s.area / length);
  add_bar(k, 3, e.shear_modulus * s.torsion_constant / length, -e.shear_modulus * s.torsion_constant / length);
  for (const Plane& plane : planes(s)) {
    const double bending = e.youngs_modulus * plane.second_moment;
    const double shear = e.shear_modulus * plane.shear_area;
    const double phi = shear_flexibility(bending, e.shear_modulus, plane.shear_area, length);
    Eigen::Matrix4d block = Eigen::Matrix4d::Zero();
    for (std::size_t g = 0; g < 4; ++g) {
      const BendingShapes n = bending_shapes(gauss_points[g], length, phi);
      block += gauss_weights[g] * length *
               (bending * n.curvature.transpose() * n.curvature + shear * n.shear.transpose() * n.shear);
    }
    add_plane(k, plane, block);
  }
  return k;
}

BeamMatrix local_mass(double length, const BeamSection& s, const Elastic& e, double density) {
  BeamMatrix m = BeamMatrix::Zero();
  const double bar = density * s.area * length;
  const double polar = density * (s.second_moment_y + s.second_moment_z) * length;
  add_bar(m, 0, bar / 3, bar / 6);
  add_bar(m, 3, polar / 3, polar / 6);
  for (const Plane& plane : planes(s)) {
    const double phi =
        shear_flexibility(e.youngs_modulus * plane.second_moment, e.shear_modulus, plane.shear_area, length);
    Eigen::Matrix4d block = Eigen::Matrix4d::Zero();
    for (std::size_t g = 0; g < 4; ++g) {
      const BendingShapes n = bending_shapes(gauss_points[g], length, phi);
      block += gauss_weights[g] * length * density *
               (s.area * n.deflection.transpose() * n.deflection +
                plane.second_moment * n.rotation.transpose() * n.rotation);
    }
    add_plane(m, plane, block);
  }
  return m;
}

BeamMatrix rotation_to_local(const BeamGeometry& geometry) {
  const Eigen::Matrix3d axes = geometry.axes();
  BeamMatrix r = BeamMatrix::Zero();
  for (int block = 0; block < 4; ++block) r.block<3, 3>(3 * block, 3 * block) = axes;
  return r;
}

}  // namespace

BeamSection rod_section(double diameter, double poissons_ratio) {
  const double second_moment = pi * std::pow(diameter, 4) / 64;
  const double shear = 6 * (1 + poissons_ratio) / (7 + 6 * poissons_ratio);
  return {pi * diameter * diameter / 4, second_moment, second_moment, 2 * second_moment, shear, shear};
}

BeamSection tube_section(double diameter, double wall, double poissons_ratio) {
  const double inner = diameter - 2 * wall;
  const double second_moment = pi * (std::pow(diameter, 4) - std::pow(inner, 4)) / 64;
  const double ratio = std::pow(inner / diameter, 2), sum = std::pow(1 + ratio, 2);
  const double shear =
      6 * (1 + poissons_ratio) * sum / ((7 + 6 * poissons_ratio) * sum + (20 + 12 * poissons_ratio) * ratio);
  return {
      pi * (diameter * diameter - inner * inner) / 4, second_moment, second_moment, 2 * second_moment, shear, shear};
}

BeamSection rectangle_section(double width, double height, double poissons_ratio) {
  const double a = std::max(width, height), b = std::min(width, height);
  // J = a b³ (1/3 − (64/π⁵)(b/a) Σ_odd tanh(nπa/2b)/n⁵); Timoshenko & Goodier, Theory of Elasticity, art. 109.
  double series = 0;
  for (int n = 1; n < 200; n += 2) series += std::tanh(n * pi * a / (2 * b)) / std::pow(n, 5);
  const double torsion = a * std::pow(b, 3) * (1.0 / 3 - 64 / std::pow(pi, 5) * b / a * series);
  const double shear = 10 * (1 + poissons_ratio) / (12 + 11 * poissons_ratio);
  return {width * height, width * std::pow(height, 3) / 12, height * std::pow(width, 3) / 12, torsion, shear, shear};
}

Eigen::Matrix3d BeamGeometry::axes() const {
  const Eigen::Vector3d x = (end2 - end1).normalized();
  const Eigen::Vector3d y = up.cross(x).normalized();
  Eigen::Matrix3d rows;
  rows << x.transpose(), y.transpose(), x.cross(y).transpose();
  return rows;
}

BeamMatrix stiffness(const BeamGeometry& geometry, const BeamSection& section, const Elastic& elastic) {
  const BeamMatrix r = rotation_to_local(geometry);
  return r.transpose() * local_stiffness(geometry.length(), section, elastic) * r;
}

BeamMatrix mass(const BeamGeometry& geometry, const BeamSection& section, const Elastic& elastic, double density) {
  const BeamMatrix r = rotation_to_local(geometry);
  return r.transpose() * local_mass(geometry.length(), section, elastic, density) * r;
}

BeamMatrix force_recovery(const BeamGeometry& geometry, const BeamSection& section, const Elastic& elastic) {
  BeamMatrix rows = local_stiffness(geometry.length(), section, elastic) * rotation_to_local(geometry);
  rows.topRows<6>() *= -1;  // the element's nodal force at end 1 acts on a face whose outward normal is −x
  return rows;
}

}  // namespace avrenk
