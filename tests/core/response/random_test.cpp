#include "core/response/random.h"
#include "core/modes/modal_basis.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <random>
#include <unsupported/Eigen/FFT>
#include <unsupported/Eigen/MatrixFunctions>

#include "core/response/length_distribution.h"
#include "core/response/run_case.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

TEST(Random, AgreesWithADenseIntegralForEveryKindOfRow) {
  // Against the trapezoidal rule with 2·10⁵ points in log frequency: error below (Δ ln f/ζ)²/12 ≈ 1e-6 for ζ = 2 %.
  Assembly model = test::portal(std::nullopt);
  model.springs[1].dashpot.setConstant(8);
  const Solved solved(model, test::count(12), test::ratio(0.02));
  const Transfer transfer = solved.transfer(1);
  const LogLogTable input({{15, {}, 6}, {60, 2.0, {}}, {60, 0.7, {}}, {400, 0.7, {}}, {700, {}, -9}}, 10);
  const auto covariance = integrate_covariance(transfer, input);
  EXPECT_LT(covariance.error, covariance_tolerance);
  const Eigen::MatrixXcd motion = solved.channels.motion(9, NodeMotion::absolute_acceleration),
                         force = solved.channels.spring_force(1);
  const std::vector<Measure> measures{{"", motion},
                                      {"", motion.row(1)},
                                      {"", force.row(2)},
                                      {"", solved.channels.beam_forces(4).row(0)},
                                      {"", solved.channels.base_reaction(0, Vector3::Zero()).topRows(3)},
                                      {"", solved.channels.motion(9, NodeMotion::absolute_displacement).row(0)}};
  std::vector<double> integral(measures.size());
  for (const PowerLaw& stretch : input.stretches()) {
    constexpr int steps = 50000;
    const double step = std::log(stretch.f2 / stretch.f1) / steps;
    for (int i = 0; i <= steps; ++i) {
      const double f = stretch.f1 * std::exp(i * step),
                   weight = (i == 0 || i == steps ? 0.5 : 1) * step * f * stretch.at(f);
      const Eigen::MatrixXcd z = transfer.state(f);
      for (std::size_t k = 0; k < measures.size(); ++k) integral[k] += weight * (measures[k].rows * z).squaredNorm();
    }
  }
  for (std::size_t k = 0; k < measures.size(); ++k) {
    EXPECT_NEAR(test::root_mean_square(measures[k], covariance) / std::sqrt(integral[k]), 1, 1e-6) << k;
    EXPECT_NEAR(variance_shares(measures[k], covariance, transfer.layout()).sum(), 1, 1e-9);
  }
  // The drawn curve comes near, and nearer when it is finer.
  double coarse = 1;
  for (const int points : {7, 21, 81}) {
    const auto grid = frequency_grid({15, 700, static_cast<double>(points), points, {}}, input.curve_points(),
                                     resonances(solved.basis, solved.damping));
    std::vector<double> psd;
    for (const double f : grid) psd.push_back((measures[0].rows * transfer.state(f)).squaredNorm() * input.at(f));
    const double error = std::abs(curve_rms(grid, psd) / test::root_mean_square(measures[0], covariance) - 1);
    EXPECT_LT(error, 0.5 * coarse);
    coarse = error;
  }
  EXPECT_LT(coarse, 1e-3);
}

