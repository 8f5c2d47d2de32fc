// One mass on one spring: every formula of the response has a closed form.
#include <gtest/gtest.h>

#include "core/response/sweep.h"
#include "support/checked.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;
constexpr double one_mass = 2.5, natural_frequency = 40;
const double one_spring = one_mass * std::pow(2 * pi * natural_frequency, 2);

struct DampedCase {
  double ratio, loss_factor;
};
class SingleDof : public testing::TestWithParam<DampedCase> {};

// Base displacement u: relative r²/(1 − r² + i(2ζr + η)), absolute (1 + i(2ζr + η))/(…), spring force −m ü_abs
// (Thomson, Theory of Vibration, 1988, section 3.5). Closed form to 1e-10.
TEST_P(SingleDof, FollowsTheClosedFormUnderBaseMotion) {
  const auto [zeta, eta] = GetParam();
  const Solved solved(test::chain({one_mass}, {one_spring}), test::count(6),
                      eta > 0 ? test::loss_factor(eta) : test::ratio(zeta));
  for (const double r : {0.01, 0.5, 0.99, 1.0, 1.01, std::sqrt(2.0), 7.0, 60.0}) {
    if (zeta == 0 && eta == 0 && r == 1.0) continue;
    SCOPED_TRACE(r);
    const double f = r * natural_frequency, omega = 2 * pi * f;
    const Complex below = 1 - r * r + Complex(0, 2 * zeta * r + eta), above = 1.0 + Complex(0, 2 * zeta * r + eta);
    const Complex displacement = -1 / (omega * omega);  // of the base, per unit acceleration
    const auto expect = [&](const Eigen::RowVectorXcd& row, Complex exact) {
      EXPECT_LE(std::abs(solved.response(row, 2, f) - exact), 1e-10 * std::abs(exact));
    };
    const auto motion = [&](NodeMotion quantity) -> Channel { return solved.channels.motion(1, quantity).row(2); };
    expect(motion(NodeMotion::relative_displacement), displacement * r * r / below);
    expect(motion(NodeMotion::absolute_displacement), displacement * above / below);
    expect(motion(NodeMotion::absolute_velocity), Complex(0, omega) * displacement * above / below);
    expect(motion(NodeMotion::absolute_acceleration), above / below);
    expect(motion(NodeMotion::relative_acceleration), r * r / below);
    expect(solved.channels.spring_force(0).row(2), -one_mass * above / below);
    expect(solved.channels.spring_travel(0).row(2), displacement * r * r / below);
    expect(solved.channels.base_reaction(0, Vector3::Zero()).row(2), one_mass * above / below);
    expect(solved.channels.foot_reaction(0, Vector3::Zero()).row(2), one_mass * above / below);
  }
}

INSTANTIATE_TEST_SUITE_P(Damping, SingleDof,
                         testing::Values(DampedCase{0, 0}, DampedCase{0.02, 0}, DampedCase{0.3, 0},
                                         DampedCase{0, 0.1}));

TEST(SingleDofPeak, LiesWhereCalculusPutsItWhateverTheGrid) {
  // |T|² = (1 + 4ζ²r²)/((1 − r²)² + 4ζ²r²) is largest at r² = (√(1 + 8ζ²) − 1)/4ζ² (Den Hartog, Mechanical Vibrations).
  for (const double zeta : {0.002, 0.02, 0.2}) {
    const Solved solved(test::chain({one_mass}, {one_spring}), test::count(1), test::ratio(zeta));
    const Transfer transfer = solved.transfer(2);
    const double r = std::sqrt((std::sqrt(1 + 8 * zeta * zeta) - 1) / (4 * zeta * zeta));
    const double highest =
        std::sqrt((1 + std::pow(2 * zeta * r, 2)) / (std::pow(1 - r * r, 2) + std::pow(2 * zeta * r, 2)));
    const LogLogTable flat({{10, 3, {}}, {100, 3, {}}}, 20);
    for (const int points : {5, 21, 101}) {
      const auto grid =
          frequency_grid({10, 100, 24, points, {}}, flat.breakpoints(), resonances(solved.basis, solved.damping));
      const SineResponse response(transfer, flat, grid);
      const SinePeak peak = response.peak({"", solved.channels.motion(1, NodeMotion::absolute_acceleration).row(2)});
      EXPECT_NEAR(peak.frequency / (r * natural_frequency), 1, peak_frequency_tolerance);
      const test::KnownProblem known("one mass on a spring, base shaken by 3 m/s²",
                                     "r² = (√(1 + 8ζ²) − 1)/4ζ², Thomson 1988");
      known.value(fmt::format("peak acceleration, m/s², ζ = {}, {} points a resonance", zeta, points), peak.value,
                  3 * highest, 1e-12);
      EXPECT_FALSE(peak.at_end);
    }
  }
}

