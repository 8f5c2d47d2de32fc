// Simply supported beams and plates under a uniform load, harmonic and random, by sine series (Timoshenko, Young &
// Weaver, Vibration Problems in Engineering, 1974; Mindlin, J. Appl. Mech. 18, 1951), which converge with the order of
// the element.
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "core/load/applied.h"
#include "core/system/system.h"
#include "support/checked.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using Eigen::VectorXcd;

// Amplitude of one sine half-wave of wave number k under q per length (or area): shear stiffness s, bending stiffness
// b, mass m and rotary inertia j per length (or area), of
//     s (k² W − k Θ) − m ω² W = q,   b k² Θ + s (Θ − k W) − j ω² Θ = 0
Complex half_wave(double k, Complex s, Complex b, double m, double j, double omega, double q) {
  const Complex turning = b * k * k + s - j * omega * omega;
  return q / (s * k * k - m * omega * omega - s * k * s * k / turning);
}

// Motion at `node` along z over the load per unit, under one load column.
Complex receptance(const test::Solved& solved, int node, double frequency) {
  InputColumns inputs{Eigen::MatrixXcd::Zero(solved.system.support_motion.cols(), 1), Eigen::MatrixXcd::Ones(1, 1)};
  const Transfer transfer(solved.basis, solved.damping, inputs);
  return (solved.channels.motion(node, NodeMotion::absolute_displacement) * transfer.state(frequency).col(0))[2];
}

// The plate of n x n shells, hard supported, under a pressure, and the node at its centre.
struct PressedPlate {
  double a = 0.3, b = 0.2, h = 4e-3, eta = 0.05;
  [[nodiscard]] Assembly model(int n) const;
  [[nodiscard]] static int centre(int n) { return n / 2 * (n + 1) + n / 2; }
  [[nodiscard]] double bending() const { return youngs_modulus * h * h * h / (12 * (1 - nu * nu)); }
  [[nodiscard]] double first() const { return pi / 2 * (1 / (a * a) + 1 / (b * b)) * std::sqrt(bending() / (rho * h)); }
  // Deflection at the centre per pressure, waves up to n < most.
  [[nodiscard]] Complex exact(double f, int most = 200) const {
    const Complex loss(1, eta);
    const double shear = 5.0 / 6 * h * youngs_modulus / (2 * (1 + nu));
    Complex w = 0;
    for (int m = 1; m < most; m += 2)
      for (int n = 1; n < most; n += 2)
        w += ((m + n) % 4 == 2 ? 1.0 : -1.0) * half_wave(pi * std::hypot(m / a, n / b), loss * shear, loss * bending(),
                                                         rho * h, rho * h * h * h / 12, 2 * pi * f,
                                                         16 / (pi * pi * m * n));
    return w;
  }
  static constexpr double youngs_modulus = 71e9, nu = 0.33, rho = 2810;
};

Assembly PressedPlate::model(int n) const {
  Mesh mesh;
  for (int j = 0; j <= n; ++j)
    for (int i = 0; i <= n; ++i) mesh.points.emplace_back(a * i / n, b * j / n, 0);
  for (int j = 0; j < n; ++j)
    for (int i = 0; i < n; ++i) {
      const int p = (n + 1) * j + i;
      mesh.add(shell_kind(4), std::array{p, p + 1, p + n + 2, p + n + 1});
    }
  Assembly model = test::part_of(mesh, test::shell_part("plate", h), test::alloy(eta));
  model.bases = {{"edges", {}, Vector3::Zero()}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node) {
    // Held along its normal and along the edge's own direction of turning: hard simple support.
    const Vector3& x = model.position(node);
    const bool along_y = x.x() < 1e-9 || x.x() > a - 1e-9, along_x = x.y() < 1e-9 || x.y() > b - 1e-9;
    if (along_x || along_y) model.bases[0].feet.push_back({node, {true, true, true, along_y, along_x, true}});
  }
  const Surface surface = surface_of(model);
  std::vector<int> all(model.nodes.size());
  std::iota(all.begin(), all.end(), 0);
  Load load;
  load.name = "pressure";
  load.columns = {
      uniform_pressure(pressed_faces(model, "p", faces_within(surface, all), {Vector3(0, 0, -1), std::nullopt}))};
  load.factors = {1};
  model.loads = {load};
  return model;
}