TEST(Random, SettlesWhereResonancesAreNarrowOrLieTogether) {
  // Two masses on like springs, weakly joined: two modes a thousandth apart, with ζ down to 1e-4, under an input with
  // steps across the resonance. Against the trapezoidal rule in the phase of the resonances' middle, 4·10⁵ points.
  for (const double zeta : {1e-4, 1e-2}) {
    const double k = 4e4, weak = 40;
    Assembly model = test::chain({1, 1}, {k, weak});
    model.springs.push_back(test::stiff_spring(0, 2, k, 0));
    const Solved solved(model, test::count(2), test::ratio(zeta));
    ASSERT_LT(solved.basis.frequency(1) / solved.basis.frequency(0) - 1, 2e-3);
    const Transfer transfer = solved.transfer(2);
    const double middle = 0.5 * (solved.basis.frequency(0) + solved.basis.frequency(1));
    const LogLogTable input({{10, 1, {}}, {middle, 1, {}}, {middle, 3, {}}, {100, 3, {}}}, 10);
    const ModalCovariance covariance = integrate_covariance(transfer, input);
    EXPECT_LT(covariance.error, covariance_tolerance);
    EXPECT_LT(covariance.rule.frequency.size(), 4000U);
    const Measure one{"", solved.channels.motion(1, NodeMotion::absolute_acceleration).row(2)};
    double sum = 0;
    for (const PowerLaw& stretch : input.stretches()) {
      constexpr int steps = 200000;
      const auto phase = [&](double f) { return std::atan((f / middle - 1) / zeta); };
      const double from = phase(stretch.f1), step = (phase(stretch.f2) - from) / steps;
      for (int i = 0; i <= steps; ++i) {
        const double t = from + i * step, f = middle * (1 + zeta * std::tan(t));
        const double width = middle * zeta / std::pow(std::cos(t), 2) * step * (i == 0 || i == steps ? 0.5 : 1);
        sum += width * stretch.v1 * (one.rows * transfer.state(f)).squaredNorm();
      }
    }
    EXPECT_NEAR(test::root_mean_square(one, covariance) / std::sqrt(sum), 1, 1e-6) << zeta;
  }
}

TEST(Random, HasTheMomentsCrossingsAndBandsOfItsSpectrum) {
  const Solved solved(test::portal(std::nullopt), test::count(12), test::ratio(0.02));
  const OutputRequest request{"tip", &output_quantities()[5], {9}, Vector3::Zero()};
  const auto watched = watch(solved.assembly, solved.channels, {request});
  Environment environment;
  environment.form = RandomInput{};
  environment.input = LogLogTable({{10, 1, {}}, {200, 1, {}}}, 10);
  environment.grid = {10, 200, 24, 21, {}};
  environment.duration = 120;
  environment.random().bands = {{10, 37}, {37, 61.5}, {61.5, 200}, {30, 500}};
  const CaseResults outcome = test::run_along(environment, 0, solved.system, solved.basis, solved.damping, watched);
  const RandomRow& row = outcome.random()->rows[0];            // relative displacement along x
  EXPECT_NEAR(row.moments.m0 / (row.rms * row.rms), 1, 1e-9);  // by the rule and by Γ
  // m₂ of the displacement is the variance of the velocity over (2π)², by Γ; m₄ that of the acceleration over (2π)⁴.
  const auto covariance = integrate_covariance(solved.transfer(0), environment.input);
  const auto rms = [&](NodeMotion motion) {
    return test::root_mean_square({"", solved.channels.motion(9, motion).row(0)}, covariance);
  };
  EXPECT_NEAR(row.moments.m2 / std::pow(rms(NodeMotion::relative_velocity) / (2 * pi), 2), 1, 1e-9);
  EXPECT_NEAR(row.moments.m4 / std::pow(rms(NodeMotion::relative_acceleration) / (4 * pi * pi), 2), 1, 1e-9);
  EXPECT_LT(row.moments.m1 * row.moments.m1, row.moments.m0 * row.moments.m2);  // Cauchy and Schwarz
  double sum = 0;
  for (const DominatingBand& band : row.bands) sum += band.share;
  EXPECT_NEAR(sum, 1, 1e-12);
  EXPECT_GE(row.bands[0].share, row.bands[1].share);
  EXPECT_NEAR(row.bands[0].frequency / solved.basis.frequency(row.shares[0].first), 1, 0.03);
  // A band-limited white response: ν₀ = √((f₂³ − f₁³)/3(f₂ − f₁)) (Rice 1945); g of 10⁴ expected extremes is 4.42
  // (Davenport 1964: √(2 ln n) + 0.5772/√(2 ln n)).
  const IntegrationRule rule{{20, 30, 40}, {1, 4, 1}};  // Simpson on [20, 40], exact to f³
  EXPECT_NEAR(spectral_moments(rule, std::vector<double>{1, 1, 1}).zero_crossings(), std::sqrt(56000.0 / 60), 1e-12);
  EXPECT_NEAR(expected_largest(50, 100), std::sqrt(2 * std::log(1e4)) + 0.5772157 / std::sqrt(2 * std::log(1e4)), 1e-7);
  EXPECT_NEAR(row.largest / row.rms, expected_largest(row.moments.zero_crossings(), 120), 1e-12);
  EXPECT_TRUE(std::isnan(outcome.random()->rows[3].largest));  // a magnitude is not Gaussian
  // Bands side by side add up as squares; one that reaches beyond the input is what lies inside, by an integral of its
  // own.
  ASSERT_EQ(row.in_bands.size(), 4U);
  EXPECT_NEAR(std::hypot(row.in_bands[0], row.in_bands[1], row.in_bands[2]) / row.rms, 1, 1e-12);
  const auto upper = integrate_covariance(solved.transfer(0), LogLogTable({{30, 1, {}}, {200, 1, {}}}, 10));
  EXPECT_NEAR(row.in_bands[3] / test::root_mean_square(
                                    {"", solved.channels.motion(9, NodeMotion::relative_displacement).row(0)}, upper),
              1, 1e-7);
  // Half the records stay below the median; a twentieth below 5 %.
  EXPECT_NEAR(std::exp(-2 * 50 * 100 * std::exp(-0.5 * std::pow(largest_below(50, 100, 0.05), 2))), 0.05, 1e-12);
  EXPECT_LT(row.largest_low, row.largest);
  EXPECT_GT(row.largest_high, row.largest);
  // Three components: what the magnitude stays below lies between that of one and of three alike (Maxwell: 2.1713).
  const RandomRow& length = outcome.random()->rows[3];
  EXPECT_GT(length.within[2] / length.rms, 2.1713);
  EXPECT_LT(length.within[2] / length.rms, 3);
  EXPECT_NEAR(row.within[2] / row.rms, 3, 1e-12);
  Eigen::Matrix3d between;  // by the covariance of the three, from the whole matrix
  const Eigen::MatrixXcd rows = solved.channels.motion(9, NodeMotion::relative_displacement);
  between = (rows * covariance.gamma * rows.adjoint()).real();
  EXPECT_NEAR(length.within[1] / length_below(Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(between).eigenvalues(),
                                              probability_within(2)),
              1, 1e-7);
}

