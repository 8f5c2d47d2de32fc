#include "core/element/section.h"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

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
  EXPECT_NEAR(largest(rod, unit(4), 1) * pi * std::pow(d, 3) / 32, 1, 1e-12);
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

// Stress along an outline, point by point: normal and shear.
using Outline = std::vector<std::pair<double, double>>;
constexpr int dense = 300;  // points a side, or a wall

// N Vy Vz T My Mz on a rectangle; shear of torsion from Saint-Venant's series for the sides y = ±w/2 of a section
// taller than wide, as written for the whole section: τ = Gθ ∂φ/∂n, 200 terms.
Outline on_rectangle(double w, double h, const Eigen::Matrix<double, 6, 1>& f) {
  double j = 0, terms = 400;
  for (int n = 1; n < terms; n += 2) j += std::tanh(n * pi * h / (2 * w)) / std::pow(n, 5);
  j = h * w * w * w * (1 - 192 * w / (std::pow(pi, 5) * h) * j) / 3;
  const auto tall = [&](double z) {
    double sum = 0;
    for (int n = 1; n < terms; n += 2) {
      const double x = n * pi / (2 * w);
      sum += std::exp(x * (2 * std::abs(z) - h)) * (1 + std::exp(-4 * x * std::abs(z))) / (1 + std::exp(-2 * x * h)) /
             (n * n);
    }
    return w * (1 - 8 / (pi * pi) * sum) / j;
  };
  const auto flat = [&](double y) {
    double sum = 0;
    for (int n = 1; n < terms; n += 2)
      sum += (n % 4 == 1 ? 1 : -1) * std::tanh(n * pi * h / (2 * w)) * std::cos(n * pi * y / w) / (n * n);
    return 8 * w / (pi * pi) * sum / j;
  };
  Outline all;
  for (int k = 0; k <= dense; ++k)
    for (const double side : {-0.5, 0.5}) {
      const double part = static_cast<double>(k) / dense - 0.5, bump = 1.5 * (1 - 4 * part * part) / (w * h);
      const auto normal = [&](double y, double z) {
        return f[0] / (w * h) + f[4] * z * 12 / (w * h * h * h) - f[5] * y * 12 / (h * w * w * w);
      };
      all.emplace_back(normal(side * w, part * h), f[2] * bump + f[3] * 2 * side * tall(part * h));
      all.emplace_back(normal(part * w, side * h), f[1] * bump - f[3] * 2 * side * flat(part * w));
    }
  return all;
}

// An I of equal flanges, by V S/I on its middle lines: width b, height h between flanges.
Outline on_i(const BeamSection& section, double b, double h, double tf, double tw,
             const Eigen::Matrix<double, 6, 1>& f) {
  const double iy = tw * h * h * h / 12 + 2 * b * tf * h * h / 4, iz = 2 * tf * b * b * b / 12;
  Outline all;
  // `turning`: which way the torque runs on this face.
  const auto add = [&](double y, double z, double flow, double t, double turning) {
    const double normal = f[0] / section.area + f[4] * z / section.second_moment_y - f[5] * y / section.second_moment_z;
    all.emplace_back(normal, flow / t + 2 * turning * f[3] * t / section.torsion_constant);
  };
  for (int k = 0; k <= dense; ++k) {
    const double part = static_cast<double>(k) / dense - 0.5, y = part * b, z = part * h;
    for (const double up : {-1.0, 1.0})  // towards +y: outwards in the upper flange, inwards in the lower
      for (const double face : {-0.5, 0.5})
        add(y, up * (h / 2) + face * tf,
            f[1] * tf * (b * b / 8 - y * y / 2) / iz +
                up * std::copysign(1, y) * f[2] * tf * (b / 2 - std::abs(y)) * h / 2 / iy,
            tf, -face);
    for (const double face : {-0.5, 0.5})
      add(face * tw, z, f[2] * (tf * b * h / 2 + tw * (h * h / 8 - z * z / 2)) / iy, tw, face);
  }
  return all;
}

