// Cantilevers against closed forms and against the beam's differential equations integrated by another route.
#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <unsupported/Eigen/MatrixFunctions>

#include "core/modes/modal_basis.h"
#include "support/checked.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Cantilever;
using test::Solved;

// Slender, rigid in shear: Euler–Bernoulli.
Cantilever slender(int elements) {
  Cantilever c;
  c.section = rectangle_section(2e-5, 3e-5, 0.3);
  c.section.shear_factor_y = c.section.shear_factor_z = 0;
  c.elements = elements;
  return c;
}

struct Root {
  int mode;
  double root, tolerance;
};
class SlenderCantilever : public testing::TestWithParam<Root> {};

// 1 + cos b cosh b = 0. Cubic elements with consistent mass overestimate f by (b h/L)⁴/1440 (Przemieniecki 1968): that
// error itself is tested. Mode 2k−2 bends along the weaker axis z-y.
TEST_P(SlenderCantilever, HasTheErrorThatTheoryPredicts) {
  const auto [mode, root, tolerance] = GetParam();
  const Cantilever c = slender(16);
  const Solved solved(test::cantilever(c), test::count(12), test::ratio(0.01));
  const double predicted = std::pow(root / c.elements, 4) / 1440;
  const double unit =
      std::sqrt(c.material.youngs_modulus * c.section.second_moment_y / (c.material.density * c.section.area)) /
      (2 * pi);
  // Modes of both planes alternate; look for the one nearest to the closed form.
  double best = 1;
  for (int r = 0; r < solved.basis.modes; ++r) {
    const double error = solved.basis.frequency(r) / (root * root * unit) - 1;
    if (std::abs(error) < std::abs(best)) best = error;
  }
  const test::KnownProblem known("slender cantilever, 16 beams",
                                 "1 + cos b cosh b = 0; (bh/L)⁴/1440, Przemieniecki 1968");
  known.value(fmt::format("error of frequency {}", mode), best, predicted, tolerance);
}
INSTANTIATE_TEST_SUITE_P(ClosedForm, SlenderCantilever,
                         testing::Values(Root{1, 1.87510407, 0.05}, Root{2, 4.69409113, 0.03},
                                         Root{3, 7.85475744, 0.03}));

TEST(BaseExcitedCantilever, FollowsEulerAndBernoulli) {
  // Tip over base, both absolute: (cos b + cosh b)/(1 + cos b cosh b), b⁴ = ρA ω² L⁴/(EI(1 + iη)).
  Cantilever c = slender(48);
  c.material.loss_factor = 0.04;
  const Solved solved(test::cantilever(c), test::count(60), {});
  const double bending = c.material.youngs_modulus * c.section.second_moment_y;
  const Channel tip = solved.channels.motion(c.elements, NodeMotion::absolute_acceleration).row(2);
  for (const double b0 : {0.3, 1.5, 1.87510407, 3.0, 4.69409113, 6.0}) {
    const double omega = b0 * b0 * std::sqrt(bending / (c.material.density * c.section.area));
    const Complex b = b0 / std::pow(Complex(1, 0.04), 0.25);
    const Complex exact = (std::cos(b) + std::cosh(b)) / (1.0 + std::cos(b) * std::cosh(b));
    // Mesh error 2(b h)⁴/1440 of the frequency times the amplification 1/η, and rounding.
    const test::KnownProblem known("base-excited slender cantilever, 48 beams, η = 4 %",
                                   "(cos b + cosh b)/(1 + cos b cosh b), complex b");
    known.error(fmt::format("complex motion of the tip at b = {:.4g}", b0),
                std::abs(solved.response(tip, 2, omega / (2 * pi)) - exact) / std::abs(exact), 1e-5);
  }
}

// Timoshenko's equations as y' = A(ω) y, y = (w/L, θ, M L/EI, V L²/EI) over x/L, carried from root to tip by the matrix
// exponential: w' = θ + V/κGA, θ' = M/EI, M' = −V − ρI ω² θ, V' = −ρA ω² w. Clamped, base amplitude 1, free tip.
Complex timoshenko_tip(const Cantilever& c, double omega) {
  const Complex factor(1, c.material.loss_factor.value_or(0));
  const Elastic e = c.material.elastic();
  const double bending = e.youngs_modulus * c.section.second_moment_y, l = c.length;
  Eigen::Matrix4cd a = Eigen::Matrix4cd::Zero();
  a(0, 1) = 1;
  a(0, 3) = bending / (factor * c.section.shear_factor_z * e.shear_modulus * c.section.area * l * l);
  a(1, 2) = 1.0 / factor;
  a(2, 1) = -c.material.density * c.section.second_moment_y * omega * omega * l * l / bending;
  a(2, 3) = -1;
  a(3, 0) = -c.material.density * c.section.area * omega * omega * std::pow(l, 4) / bending;
  const Eigen::Matrix4cd carry = a.exp();
  const Eigen::Vector2cd root = -carry.bottomRightCorner<2, 2>().inverse() * carry.block<2, 1>(2, 0);
  return carry(0, 0) + (carry.block<1, 2>(0, 2) * root)(0);
}

// The element's shear strain is constant, so a short beam converges with h² where a slender one does with h⁴ (above).
TEST(BaseExcitedCantilever, ConvergesToTimoshenkoWithTheSquareOfTheLength) {
  Cantilever c;
  c.section = rectangle_section(0.06, 0.09, 0.3);  // length/height 11: shear and rotary inertia count
  c.material.loss_factor = 0.05;
  for (const double frequency : {40.0, 420.0, 1100.0}) {
    std::vector<double> error;
    for (const int elements : {8, 16, 32}) {
      c.elements = elements;
      const Solved solved(test::cantilever(c), test::count(6 * elements), {});
      const Channel tip = solved.channels.motion(elements, NodeMotion::absolute_acceleration).row(2);
      const Complex exact = timoshenko_tip(c, 2 * pi * frequency);
      error.push_back(std::abs(solved.response(tip, 2, frequency) - exact) / std::abs(exact));
    }
    EXPECT_NEAR(std::log2(error[1] / error[2]), 2, 0.1)
        << frequency << " Hz, errors " << error[0] << " " << error[1] << " " << error[2];
    const test::KnownProblem known("base-excited stubby cantilever, 32 beams, η = 5 %",
                                   "Timoshenko's equations by matrix exponential");
    known.error(fmt::format("complex motion of the tip at {} Hz", frequency), error[2], 3e-3);
  }
}

}  // namespace
}  // namespace avrenk