// A beam on two supports under a force along its length.
Assembly loaded_beam(test::Cantilever c, int elements) {
  c.elements = elements;
  Assembly model = test::cantilever(c);
  model.bases[0].feet = {{0, {true, true, true, true, false, true}},
                         {elements, {false, true, true, false, false, false}}};
  LoadColumn along;
  for (int beam = 0; beam < elements; ++beam) along.on_beams[beam] = Vector3::UnitZ();
  Load load;
  load.name = "along";
  load.columns = {along};
  load.factors = {1};
  model.loads = {load};
  return model;
}

TEST(UniformLoad, OnASimplySupportedBeamConvergesToItsSineSeries) {
  for (const double radius : {0.004, 0.06}) {  // slender, where Euler and Bernoulli are right, and stubby
    const double eta = 0.04;
    test::Cantilever c;
    c.section = rod_section(radius, 0.3);
    c.material.loss_factor = eta;
    const double e = c.material.youngs_modulus, g = e / 2.6, i = c.section.second_moment_y, a = c.section.area;
    const Complex loss(1, eta);
    const auto exact = [&](double f) {
      Complex w = 0;
      for (int n = 1; n < 4000; n += 2)
        w += (n % 4 == 1 ? 1.0 : -1.0) * half_wave(n * pi, loss * (c.section.shear_factor_z * g * a), loss * (e * i),
                                                   2700 * a, 2700 * i, 2 * pi * f, 4 / (n * pi));
      return w;
    };
    const double first = pi / 2 * std::sqrt(e * i / (2700 * a));
    if (radius < 0.01) {  // the slender one against the series without shear and rotary inertia
      const double f = 0.7 * first, w2 = std::pow(2 * pi * f, 2);
      Complex thin = 0;
      for (int n = 1; n < 4000; n += 2)
        thin += (n % 4 == 1 ? 1.0 : -1.0) * 4 / (n * pi) / (std::pow(n * pi, 4) * loss * (e * i) - 2700 * a * w2);
      EXPECT_LE(std::abs(exact(f) / thin - 1.0), 1e-3);
    }
    for (const double f : {0.3 * first, 0.95 * first, 5.5 * first}) {
      std::vector<double> errors;
      for (const int elements : {8, 16}) {
        const test::Solved solved(loaded_beam(c, elements), test::count(1000), {});
        errors.push_back(std::abs(receptance(solved, elements / 2, f) / exact(f) - 1.0));
      }
      const test::KnownProblem known(
          fmt::format("{} simply supported beam, uniform load, 16 beams", radius < 0.01 ? "slender" : "stubby"),
          "sine series of Timoshenko's beam");
      known.error(fmt::format("complex receptance of the middle at {:.2g} of the first frequency", f / first),
                  errors[1], 4e-4);
      // h⁴; where shear and rotary inertia count h², because the mass follows static shapes.
      EXPECT_GE(errors[0] / errors[1], radius < 0.01 ? 10 : 3.8) << f;
    }
  }
}

TEST(UniformPressure, OnASimplySupportedPlateConvergesToItsSineSeries) {
  const PressedPlate plate;
  for (const double part : {0.2, 0.93, 1.6}) {
    const double f = part * plate.first();
    std::vector<double> errors;
    for (const int n : {6, 12, 24}) {
      const test::Solved solved(plate.model(n), test::count(20), {});  // residual vectors carry the rest
      errors.push_back(std::abs(receptance(solved, PressedPlate::centre(n), f) / plate.exact(f) - 1.0));
    }
    // Just below resonance ten times the error of the frequency.
    const test::KnownProblem known("simply supported plate, uniform pressure, 24 x 24 shells",
                                   "double sine series of Mindlin's plate");
    known.error(fmt::format("complex receptance of the middle at {} of the first frequency", part), errors[2], 0.03);
    EXPECT_GE(errors[0] / errors[1], 3) << f;  // h²
    EXPECT_GE(errors[1] / errors[2], 3) << f;
  }
}

