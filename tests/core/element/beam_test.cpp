#include "core/element/beam.h"

#include <gtest/gtest.h>

#include <random>

#include "core/model/assembly.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

struct RandomBeam {
  BeamGeometry geometry;
  BeamSection section;
  Elastic elastic{70e9, 27e9};
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
  beam.section = seed % 3 == 0   ? rod_section(size, 0.3)
                 : seed % 3 == 1 ? tube_section(size, 0.1 * size, 0.3)
                                 : rectangle_section(size, 3 * size, 0.3);
  beam.about = vector();
  beam.rigid << rigid_arm(beam.about, beam.geometry.end1), rigid_arm(beam.about, beam.geometry.end2);
  return beam;
}

TEST(Beam, RigidMotionsStoreNoEnergyAndCarryTheExactMass) {
  for (unsigned seed = 1; seed <= 200; ++seed) {
    SCOPED_TRACE(seed);
    const RandomBeam beam = random_beam(seed);
    const BeamMatrix k = stiffness(beam.geometry, beam.section, beam.elastic);
    EXPECT_LE((k * beam.rigid).norm(), 1e-12 * k.norm() * beam.rigid.norm());
    EXPECT_LE((k - k.transpose()).norm(), 1e-13 * k.norm());
    // Against the rigid body's own 6 x 6 mass: uniform bar, closed form, through the parallel-axes sum.
    Assembly model;
    model.nodes = {{beam.geometry.end1, "bar"}, {beam.geometry.end2, "bar"}};
    model.materials = {{"alloy", 70e9, 0.3, 2700, std::nullopt}};
    model.parts = {{"bar", 0, beam.section}};
    model.beams = {{{0, 1}, 0, beam.geometry}};
    const MassProperties bar = total_mass(model);
    const Matrix6 expected = mass_at_node(bar.mass, bar.inertia, bar.centre - beam.about);
    const Matrix6 found = beam.rigid.transpose() * mass(beam.geometry, beam.section, beam.elastic, 2700) * beam.rigid;
    EXPECT_LE((found - expected).norm(), 1e-12 * expected.norm());
  }
}

TEST(Beam, DeflectsUnderATipLoadAsTimoshenkoSays) {
  // w = P L³/3EI + P L/κGA, exact for any length of element (Timoshenko, Strength of Materials I, 1955).
  const BeamSection section = rectangle_section(0.02, 0.05, 0.3);
  const Elastic elastic{70e9, 27e9};
  const double length = 0.2;
  const BeamMatrix k = stiffness({Vector3::Zero(), {length, 0, 0}, Vector3::UnitZ()}, section, elastic);
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
  u.tail<6>() = stiffness(geometry, section, elastic).bottomRightCorner<6, 6>().ldlt().solve(tip);
  const Eigen::Matrix<double, 12, 1> force = force_recovery(geometry, section, elastic) * u;
  const Matrix3 axes = geometry.axes();
  const Vector3 moment = Vector3(0, -0.5, 0).cross(load);  // of the load about the root
  EXPECT_LE((force.segment<3>(0) - axes * load).norm(), 1e-9);
  EXPECT_LE((force.segment<3>(6) - axes * load).norm(), 1e-9);
  EXPECT_LE((force.segment<3>(3) - axes * moment).norm(), 1e-9);
  EXPECT_LE(force.segment<3>(9).norm(), 1e-9);
  EXPECT_NEAR(force[0], -5, 1e-9);  // +y load compresses a beam that points to −y
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