// A T: flange b x tf on a web of height h below its middle line.
Outline on_tee(const BeamSection& section, double b, double h, double tf, double tw,
               const Eigen::Matrix<double, 6, 1>& f) {
  // Of the middle lines; z from the flange downwards, and from the exact centroid for bending.
  const double centre = tw * h * h / 2 / (b * tf + h * tw),
               iy = b * tf * centre * centre + tw * h * (h * h / 12 + std::pow(h / 2 - centre, 2)),
               iz = tf * b * b * b / 12;
  const double exact = (b * tf * 0 + (h - tf / 2) * tw * (h + tf / 2) / 2) / (b * tf + (h - tf / 2) * tw);
  Outline all;
  const auto add = [&](double y, double down, double flow, double t, double turning) {
    const double normal =
        f[0] / section.area + f[4] * (exact - down) / section.second_moment_y - f[5] * y / section.second_moment_z;
    all.emplace_back(normal, flow / t + 2 * turning * f[3] * t / section.torsion_constant);
  };
  for (int k = 0; k <= dense; ++k) {
    const double part = static_cast<double>(k) / dense, y = (part - 0.5) * b, down = part * h;
    for (const double face : {-0.5, 0.5}) {
      add(y, face * tf,
          f[1] * tf * (b * b / 8 - y * y / 2) / iz +
              std::copysign(1, y) * f[2] * tf * (b / 2 - std::abs(y)) * centre / iy,
          tf, face);
      add(face * tw, down, f[2] * tw * ((h - centre) * (h - centre) - (down - centre) * (down - centre)) / 2 / iy, tw,
          face);
    }
  }
  return all;
}

// The largest von Mises stress of the points against that of outlines and walls in 300 points a side, under each
// force alone and under drawn combinations: never low, and as much high as the header says.
TEST(Stress, IsBoundedByThePointsOfASection) {
  struct Case {
    const char* name;
    BeamSection section;
    std::function<Outline(const Eigen::Matrix<double, 6, 1>&)> outline;
  };
  std::vector<Case> cases;
  for (const auto& [w, h] : {std::pair{10.0, 10.0}, {10.0, 14.0}, {4.0, 40.0}})
    cases.push_back({"rectangle", rectangle_section(w * mm, h * mm, 0.3),
                     [w = w, h = h](const auto& f) { return on_rectangle(w * mm, h * mm, f); }});
  const BeamSection i = i_section(50 * mm, 2 * mm, {40 * mm, 3 * mm}, {40 * mm, 3 * mm});
  cases.push_back({"I", i, [i](const auto& f) { return on_i(i, 40 * mm, 47 * mm, 3 * mm, 2 * mm, f); }});
  const BeamSection tee = tee_section(50 * mm, 40 * mm, 3 * mm, 4 * mm);
  cases.push_back({"T", tee, [tee](const auto& f) { return on_tee(tee, 50 * mm, 38 * mm, 4 * mm, 3 * mm, f); }});
  std::mt19937 random(5);
  std::normal_distribution<double> normal;
  for (const Case& each : cases) {
    const BeamSection& own = each.section;
    const double depth = std::sqrt(own.second_moment_y / own.area);
    double highest = 0;
    for (int k = 0; k < 46; ++k) {
      Eigen::Matrix<double, 6, 1> forces = Eigen::Matrix<double, 6, 1>::Unit(k % 6);
      if (k >= 6)  // of such sizes that all count
        forces << normal(random), normal(random), normal(random), 0.2 * depth * normal(random), depth * normal(random),
            depth * normal(random);
      const auto mises = [](double s, double t) { return std::sqrt(s * s + 3 * t * t); };
      double points = 0, exact = 0;
      for (const StressPoint& point : own.points) {
        const Eigen::Vector3d stress = stress_rows(own, point) * forces;
        points = std::max(points, mises(stress[0] + stress[1], stress[2]));
      }
      for (const auto& [s, t] : each.outline(forces)) exact = std::max(exact, mises(s, t));
      EXPECT_GE(points / exact, 1 - 1e-4) << each.name << " " << k;  // the series of torsion is no parabola
      EXPECT_LE(points / exact, k < 6 ? 1 + 2e-3 : 1.03) << each.name << " " << k;
      highest = std::max(highest, points / exact);
    }
    EXPECT_GT(highest, 1.0001) << each.name;  // it is a bound
  }
}

}  // namespace
}  // namespace avrenk