TEST(SingleDofPeak, IsReadBackAsQFromTheHalfPowerPoints) {
  // |1 − r² + 2iζr|² doubles at r² = 1 − 2ζ² ± 2ζ√(1 − ζ²) from its least value (relative displacement; Thomson, Theory
  // of Vibration, 1988, section 3.10), under an input of any shape.
  for (const double zeta : {0.005, 0.05}) {
    const Solved solved(test::chain({one_mass}, {one_spring}), test::count(1), test::ratio(zeta));
    const Transfer transfer = solved.transfer(2);
    const SineResponse response(transfer, LogLogTable({{10, 1, {}}, {100, 1, {}}}, 20),
                                frequency_grid({10, 100, 24, 21, {}}, {}, resonances(solved.basis, solved.damping)));
    const Measure travel{"", solved.channels.motion(1, NodeMotion::relative_displacement).row(2)};
    const auto half = response.half_power(travel, response.peak(travel), response.curve(travel));
    ASSERT_TRUE(half);
    const double middle = 1 - 2 * zeta * zeta, side = 2 * zeta * std::sqrt(1 - zeta * zeta);
    EXPECT_NEAR(half->from / natural_frequency, std::sqrt(middle - side), 1e-7);
    EXPECT_NEAR(half->to / natural_frequency, std::sqrt(middle + side), 1e-7);
    EXPECT_NEAR(half->quality * 2 * zeta, 1, 2.2 * zeta * zeta);  // 1 − 2ζ² + …
    // Under a steep input the response peaks elsewhere, the response per unit input does not.
    const SineResponse steep(transfer, LogLogTable({{10, 1, {}}, {100, 1e3, {}}}, 20),
                             frequency_grid({10, 100, 24, 21, {}}, {}, resonances(solved.basis, solved.damping)));
    EXPECT_GT(steep.peak(travel).frequency, response.peak(travel).frequency * (1 + 0.5 * zeta * zeta));
    const auto same = steep.half_power(travel, steep.peak(travel), steep.curve(travel));
    ASSERT_TRUE(same);
    EXPECT_NEAR(same->quality / half->quality, 1, 1e-7);
    // A band that ends on the slope has no half-power point there.
    const SineResponse cut(transfer, LogLogTable({{10, 1, {}}, {40.05, 1, {}}}, 20),
                           frequency_grid({10, 40.05, 24, 21, {}}, {}, resonances(solved.basis, solved.damping)));
    EXPECT_FALSE(cut.half_power(travel, cut.peak(travel), cut.curve(travel)));
  }
}

// One mode under a logarithmic sweep, integrated in time by the classical Runge–Kutta rule of fourth order with 200
// steps a period: its peak is right to 1e-5.
double swept_peak_in_time(double zeta, double rate, double from, double to) {
  const double growth = rate * std::log(2.0) / 60, omega = 2 * pi * natural_frequency;
  const auto phase = [&](double t) { return 2 * pi * from * std::expm1(growth * t) / growth; };
  const auto slope = [&](double t, double y, double v) {
    return std::pair{v, -std::cos(phase(t)) - 2 * zeta * omega * v - omega * omega * y};
  };
  const double first = 2 * pi * from;  // the steady state at the beginning
  const Complex start = -1.0 / Complex(omega * omega - first * first, 2 * zeta * omega * first);
  double y = start.real(), v = (Complex(0, first) * start).real(), largest = 0;
  const double h = 1 / (200 * to), end = std::log(to / from) / growth;
  for (double t = 0; t < end; t += h) {
    const auto [y1, v1] = slope(t, y, v);
    const auto [y2, v2] = slope(t + h / 2, y + h / 2 * y1, v + h / 2 * v1);
    const auto [y3, v3] = slope(t + h / 2, y + h / 2 * y2, v + h / 2 * v2);
    const auto [y4, v4] = slope(t + h, y + h * y3, v + h * v3);
    y += h / 6 * (y1 + 2 * y2 + 2 * y3 + y4);
    v += h / 6 * (v1 + 2 * v2 + 2 * v3 + v4);
    largest = std::max(largest, std::abs(y));
  }
  return largest;
}

