#include "core/element/beam.h"
#include "core/element/discrete.h"
#include "core/model/mass_properties.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <random>

#include "core/mesh/line.h"
#include "core/quantity/quantity.h"
#include "core/system/system.h"

namespace avrenk {
namespace {

struct RandomBeam {
  BeamGeometry geometry;
  BeamSection section;
  Elastic elastic{70e9, 27e9};
  std::array<bool, 12> released;
  Vector3 about;
  Eigen::Matrix<double, 12, 6> rigid;  // the nodes' motion when the point `about` moves
};

RandomBeam random_beam(unsigned seed) {
  std::mt19937 generator(seed);
  std::uniform_real_distribution<double> value(-1, 1);
  const auto vector = [&] { return Vector3(value(generator), value(generator), value(generator)); };
  RandomBeam beam;
  beam.geometry = {vector(), vector(), vector()};
  const double size = 0.02 + 0.01 * value(generator);
  const double wall = 0.1 * size;
  switch (seed % 6) {
    case 0:
      beam.section = rod_section(size, 0.3);
      break;
    case 1:
      beam.section = tube_section(size, wall, 0.3);
      break;
    case 2:
      beam.section = rectangle_section(size, 3 * size, 0.3);
      break;
    case 3:
      beam.section = channel_section(size, 2 * size, wall, wall);
      break;
    case 4:
      beam.section = angle_section(size, 2 * size, wall);
      break;
    default:
      beam.section = i_section(2 * size, wall, {size, wall}, {0.5 * size, wall});
  }
  beam.released = {};
  if (seed % 5 == 0) beam.released[4] = beam.released[11] = true;
  beam.about = vector();
  beam.rigid << rigid_arm(beam.about, beam.geometry.end1), rigid_arm(beam.about, beam.geometry.end2);
  return beam;
}

TEST(Beam, RigidMotionsStoreNoEnergyAndCarryTheExactMass) {
  for (unsigned seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(seed);
    const RandomBeam beam = random_beam(seed);
    BeamProperties properties = uniform(beam.section, beam.elastic, 2700);
    properties.released = beam.released;
    const BeamMatrix k = stiffness(beam.geometry, properties);
    EXPECT_LE((k * beam.rigid).norm(), 1e-12 * k.norm() * beam.rigid.norm());
    EXPECT_LE((k - k.transpose()).norm(), 1e-13 * k.norm());
    // Against the rigid body's own 6 x 6 mass: a uniform bar in closed form, in the section's principal axes.
    properties.extra_mass = 0.4;
    const double length = beam.geometry.length(), bar = (2700 * beam.section.area + 0.4) * length,
                 iy = 2700 * length * beam.section.second_moment_y, iz = 2700 * length * beam.section.second_moment_z;
    const Matrix3 axes =
        Eigen::AngleAxisd(-beam.section.principal_angle, Vector3::UnitX()).toRotationMatrix() * beam.geometry.axes();
    const double slender = bar * length * length / 12;
    const Matrix3 inertia = axes.transpose() * Vector3(iy + iz, slender + iy, slender + iz).asDiagonal() * axes;
    const Vector3 centre = 0.5 * (beam.geometry.end1 + beam.geometry.end2);
    const Matrix6 expected = mass_at_node(bar, inertia, centre - beam.about);
    const Matrix6 found = beam.rigid.transpose() * mass(beam.geometry, properties) * beam.rigid;
    EXPECT_LE((found - expected).norm(), 1e-12 * expected.norm());
    MassProperties sum;
    for (const BeamSlice& slice : slices(beam.geometry, properties)) sum.add(slice.mass, slice.centre, slice.inertia);
    EXPECT_LE((mass_at_node(sum.mass, sum.inertia, sum.centre - beam.about) - expected).norm(),
              1e-12 * expected.norm());
  }
}

TEST(Beam, DeflectsUnderATipLoadAsTimoshenkoSays) {
  // w = P L³/3EI + P L/κGA, exact for any length of element (Timoshenko, Strength of Materials I, 1955).
  const BeamSection section = rectangle_section(0.02, 0.05, 0.3);
  const Elastic elastic{70e9, 27e9};
  const double length = 0.2;
  const BeamMatrix k = stiffness({Vector3::Zero(), {length, 0, 0}, Vector3::UnitZ()}, uniform(section, elastic));
  const Matrix6 flexibility = k.bottomRightCorner<6, 6>().inverse();
  const auto deflection = [&](double second_moment) {
    return std::pow(length, 3) / (3 * elastic.youngs_modulus * second_moment) +
           length / (10 * 1.3 / (12 + 11 * 0.3) * elastic.shear_modulus * section.area);
  };
  EXPECT_NEAR(flexibility(1, 1) / deflection(section.second_moment_z), 1, 1e-12);
  EXPECT_NEAR(flexibility(2, 2) / deflection(section.second_moment_y), 1, 1e-12);
  EXPECT_NEAR(flexibility(0, 0) * elastic.youngs_modulus * section.area / length, 1, 1e-12);
  EXPECT_NEAR(flexibility(3, 3) * elastic.shear_modulus * section.torsion_constant / length, 1, 1e-12);
}

TEST(Beam, SectionForcesBalanceATipLoadAndKeepTheirSign) {
  // A cantilever along −y: tip force (Fx, Fy, Fz); statics gives the section forces at both ends.
  const BeamGeometry geometry{Vector3::Zero(), {0, -0.5, 0}, Vector3::UnitZ()};
  const BeamSection section = tube_section(0.03, 0.002, 0.3);
  const Elastic elastic{70e9, 27e9};
  const Vector3 load(3, 5, 7);
  Vector6 tip = Vector6::Zero();
  tip.head<3>() = load;
  Eigen::Matrix<double, 12, 1> u = Eigen::Matrix<double, 12, 1>::Zero();
  u.tail<6>() = stiffness(geometry, uniform(section, elastic)).bottomRightCorner<6, 6>().ldlt().solve(tip);
  const Eigen::Matrix<double, 12, 1> force = force_recovery(geometry, uniform(section, elastic)) * u;
  const Matrix3 axes = geometry.axes();
  const Vector3 moment = Vector3(0, -0.5, 0).cross(load);  // of the load about the root
  EXPECT_LE((force.segment<3>(0) - axes * load).norm(), 1e-9);
  EXPECT_LE((force.segment<3>(6) - axes * load).norm(), 1e-9);
  EXPECT_LE((force.segment<3>(3) - axes * moment).norm(), 1e-9);
  EXPECT_LE(force.segment<3>(9).norm(), 1e-9);
  EXPECT_NEAR(force[0], -5, 1e-9);  // +y load compresses a beam that points to −y
}

// Tip flexibility of one element held at end 1, local axes along the global ones.
Matrix6 tip_flexibility(double length, const BeamProperties& properties) {
  return stiffness({Vector3::Zero(), {length, 0, 0}, Vector3::UnitZ()}, properties).bottomRightCorner<6, 6>().inverse();
}

TEST(Beam, TwistsUnlessItIsLoadedInItsShearCentre) {
  // A channel held at one end: a force through the centroid has the arm y_s about the shear centre and twists it by
  // P y_s L/GJ; through the shear centre it does not (Timoshenko, Strength of Materials II).
  const Elastic elastic{70e9, 27e9};
  const BeamSection channel = channel_section(0.03, 0.05, 0.002, 0.003);
  const Matrix6 flexibility = tip_flexibility(0.8, uniform(channel, elastic));
  Vector6 at_centroid = Vector6::Unit(2), at_shear_centre = at_centroid;
  at_shear_centre[3] = channel.shear_centre.x();
  const double twist = -channel.shear_centre.x() * 0.8 / (27e9 * channel.torsion_constant);
  EXPECT_NEAR((flexibility * at_centroid)[3] / twist, 1, 1e-12);
  EXPECT_LE(std::abs((flexibility * at_shear_centre)[3]), 1e-12 * std::abs(twist));
  // The section forces know the torque about the shear centre.
  Eigen::Matrix<double, 12, 1> u = Eigen::Matrix<double, 12, 1>::Zero();
  u.tail<6>() = flexibility * at_shear_centre;
  const Eigen::Matrix<double, 12, 1> force =
      force_recovery({Vector3::Zero(), {0.8, 0, 0}, Vector3::UnitZ()}, uniform(channel, elastic)) * u;
  EXPECT_NEAR(force[2], 1, 1e-9);
  EXPECT_NEAR(force[3], 0, 1e-9);
  EXPECT_NEAR(force[4], -0.8, 1e-9);
  EXPECT_NEAR(force[10], 0, 1e-9);
}

TEST(Beam, BendsAcrossTheLoadWhereItsAxesAreNotPrincipal) {
  // An angle, rigid in shear and in torsion about its corner: w = P L³/3E · I⁻¹ for the tensor of the section as drawn.
  const Elastic elastic{70e9, 27e9};
  BeamSection angle = angle_section(0.04, 0.06, 0.005);
  angle.shear_factor_y = angle.shear_factor_z = 0;
  const double c = std::cos(angle.principal_angle), s = std::sin(angle.principal_angle), length = 0.9;
  Eigen::Matrix2d inertia;  // ∫y², ∫yz, ∫z² as drawn
  inertia << s * s * angle.second_moment_y + c * c * angle.second_moment_z,
      -s * c * (angle.second_moment_y - angle.second_moment_z), 0,
      c * c * angle.second_moment_y + s * s * angle.second_moment_z;
  inertia(1, 0) = inertia(0, 1);
  EXPECT_GT(std::abs(inertia(0, 1)), 0.1 * inertia(0, 0));
  const Eigen::Matrix2d exact = std::pow(length, 3) / (3 * elastic.youngs_modulus) * inertia.inverse();
  // Loads through the shear centre: the arm of the force has no part.
  const Matrix6 flexibility = tip_flexibility(length, uniform(angle, elastic));
  Vector6 along_y = Vector6::Unit(1), along_z = Vector6::Unit(2);
  along_y[3] = -angle.shear_centre.y();
  along_z[3] = angle.shear_centre.x();
  EXPECT_LE(((flexibility * along_y).segment<2>(1) - exact.col(0)).norm(), 1e-10 * exact.norm());
  EXPECT_LE(((flexibility * along_z).segment<2>(1) - exact.col(1)).norm(), 1e-10 * exact.norm());
}

// One element of it: EA/L, deflection under a force and rotation under a moment at its end, and the mass.
struct Tip {
  double axial, deflection, rotation, mass;
};
Tip tip_of(double length, int elements, const SectionAlong& section) {
  Assembly model;
  model.materials = {{"alloy", 70e9, 0.3, 2700, std::nullopt}};
  model.parts = {{"mast", 0, section(0)}};
  mesh_lines(model, 0, {{Vector3::Zero(), {length, 0, 0}, elements, Vector3::UnitZ()}}, section);
  model.bases = {{"fixture", {SupportNode{0}}, Vector3::Zero()}};
  const System system = make_system(model);
  Eigen::MatrixXd load = Eigen::MatrixXd::Zero(system.free, 3);
  load(system.free - 6, 0) = load(system.free - 4, 1) = load(system.free - 2, 2) = 1;
  const Eigen::MatrixXd answer =
      Factorisation(system.stiffness.ff, {system.stiffness.ff, system.node_of_column}).solve(load);
  return {answer(system.free - 6, 0), answer(system.free - 4, 1), answer(system.free - 2, 2), total_mass(model).mass};
}

TEST(Beam, TapersExactlyInOneElementOrMany) {
  // Rigid in shear. A truncated cone, diameter D at the root and d at the tip: w = 64 P L³/(3π E D³ d), axial
  // 4 P L/(π E D d), volume π L (D² + D d + d²)/12. A wedge of width b and height h(x) from H to h: rotation under a
  // moment 12 M L/(E b) (1/h² − 1/H²)/(2(H − h)), axial P L ln(H/h)/(E b (H − h)). 1e-8 is the quadrature's.
  constexpr double e = 70e9, length = 0.5;
  const auto rigid_in_shear = [](BeamSection section) {
    section.shear_factor_y = section.shear_factor_z = 0;
    return section;
  };
  for (const int elements : {1, 2, 5}) {
    const double root = 0.03, tip = 0.015;
    const Tip cone =
        tip_of(length, elements, [&](double s) { return rigid_in_shear(rod_section(root + s * (tip - root), 0.3)); });
    EXPECT_NEAR(cone.axial * pi * e * root * tip / (4 * length), 1, 1e-8) << elements;
    EXPECT_NEAR(cone.deflection / (64 * std::pow(length, 3) / (3 * pi * e * std::pow(root, 3) * tip)), 1, 1e-8);
    EXPECT_NEAR(cone.mass / (2700 * pi * length * (root * root + root * tip + tip * tip) / 12), 1, 1e-12);
    const double high = 0.05, low = 0.02, width = 0.01;
    const Tip wedge = tip_of(length, elements, [&](double s) {
      return rigid_in_shear(rectangle_section(width, high + s * (low - high), 0.3));
    });
    EXPECT_NEAR(wedge.axial / (length * std::log(high / low) / (e * width * (high - low))), 1, 1e-8) << elements;
    EXPECT_NEAR(
        wedge.rotation / (12 * length / (e * width) * (1 / (low * low) - 1 / (high * high)) / (2 * (high - low))), 1,
        1e-8)
        << elements;
    EXPECT_NEAR(wedge.mass / (2700 * length * width * 0.5 * (high + low)), 1, 1e-12);
  }
}

TEST(Section, HasTheConstantsOfTheHandbooks) {
  // Torsion of a rectangle: J = c a b³, c from Timoshenko & Goodier, Theory of Elasticity, table of art. 109 (four
  // digits).
  for (const auto& [ratio, c] : {std::pair{1.0, 0.1406}, {1.5, 0.1958}, {2.0, 0.229}, {5.0, 0.291}, {10.0, 0.312}})
    EXPECT_NEAR(rectangle_section(0.01 * ratio, 0.01, 0.3).torsion_constant / (ratio * 1e-8), c, 6e-4) << ratio;
  // Shear factors: Cowper, J. Appl. Mech. 33, 1966. A thin tube tends to 2(1+ν)/(4+3ν), a thick one to the solid rod.
  EXPECT_NEAR(tube_section(0.1, 1e-6, 0.3).shear_factor_y, 2 * 1.3 / 4.9, 1e-4);
  EXPECT_NEAR(tube_section(0.1, 0.04999999, 0.3).shear_factor_y, rod_section(0.1, 0.3).shear_factor_y, 1e-6);
  const BeamSection plank = rectangle_section(0.04, 0.01, 0.3);  // wide in y, low in z
  EXPECT_DOUBLE_EQ(plank.second_moment_y, 0.04 * 1e-6 / 12);
  EXPECT_DOUBLE_EQ(plank.second_moment_z, 0.01 * 64e-6 / 12);
}

TEST(Spring, ActsAtOnePointSoThatRigidMotionsStoreNothing) {
  std::mt19937 generator(7);
  std::uniform_real_distribution<double> value(-1, 1);
  const auto vector = [&] { return Vector3(value(generator), value(generator), value(generator)); };
  for (int trial = 0; trial < 100; ++trial) {
    const Vector3 node1 = vector(), node2 = vector(), about = vector();
    const Matrix3 axes = Eigen::AngleAxisd(value(generator) * pi, vector().normalized()).toRotationMatrix();
    Eigen::Matrix<double, 12, 6> rigid;
    rigid << rigid_arm(about, node1), rigid_arm(about, node2);
    EXPECT_LE((travel_rows(vector(), axes, node1, node2) * rigid).norm(), 1e-13);
  }
}

}  // namespace
}  // namespace avrenk
