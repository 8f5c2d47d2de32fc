#include "core/element/section.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/element/beam.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

constexpr double mm = 1e-3;

TEST(Section, HasTheMomentsOfSumsAndDifferencesOfRectangles) {
  const auto rectangle = [](double b, double h) { return b * h * h * h / 12; };
  const BeamSection box = box_section(60 * mm, 40 * mm, 2 * mm, 3 * mm);
  EXPECT_NEAR(box.area, (60 * 40 - 56 * 34) * mm * mm, 1e-15);
  EXPECT_NEAR(box.second_moment_y, rectangle(60 * mm, 40 * mm) - rectangle(56 * mm, 34 * mm), 1e-18);
  EXPECT_NEAR(box.second_moment_z, rectangle(40 * mm, 60 * mm) - rectangle(34 * mm, 56 * mm), 1e-18);
  const BeamSection i = i_section(40 * mm, 2 * mm, {60 * mm, 3 * mm}, {60 * mm, 3 * mm});
  EXPECT_NEAR(i.second_moment_y, rectangle(60 * mm, 40 * mm) - rectangle(58 * mm, 34 * mm), 1e-18);
  EXPECT_NEAR(i.second_moment_z, 2 * rectangle(3 * mm, 60 * mm) + rectangle(34 * mm, 2 * mm), 1e-18);
  // A channel is the box without one side; its centroid from the back of the web is Σ A y / Σ A.
  const BeamSection channel = channel_section(30 * mm, 50 * mm, 2 * mm, 3 * mm);
  EXPECT_NEAR(channel.second_moment_y, rectangle(30 * mm, 50 * mm) - rectangle(28 * mm, 44 * mm), 1e-18);
  // Unequal angle 60 x 40 x 5: hand sums about the corner, then principal moments from the 2 x 2 tensor.
  const BeamSection angle = angle_section(40 * mm, 60 * mm, 5 * mm);
  const double area = 40 * 5 + 5 * 55, y = (40 * 5 * 20 + 5 * 55 * 2.5) / area,
               z = (40 * 5 * 2.5 + 55 * 5 * 32.5) / area;
  const double yy =
      40 * 125 / 12.0 + 200 * std::pow(2.5 - z, 2) + 5 * std::pow(55, 3) / 12 + 275 * std::pow(32.5 - z, 2);
  const double zz = 5 * 64000 / 12.0 + 200 * std::pow(20 - y, 2) + 55 * 125 / 12.0 + 275 * std::pow(2.5 - y, 2);
  const double yz = 200 * (20 - y) * (2.5 - z) + 275 * (2.5 - y) * (32.5 - z);
  const double mean = 0.5 * (yy + zz), radius = std::hypot(0.5 * (yy - zz), yz);
  EXPECT_NEAR(angle.second_moment_y / 1e-12, mean + radius, 1e-6);  // the taller leg bends stiffest about y
  EXPECT_NEAR(angle.second_moment_z / 1e-12, mean - radius, 1e-6);
  EXPECT_NEAR(std::tan(2 * angle.principal_angle), 2 * yz / (zz - yy), 1e-9);
}