TEST(SingleDofSweep, AgreesWithIntegrationInTime) {
  // From rather slow (S = 1: 7 % below the steady peak) to so fast that a tenth of it is reached. The peak in time
  // falls within one cycle of the envelope's, so that it may be lower by (π f'/f²)²/2 < 1e-4; the envelope is resolved
  // to 1e-3.
  for (const auto& [zeta, rate, least, most] :
       {std::tuple{0.02, 6.0, 0.9, 1.0}, {0.01, 4.0, 0.7, 0.98}, {0.005, 6.0, 0.3, 0.8}, {0.002, 20.0, 0.05, 0.35}}) {
    SCOPED_TRACE(rate);
    const Solved solved(test::chain({one_mass}, {one_spring}), test::count(1), test::ratio(zeta));
    const Transfer transfer = solved.transfer(2);
    const LogLogTable flat({{25, 1, {}}, {64, 1, {}}}, 20);
    const SweptResponse swept(transfer, flat, rate, 25, 64);
    const Measure travel{"", solved.channels.motion(1, NodeMotion::relative_displacement).row(2)};
    const double in_time = swept_peak_in_time(zeta, rate, 25, 64);
    const SinePeak peak = swept.peak(travel, 0);
    EXPECT_NEAR(peak.value / in_time, 1, 1.5e-3);
    EXPECT_GT(peak.frequency, natural_frequency);  // a sweep upwards peaks late
    const double steady = 1 / (2 * zeta * std::pow(2 * pi * natural_frequency, 2));
    EXPECT_GT(peak.value / steady, least);
    EXPECT_LT(peak.value / steady, most * (1 + 1e-3));
  }
  EXPECT_NEAR(sweep_parameter(2, 25, 40), 2 * std::log(2.0) * 625 / 2400, 1e-12);
  // With a loss factor the envelope of ζ = η/2 is right to the order of ζ.
  const Solved solved(test::chain({one_mass}, {one_spring}), test::count(1), test::loss_factor(0.01));
  const Transfer transfer = solved.transfer(2);
  const SweptResponse swept(transfer, LogLogTable({{25, 1, {}}, {64, 1, {}}}, 20), 6, 25, 64);
  EXPECT_NEAR(swept.peak({"", solved.channels.motion(1, NodeMotion::relative_displacement).row(2)}, 0).value /
                  swept_peak_in_time(0.005, 6, 25, 64),
              1, 5e-3);
}

// ∫ |T|² dr from a to b in closed form: partial fractions over the four poles ±p, ±p̄, p = √(1−ζ²) + iζ.
double exact_integral(double zeta, double a, double b, bool absolute) {
  const Complex p(std::sqrt(1 - zeta * zeta), zeta);
  const std::array<Complex, 4> poles{p, -p, std::conj(p), -std::conj(p)};
  Complex sum = 0;
  for (std::size_t k = 0; k < 4; ++k) {
    Complex residue = absolute ? 1.0 + 4 * zeta * zeta * poles[k] * poles[k] : 1.0;
    for (std::size_t j = 0; j < 4; ++j)
      if (j != k) residue /= poles[k] - poles[j];
    sum += residue * (std::log(b - poles[k]) - std::log(a - poles[k]));
  }
  return sum.real();
}

TEST(SingleDofRandom, HasTheExactRootMeanSquare) {
  constexpr double level = 0.7;  // (m/s²)²/Hz
  for (const double zeta : {0.001, 0.02, 0.4}) {
    SCOPED_TRACE(zeta);
    const Solved solved(test::chain({one_mass}, {one_spring}), test::count(1), test::ratio(zeta));
    const Transfer transfer = solved.transfer(2);
    const auto rms = [&](double from, double to, NodeMotion quantity) {
      const LogLogTable white({{from, level, {}}, {to, level, {}}}, 10);
      const auto covariance = integrate_covariance(transfer, white);
      return test::root_mean_square({"", solved.channels.motion(1, quantity).row(2)}, covariance);
    };
    const double omega = 2 * pi * natural_frequency;
    for (const auto& [from, to] : {std::pair{5.0, 400.0}, {35.0, 38.0}, {39.9, 2000.0}}) {
      const double a = from / natural_frequency, b = to / natural_frequency;
      const test::KnownProblem known(fmt::format("one mass on a spring in noise, ζ = {}", zeta), "partial fractions");
      known.value(fmt::format("RMS acceleration, {} to {} Hz, m/s²", from, to),
                  rms(from, to, NodeMotion::absolute_acceleration),
                  std::sqrt(level * natural_frequency * exact_integral(zeta, a, b, true)), 1e-8);
      known.value(fmt::format("RMS travel, {} to {} Hz, m", from, to), rms(from, to, NodeMotion::relative_displacement),
                  std::sqrt(level * natural_frequency * exact_integral(zeta, a, b, false)) / (omega * omega), 1e-8);
    }
    // From 0 to infinity (Crandall & Mark, Random Vibration in Mechanical Systems, 1963): a band of 1e-5 to 1e5 f_n
    // leaves out less than 1e-4 of the variance of the acceleration.
    const double wide = rms(1e-5 * natural_frequency, 1e5 * natural_frequency, NodeMotion::absolute_acceleration);
    const test::KnownProblem known(fmt::format("one mass on a spring in noise, ζ = {}", zeta),
                                   "Crandall & Mark 1963, over all frequencies");
    known.value("mean square of the acceleration, (m/s²)²", wide * wide,
                pi * natural_frequency * level * (1 + 4 * zeta * zeta) / (4 * zeta), 1e-4);
    const double travel = rms(1e-5 * natural_frequency, 1e5 * natural_frequency, NodeMotion::relative_displacement);
    known.value("mean square of the travel, m²", travel * travel, level / (8 * zeta * std::pow(omega, 3)), 1e-4);
    // Miles, J. Aeronautical Sciences 21, 1954: the limit of light damping, off by the factor 1 + 4ζ².
    const double miles = std::sqrt(0.5 * pi * natural_frequency * level / (2 * zeta));
    EXPECT_NEAR(wide / miles, std::sqrt(1 + 4 * zeta * zeta), 1e-4);
  }
}

}  // namespace
}  // namespace avrenk