// Mean square of the deflection at `node` along z per PSD of the load, flat from f1 to f2.
double mean_square(const test::Solved& solved, int node, double f1, double f2) {
  InputColumns inputs{Eigen::MatrixXcd::Zero(solved.system.support_motion.cols(), 1), Eigen::MatrixXcd::Ones(1, 1)};
  const Transfer transfer(solved.basis, solved.damping, inputs);
  const ModalCovariance covariance = integrate_covariance(transfer, LogLogTable({{f1, 1, {}}, {f2, 1, {}}}, 10));
  const auto row = solved.channels.motion(node, NodeMotion::absolute_displacement).row(2);
  return std::pow(test::root_mean_square({"", row}, covariance), 2);
}

// ∫ |w|² df by Simpson's rule, which is exact to 1e-6 here: forty steps a half-bandwidth.
template <typename Response>
double integral_of_square(const Response& response, double f1, double f2, int steps) {
  double sum = 0;
  for (int k = 0; k <= steps; ++k)
    sum += std::norm(response(f1 + (f2 - f1) * k / steps)) * (k == 0 || k == steps ? 1 : k % 2 ? 4 : 2);
  return sum * (f2 - f1) / (3 * steps);
}

TEST(RandomLoad, OnASimplySupportedBeamIsTheIntegralOfItsSineSeries) {
  const double eta = 0.04;
  test::Cantilever c;
  c.section = rod_section(0.004, 0.3);
  c.material.loss_factor = eta;
  const double e = c.material.youngs_modulus, g = e / 2.6, i = c.section.second_moment_y, a = c.section.area;
  const double first = pi / 2 * std::sqrt(e * i / (2700 * a)), f1 = 0.4 * first, f2 = 12 * first;  // three modes
  const Complex loss(1, eta);
  const double exact = integral_of_square(
      [&](double f) {
        Complex w = 0;
        for (int n = 1; n < 60; n += 2)
          w += (n % 4 == 1 ? 1.0 : -1.0) * half_wave(n * pi, loss * (c.section.shear_factor_z * g * a), loss * (e * i),
                                                     2700 * a, 2700 * i, 2 * pi * f, 4 / (n * pi));
        return w;
      },
      f1, f2, 24000);
  std::vector<double> errors;
  for (const int elements : {4, 8, 16}) {
    const test::Solved solved(loaded_beam(c, elements), test::count(1000), {});
    errors.push_back(std::abs(mean_square(solved, elements / 2, f1, f2) / exact - 1));
  }
  const test::KnownProblem known("simply supported beam, random load, 16 beams", "∫ of the sine series' square");
  known.error("mean square of the middle", errors[2], 1e-4);
  EXPECT_GE(errors[0] / errors[1], 10);  // h⁴
  EXPECT_GE(errors[1] / errors[2], 10);
}

TEST(RandomPressure, OnASimplySupportedPlateIsTheIntegralOfItsSineSeries) {
  const PressedPlate plate;
  const double f1 = 0.3 * plate.first(), f2 = 7 * plate.first();  // four modes that the centre sees
  const double exact = integral_of_square([&](double f) { return plate.exact(f, 40); }, f1, f2, 12000);
  std::vector<double> errors;
  for (const int n : {6, 12, 24}) {
    const test::Solved solved(plate.model(n), test::count(30), {});
    errors.push_back(std::abs(mean_square(solved, PressedPlate::centre(n), f1, f2) / exact - 1));
  }
  const test::KnownProblem known("simply supported plate, random pressure, 24 x 24 shells",
                                 "∫ of the double sine series' square");
  known.error("mean square of the middle", errors[2], 0.02);
  EXPECT_GE(errors[0] / errors[1], 3);  // h²
  EXPECT_GE(errors[1] / errors[2], 3);
}

}  // namespace
}  // namespace avrenk