// A record of a Gaussian input with a flat PSD from `from` to `to`: lines with complex Gaussian amplitudes, periodic.
std::vector<double> synthesise(double level, double from, double to, std::size_t samples, double step, unsigned seed) {
  std::mt19937_64 generator(seed);
  std::normal_distribution<double> normal;
  const double spacing = 1 / (static_cast<double>(samples) * step);
  std::vector<Complex> lines(samples, 0);
  for (std::size_t k = 1; k < samples / 2; ++k) {
    const double f = static_cast<double>(k) * spacing;
    if (f < from || f > to) continue;
    lines[k] =
        0.5 * std::sqrt(level * spacing) * Complex(normal(generator), normal(generator)) * static_cast<double>(samples);
    lines[samples - k] = std::conj(lines[k]);
  }
  std::vector<Complex> record;
  Eigen::FFT<double> transform;
  transform.inv(record, lines);
  std::vector<double> real(samples);
  for (std::size_t k = 0; k < samples; ++k) real[k] = record[k].real();
  return real;
}

TEST(Random, AgreesWithASimulationInTime) {
  // Two masses in a row with proportional damping, integrated in physical coordinates by the exact step for an input
  // linear between samples (matrix exponential), 40 samples a period at the upper end. Each of twelve records is
  // periodic and run twice; the second pass is steady. The mean square must lie within four standard errors of the
  // covariance result.
  const double m1 = 2, m2 = 0.7, k1 = 6e4, k2 = 3e4, zeta = 0.03, level = 2.5;
  const Solved solved(test::chain({m1, m2}, {k1, k2}), test::count(2), test::ratio(zeta));
  const Transfer transfer = solved.transfer(2);
  const LogLogTable input({{4, level, {}}, {120, level, {}}}, 10);
  const auto covariance = integrate_covariance(transfer, input);
  const double exact_acceleration = std::pow(
      test::root_mean_square({"", solved.channels.motion(2, NodeMotion::absolute_acceleration).row(2)}, covariance), 2);
  const double exact_travel =
      std::pow(test::root_mean_square({"", solved.channels.spring_travel(1).row(2)}, covariance), 2);

  Eigen::Matrix2d mass = Eigen::Vector2d(m1, m2).asDiagonal(), stiffness;
  stiffness << k1 + k2, -k2, -k2, k2;
  const Eigen::GeneralizedSelfAdjointEigenSolver<Eigen::Matrix2d> modes(stiffness, mass);
  const Eigen::Matrix2d shapes = modes.eigenvectors();
  const Eigen::Matrix2d damping =
      mass * shapes * (2 * zeta * modes.eigenvalues().cwiseSqrt()).asDiagonal() * shapes.transpose() * mass;
  // States y, ẏ, then the input and its slope, whose exponential gives the step.
  Eigen::Matrix<double, 6, 6> generator = Eigen::Matrix<double, 6, 6>::Zero();
  generator.block<2, 2>(0, 2).setIdentity();
  generator.block<2, 2>(2, 0) = -mass.inverse() * stiffness;
  generator.block<2, 2>(2, 2) = -mass.inverse() * damping;
  generator.block<2, 1>(2, 4).setConstant(-1);
  generator(4, 5) = 1;
  constexpr std::size_t samples = 1 << 17;
  const double step = 1 / (40 * 120.0);
  const Eigen::Matrix<double, 6, 6> advance = (generator * step).exp();
  std::vector<double> acceleration, travel;
  for (unsigned seed = 1; seed <= 12; ++seed) {
    const std::vector<double> base = synthesise(level, 4, 120, samples, step, seed);
    Eigen::Matrix<double, 6, 1> state = Eigen::Matrix<double, 6, 1>::Zero();
    double sum_acceleration = 0, sum_travel = 0;
    for (std::size_t n = 0; n < 2 * samples; ++n) {
      state[4] = base[n % samples];
      state[5] = (base[(n + 1) % samples] - state[4]) / step;
      state = (advance * state).eval();
      if (n < samples) continue;
      const Eigen::Vector2d absolute = -mass.inverse() * (stiffness * state.head<2>() + damping * state.segment<2>(2));
      sum_acceleration += absolute[1] * absolute[1];
      sum_travel += std::pow(state[1] - state[0], 2);
    }
    acceleration.push_back(sum_acceleration / samples);
    travel.push_back(sum_travel / samples);
  }
  const auto expect_inside = [](const std::vector<double>& values, double exact) {
    const auto n = static_cast<double>(values.size());
    double mean = 0, square = 0;
    for (const double value : values) mean += value / n;
    for (const double value : values) square += std::pow(value - mean, 2) / (n - 1);
    const double error = std::sqrt(square / n);
    EXPECT_NEAR(mean, exact, 4 * error);
    EXPECT_LT(error, 0.06 * exact);  // the interval is narrow enough to mean something
  };
  expect_inside(acceleration, exact_acceleration);
  expect_inside(travel, exact_travel);
}

// What is drawn is what is summed: power laws between points, and straight lines to where a PSD is zero, which no power
// law reaches. By hand.
TEST(RunningRms, IsTheAreaBelowTheCurveAsItIsDrawn) {
  const std::vector<double> grid{10, 20, 40, 80}, psd{0, 4, 4, 0}, wanted{0, std::sqrt(20), 10, std::sqrt(180)};
  const std::vector<double> found = running_rms(grid, psd);
  ASSERT_EQ(found.size(), wanted.size());
  for (std::size_t k = 0; k < grid.size(); ++k) EXPECT_NEAR(found[k], wanted[k], 1e-13);
  EXPECT_NEAR(curve_rms(std::vector{10.0, 100.0}, std::vector{1.0, 100.0}) / std::sqrt(3330), 1, 1e-13);
  EXPECT_EQ(curve_rms({}, {}), 0);
  EXPECT_EQ(curve_rms(std::vector{10.0}, std::vector{1.0}), 0);
}

}  // namespace
}  // namespace avrenk