TEST(Section, HasTheTorsionAndShearCentreOfThinWalls) {
  // Timoshenko, Strength of Materials II: Bredt's cell; Σ b t³/3 of open walls; the shear centre of a channel lies
  // 3 b² t_f / (6 b t_f + h t_w) behind the middle of its web (middle lines b, h), that of an angle or a T where the
  // walls meet, that of an I with unlike flanges where their second moments balance.
  EXPECT_NEAR(box_section(60 * mm, 40 * mm, 2 * mm, 3 * mm).torsion_constant /
                  (4 * std::pow(58 * 37, 2) / (2 * 58 / 3.0 + 2 * 37 / 2.0) * 1e-12),
              1, 1e-12);
  EXPECT_NEAR(channel_section(30 * mm, 50 * mm, 2 * mm, 3 * mm).torsion_constant, (2 * 30 * 27 + 44 * 8) / 3.0 * 1e-12,
              1e-18);
  const BeamSection channel = channel_section(30 * mm, 50 * mm, 2 * mm, 3 * mm);
  const double b = 29, h = 47, behind = 3 * b * b * 3 / (6 * b * 3 + h * 2);
  const double centroid = (2 * 30 * 3 * 15 + 44 * 2 * 1) / (2 * 30 * 3 + 44 * 2.0);  // from the back of the web
  EXPECT_NEAR(channel.shear_centre.x() / mm, 1 - behind - centroid, 1e-9);
  EXPECT_EQ(channel.shear_centre.y(), 0);
  const BeamSection angle = angle_section(40 * mm, 60 * mm, 5 * mm);
  const double area = 475, y = (200 * 20 + 275 * 2.5) / area, z = (200 * 2.5 + 275 * 32.5) / area;
  EXPECT_NEAR(angle.shear_centre.x() / mm, 2.5 - y, 1e-9);
  EXPECT_NEAR(angle.shear_centre.y() / mm, 2.5 - z, 1e-9);
  const BeamSection tee = tee_section(50 * mm, 40 * mm, 3 * mm, 4 * mm);
  const double tee_centroid = (50 * 4 * 38 + 36 * 3 * 18) / (200 + 108.0);
  EXPECT_NEAR(tee.shear_centre.y() / mm, 38 - tee_centroid, 1e-9);
  const BeamSection unlike = i_section(80 * mm, 2 * mm, {60 * mm, 3 * mm}, {30 * mm, 3 * mm});
  const double top = std::pow(60, 3), bottom = std::pow(30, 3), apart = 77;
  const double low = (60 * 3 * 78.5 + 30 * 3 * 1.5 + 74 * 2 * 40) / (180 + 90 + 148.0);
  EXPECT_NEAR(unlike.shear_centre.y() / mm, 78.5 - apart * bottom / (top + bottom) - low, 1e-9);
}

TEST(Section, HasTheShearAreaOfTheEnergyOfItsFlow) {
  // Midpoint rule with 2·10⁵ points over Q²/t of an I and a box of thin walls, from the closed form of the flow in
  // each.
  const auto integrate = [](double length, auto&& q) {
    constexpr int n = 200000;
    double sum = 0;
    for (int k = 0; k < n; ++k) sum += std::pow(q(length * (k + 0.5) / n), 2) * length / n;
    return sum;
  };
  const double width = 50, height = 47, tf = 3, tw = 2;  // middle lines
  const auto moment = [&](int webs) {
    return webs * tw * std::pow(height, 3) / 12 + 2 * width * tf * height * height / 4;
  };
  const auto flange = [&](double s) { return tf * s * height / 2; };
  const auto web = [&](double half_width) {
    return [=](double z) { return tf * half_width * height / 2 + tw * (z * height / 2 - z * z / 2); };
  };
  const double in_i =
      4 * integrate(width / 2, flange) / tf + integrate(height, [&](double z) { return web(width)(z); }) / tw;
  const BeamSection i = i_section((height + tf) * mm, tw * mm, {width * mm, tf * mm}, {width * mm, tf * mm});
  EXPECT_NEAR(i.shear_factor_z * i.area / (mm * mm), std::pow(moment(1), 2) / in_i, 1e-6);
  const double in_box =
      4 * integrate(width / 2, flange) / tf + 2 * integrate(height, [&](double z) { return web(width / 2)(z); }) / tw;
  const BeamSection box = box_section((width + tw) * mm, (height + tf) * mm, tw * mm, tf * mm);
  EXPECT_NEAR(box.shear_factor_z * box.area / (mm * mm), std::pow(moment(2), 2) / in_box, 1e-6);
  // Turned by 90° the box is the same box.
  const BeamSection turned = box_section((height + tf) * mm, (width + tw) * mm, tf * mm, tw * mm);
  EXPECT_NEAR(turned.shear_factor_y, box.shear_factor_z, 1e-12);
  EXPECT_NEAR(turned.torsion_constant, box.torsion_constant, 1e-18);
}

double largest(const BeamSection& section, const Eigen::Matrix<double, 6, 1>& forces, int row) {
  double most = 0;
  for (const StressPoint& point : section.points)
    most = std::max(most, std::abs(stress_rows(section, point).row(row) * forces));
  return most;
}

