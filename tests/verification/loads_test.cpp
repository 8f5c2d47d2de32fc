// Simply supported beams and plates under a uniform harmonic load by sine series (Timoshenko, Young & Weaver, Vibration
// Problems in Engineering, 1974; Mindlin, J. Appl. Mech. 18, 1951), which converge with the order of the element.
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "core/load/applied.h"
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
        const test::Solved solved(model, test::count(1000), {});
        errors.push_back(std::abs(receptance(solved, elements / 2, f) / exact(f) - 1.0));
      }
      EXPECT_LE(errors[1], 4e-4) << f;
      // h⁴; where shear and rotary inertia count h², because the mass follows static shapes.
      EXPECT_GE(errors[0] / errors[1], radius < 0.01 ? 10 : 3.8) << f;
    }
  }
}

TEST(UniformPressure, OnASimplySupportedPlateConvergesToItsSineSeries) {
  const double a = 0.3, b = 0.2, h = 4e-3, e = 71e9, nu = 0.33, rho = 2810, eta = 0.05;
  const Complex loss(1, eta);
  const double d = e * h * h * h / (12 * (1 - nu * nu)), shear = 5.0 / 6 * h * e / (2 * (1 + nu));
  const auto exact = [&](double f) {
    Complex w = 0;
    for (int m = 1; m < 200; m += 2)
      for (int n = 1; n < 200; n += 2)
        w += ((m + n) % 4 == 2 ? 1.0 : -1.0) * half_wave(pi * std::hypot(m / a, n / b), loss * shear, loss * d, rho * h,
                                                         rho * h * h * h / 12, 2 * pi * f, 16 / (pi * pi * m * n));
    return w;
  };
  const double first = pi / 2 * (1 / (a * a) + 1 / (b * b)) * std::sqrt(d / (rho * h));
  for (const double f : {0.2 * first, 0.93 * first, 1.6 * first}) {
    std::vector<double> errors;
    for (const int n : {6, 12, 24}) {
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
      const test::Solved solved(model, test::count(20), {});  // residual vectors carry the rest
      errors.push_back(std::abs(receptance(solved, n / 2 * (n + 1) + n / 2, f) / exact(f) - 1.0));
    }
    EXPECT_LE(errors[2], 0.03) << f;           // just below resonance ten times the error of the frequency
    EXPECT_GE(errors[0] / errors[1], 3) << f;  // h²
    EXPECT_GE(errors[1] / errors[2], 3) << f;
  }
}

}  // namespace
}  // namespace avrenk