TEST(Stress, IsThatOfTheHandbooksUnderEachForceAlone) {
  const auto unit = [](int i) { return Eigen::Matrix<double, 6, 1>(Eigen::Matrix<double, 6, 1>::Unit(i)); };
  // Round bar: 4V/3A, 16T/πd³, 32M/πd³ with the polygon's 0.86 % at most; a thin tube 2V/A.
  const double d = 20 * mm;
  const BeamSection rod = rod_section(d, 0.3);
  EXPECT_NEAR(largest(rod, unit(1), 2) * rod.area, 4.0 / 3, 1e-12);
  EXPECT_NEAR(largest(rod, unit(3), 2) * pi * std::pow(d, 3) / 16, 1, 1e-12);
  EXPECT_NEAR(largest(rod, unit(4), 1) * pi * std::pow(d, 3) / 32, 1 / std::cos(pi / round_points), 1e-12);
  for (int k = 0; k < 100; ++k) {  // bending in any direction: never low, at most 0.86 % high
    Eigen::Matrix<double, 6, 1> moment = Eigen::Matrix<double, 6, 1>::Zero();
    moment.tail<2>() << std::cos(0.1 * k), std::sin(0.1 * k);
    const double ratio = largest(rod, moment, 1) * pi * std::pow(d, 3) / 32;
    EXPECT_GE(ratio, 1 - 1e-12);
    EXPECT_LE(ratio, 1.0087);
  }
  const BeamSection thin = tube_section(20 * mm, 0.01 * mm, 0.3);
  EXPECT_NEAR(largest(thin, unit(2), 2) * thin.area, 2, 2e-3);
  // Rectangle: 3V/2A; T/(c a b²) with c of Timoshenko & Goodier, table of art. 109 (three digits).
  for (const auto& [ratio, c] : {std::pair{1.0, 0.208}, {1.5, 0.231}, {2.0, 0.246}, {5.0, 0.291}, {10.0, 0.312}}) {
    for (const bool upright : {false, true}) {
      const double a = 10 * ratio * mm, b = 10 * mm;
      const BeamSection plank = upright ? rectangle_section(b, a, 0.3) : rectangle_section(a, b, 0.3);
      EXPECT_NEAR(largest(plank, unit(3), 2) * a * b * b * c, 1, 3e-3) << ratio;
      EXPECT_NEAR(largest(plank, unit(2), 2) * plank.area, 1.5, 1e-12);
      EXPECT_NEAR(largest(plank, unit(4), 1) * plank.second_moment_y, 0.5 * (upright ? a : b), 1e-15);
    }
  }
  // Open and closed walls: t T / J at the thickest wall, T / 2At in the thinner one; M z / I at the edge.
  const BeamSection i = i_section(40 * mm, 2 * mm, {60 * mm, 3 * mm}, {60 * mm, 3 * mm});
  EXPECT_NEAR(largest(i, unit(3), 2) * i.torsion_constant, 3 * mm, 1e-12);
  EXPECT_NEAR(largest(i, unit(4), 1) * i.second_moment_y, 20 * mm, 1e-12);
  EXPECT_NEAR(largest(i, unit(5), 1) * i.second_moment_z, 30 * mm, 1e-12);
  const BeamSection box = box_section(60 * mm, 40 * mm, 2 * mm, 3 * mm);
  EXPECT_NEAR(largest(box, unit(3), 2) * 2 * 58 * 37 * 2 * 1e-9, 1, 1e-12);
  // An angle bends about its principal axes: stress at each corner from the full tensor, σ = (My, −Mz) I⁻¹ (z, y).
  const BeamSection angle = angle_section(40 * mm, 60 * mm, 5 * mm);
  const double c = std::cos(angle.principal_angle), s = std::sin(angle.principal_angle);
  const double yy = c * c * angle.second_moment_y + s * s * angle.second_moment_z,
               zz = s * s * angle.second_moment_y + c * c * angle.second_moment_z,
               yz = -s * c * (angle.second_moment_y - angle.second_moment_z);
  for (const StressPoint& point : angle.points) {
    const double y = c * point.y - s * point.z, z = s * point.y + c * point.z;
    const double exact = (2 * (zz * z - yz * y) - 3 * (yy * y - yz * z)) / (yy * zz - yz * yz);
    EXPECT_NEAR((stress_rows(angle, point) * (2 * unit(4) + 3 * unit(5)))[1] / exact, 1, 1e-9);
  }
}

}  // namespace
}  // namespace avrenk
