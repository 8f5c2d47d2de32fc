// Springs that depend on their amplitude as linear ones: the balance of the first harmonic and the least error of a
// Gaussian force, against closed forms, an equation of one unknown solved by bisection, and motions in time.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <boost/math/constants/constants.hpp>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <boost/math/special_functions/digamma.hpp>
#include <boost/math/tools/roots.hpp>
#include <map>
#include <random>

#include "core/error.h"
#include "core/model/spring_law.h"
#include "core/response/equivalent_springs.h"
#include "support/checked.h"
#include "support/models.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::VectorXcd;
using test::Solved;

constexpr double body_mass = 2.5, plain_stiffness = 9e4, plain_loss = 0.12;

// One mass on one isolator along z.
Assembly one_mass_on(const SpringLaw& law) {
  Assembly model =
      test::chain({body_mass}, {plain_stiffness * (law.softening[0].empty() ? 1 : law.softening[0].front().second)});
  Spring& spring = model.springs[0];
  spring.stiffness.head<2>().setZero();
  spring.stiffness.tail<3>().setZero();
  Spring guide = spring;  // all other directions
  guide.joint = "guide";
  guide.stiffness.setConstant(1e9);
  guide.stiffness[2] = 0;
  guide.loss_factor = 0.01;
  model.springs.push_back(guide);
  Spring& own = model.springs[0];
  own.loss_factor = plain_loss * (law.loss_growth[0].empty() ? 1 : law.loss_growth[0].front().second);
  SpringLaw whole = law;
  whole.loss = {{1, plain_loss}};
  own.law = std::make_shared<const SpringLaw>(whole);
  add_columns_of_springs(model);
  return model;
}

// Softens and is damped more the farther it moves.
SpringLaw rubber() {
  SpringLaw law;
  law.softening[0] = {{1e-6, 1.05}, {1e-5, 1}, {1e-4, 0.8}, {1e-3, 0.55}};
  law.loss_growth[0] = {{1e-5, 1}, {1e-3, 1.8}};
  return law;
}

Environment shake_along_z(double level, bool random, double from, double to) {
  Environment own;
  own.name = "shake";
  if (random) own.form = RandomInput{};
  own.axes = {2};
  own.input = LogLogTable({{from, level, {}}, {to, level, {}}}, random ? 10 : 20);
  own.grid = {from, to, 24, 21, {}};
  return own;
}

EquivalentSprings found(const Solved& solved, const Environment& environment) {
  const auto excitation = excitation_along(environment, 2, solved.system);
  return linearise(*excitation, solved.assembly, solved.system, solved.basis, solved.damping,
                   varying_springs(solved.assembly, ""));
}

double factor_at(const LogTable& points, double a) { return points.empty() ? 1 : log_interpolation(points, a); }

// |k s(1 + iη l) − mω²| a = m A, written out.
double imbalance(const SpringLaw& law, double frequency, double amplitude, double level) {
  const double omega = 2 * pi * frequency;
  const Complex k = plain_stiffness * factor_at(law.softening[0], amplitude) *
                    Complex(1, plain_loss * factor_at(law.loss_growth[0], amplitude));
  return std::abs(k - body_mass * omega * omega) * amplitude - body_mass * level;
}

TEST(EquivalentSprings, BalanceTheFirstHarmonicAtEveryFrequency) {
  const SpringLaw law = rubber();
  const Solved solved(one_mass_on(law), test::count(1000), {});
  for (const double level : {0.01, 2.0, 30.0}) {
    const Environment environment = shake_along_z(level, false, 5, 200);
    const EquivalentSprings springs = found(solved, environment);
    ASSERT_EQ(springs.found.size(), 1U);
    EXPECT_TRUE(springs.jumps.empty());
    EXPECT_LE(springs.between, 1e-6);
    const VaryingSpring& own = springs.springs.front();
    ASSERT_GT(own.softening.size(), 100U);
    double largest = 0, at = 0;
    for (const auto& [f, softening] : own.softening) {
      // The only root: the response rises with the amplitude where it is not bistable.
      double low = 1e-12, high = 1;
      ASSERT_LT(imbalance(law, f, low, level), 0);
      for (int k = 0; k < 200; ++k) {
        const double middle = std::sqrt(low * high);
        (imbalance(law, f, middle, level) < 0 ? low : high) = middle;
      }
      EXPECT_NEAR(softening / factor_at(law.softening[0], low), 1, 1e-9) << f;
      if (low > largest) {
        largest = low;
        at = f;
      }
    }
    const test::KnownProblem known(fmt::format("one mass on rubber that softens, base shaken by {:g} m/s²", level),
                                   "bisection of |k(a) − mω²| a = m ü");
    known.value("largest travel, m, of all frequencies looked at", springs.found[0].amplitude, largest, 1e-9);
    EXPECT_EQ(springs.found[0].frequency, at);
    EXPECT_NEAR(springs.found[0].stiffness / (plain_stiffness * factor_at(law.softening[0], largest)), 1, 1e-9);
    EXPECT_NEAR(springs.found[0].loss / (plain_loss * factor_at(law.loss_growth[0], largest)), 1, 1e-9);
    // The answers with these springs are in balance with the amplitude that they were made for, between the points too.
    ModalDamping damping =
        with_springs(solved.damping, solved.basis,
                     std::make_shared<const SpringVariation>(springs.springs, solved.system, solved.basis));
    const Transfer transfer(solved.basis, damping, InputColumns{MatrixXcd::Identity(6, 6).col(2)});
    const Eigen::RowVectorXcd travel = solved.channels.spring_travel(0).row(2);
    for (double f = 5.3; f < 200; f *= 1.07) {
      const double a = level * std::abs((travel * transfer.state(f))(0));
      EXPECT_NEAR(imbalance(law, f, a, level) / (body_mass * level), 0, 3e-5) << f;
    }
  }
}

// Masses in a row on isolators that harden and soften by drawn tables.
Assembly drawn_chain(std::mt19937& random, double steepest) {
  std::uniform_real_distribution<double> uniform;
  const auto between = [&](double a, double b) { return a * std::pow(b / a, uniform(random)); };
  const std::size_t n = 1 + static_cast<std::size_t>(3 * uniform(random));
  std::vector<double> masses, springs;
  for (std::size_t k = 0; k < n; ++k) {
    masses.push_back(between(0.5, 5));
    springs.push_back(between(2e4, 5e5));
  }
  Assembly model = test::chain(masses, springs);
  for (std::size_t k = 0; k < n; ++k) {
    Spring& own = model.springs[k];
    own.loss_factor = between(0.01, 0.3);
    if (k > 0 && uniform(random) < 0.3) continue;
    SpringLaw law;
    double a = between(1e-6, 1e-4), s = 1;
    for (int points = 2 + static_cast<int>(4 * uniform(random)); points > 0; --points) {
      law.softening[0].emplace_back(a, s);
      a *= between(1.05, 10);
      s *= std::pow(steepest, 2 * uniform(random) - 1);
    }
    law.loss = {{1, *own.loss_factor}};
    own.law = std::make_shared<const SpringLaw>(law);
  }
  add_columns_of_springs(model);
  return model;
}

// Amplitudes that follow the curve through folds and corners are balances as any other: a chain written out, with the
// stiffnesses found, has the travels at which the tables have these.
TEST(EquivalentSprings, BalanceWhereCurvesFold) {
  for (const double steepest : {2.0, 10.0, 100.0})
    for (const unsigned seed : {1U, 4U, 21U, 41U, 46U, 89U}) {
      SCOPED_TRACE(fmt::format("{} {}", seed, steepest));
      std::mt19937 random(seed);
      const Solved solved(drawn_chain(random, steepest), test::count(1000), {});
      const std::vector<Spring>& chain = solved.assembly.springs;
      const double level = 0.1 * std::pow(1000, std::uniform_real_distribution<double>()(random));
      const EquivalentSprings springs = found(solved, shake_along_z(level, false, 5, 300));
      std::map<int, const VaryingSpring*> varying;
      for (const VaryingSpring& each : springs.springs)
        if (each.axis == 2) varying[each.spring] = &each;
      ASSERT_GT(varying.size(), 0U);
      for (const auto& [f, unused] : varying.begin()->second->softening) {
        const double omega = 2 * pi * f;
        const auto n = std::ssize(chain);
        MatrixXcd dynamic = MatrixXcd::Zero(n, n);  // of motions relative to the base
        VectorXcd force(n);
        for (Index k = 0; k < n; ++k) {
          const double mass = solved.assembly.masses[static_cast<std::size_t>(k)].mass;
          const Spring& own = chain[static_cast<std::size_t>(k)];
          const auto its = varying.find(static_cast<int>(k));
          const double factor = its == varying.end() ? 1 : log_interpolation(its->second->softening, f);
          const Complex stiffness = factor * own.stiffness[2] * Complex(1, *own.loss_factor);
          dynamic(k, k) += stiffness - omega * omega * mass;
          force[k] = -mass * level;
          if (k == 0) continue;
          dynamic(k - 1, k - 1) += stiffness;
          dynamic(k - 1, k) -= stiffness;
          dynamic(k, k - 1) -= stiffness;
        }
        const VectorXcd motion = dynamic.partialPivLu().solve(force);
        for (const auto& [k, its] : varying) {
          const double travel = std::abs(motion[k] - (k > 0 ? motion[k - 1] : 0.0));
          const LogTable& table = chain[static_cast<std::size_t>(k)].law->softening[0];
          ASSERT_NEAR(log_interpolation(its->softening, f) / factor_at(table, travel), 1, 1e-8) << f << ' ' << k;
        }
      }
    }
}

// A spring that hardens strongly has two amplitudes over a stretch of frequencies. An upward sweep stays on the larger
// one until there is no other; a downward one leaves the smaller one at the lower end.
TEST(EquivalentSprings, TellWhereTheirAmplitudeJumps) {
  SpringLaw law;
  for (double a = 1e-5; a < 1e-2; a *= 1.05) law.softening[0].emplace_back(a, 1 + a * a / 1e-7);
  const Solved solved(one_mass_on(law), test::count(1000), {});
  const double level = 15;
  const EquivalentSprings springs = found(solved, shake_along_z(level, false, 20, 120));
  const auto jump =
      std::find_if(springs.jumps.begin(), springs.jumps.end(), [](auto& j) { return !j.is_of_direction; });
  const auto two = std::find_if(springs.jumps.begin(), springs.jumps.end(), [](auto& j) { return j.is_of_direction; });
  ASSERT_NE(jump, springs.jumps.end());
  ASSERT_NE(two, springs.jumps.end());
  // Number of roots of the balance, by its changes of sign.
  const auto roots = [&](double f) {
    int changes = 0;
    double before = imbalance(law, f, 1e-7, level);
    for (double a = 1e-7; a < 5e-2; a *= 1.0005) {
      const double now = imbalance(law, f, a, level);
      changes += before * now < 0 ? 1 : 0;
      before = now;
    }
    return changes;
  };
  EXPECT_EQ(roots(jump->to * 1.002), 1);
  EXPECT_EQ(roots(jump->to * 0.998), 3);
  EXPECT_EQ(roots(two->from * 0.99), 1);
  EXPECT_EQ(roots(std::sqrt(two->from * two->to)), 3);
  EXPECT_NEAR(two->to / jump->to, 1, 0.01);
  EXPECT_GT(jump->ratio, 2);
}

// A cubic spring kx + εx³ has s(a) = 1 + ¾ εa²/k. Its motion in time has higher harmonics, which the balance leaves
// out: the first is right to a per cent here, where they are 2 % of it.
TEST(EquivalentSprings, AgreeWithACubicSpringInTime) {
  const double cubic = 6e10, level = 8;
  SpringLaw law;
  for (double a = 1e-5; a < 1e-2; a *= 1.02)
    law.softening[0].emplace_back(a, 1 + 0.75 * cubic * a * a / plain_stiffness);
  const Solved solved(one_mass_on(law), test::count(1000), {});
  const EquivalentSprings springs = found(solved, shake_along_z(level, false, 5, 40));
  const auto& own = springs.springs.front();
  // Where there is one answer: from rest too.
  const double f = 30, omega = 2 * pi * f;
  const ModalDamping damping =
      with_springs(solved.damping, solved.basis,
                   std::make_shared<const SpringVariation>(springs.springs, solved.system, solved.basis));
  const Transfer transfer(solved.basis, damping, InputColumns{MatrixXcd::Identity(6, 6).col(2)});
  const double balanced = level * std::abs((solved.channels.spring_travel(0).row(2) * transfer.state(f))(0));
  // η as a dashpot of the same dissipation at this frequency; both act on the linear part and on the whole alike here.
  const double k_then = plain_stiffness * log_interpolation(own.softening, f), dashpot = plain_loss * k_then / omega;
  const auto rate = [&](double t, double x, double v) {
    return -level * std::cos(omega * t) - (plain_stiffness * x + cubic * x * x * x + dashpot * v) / body_mass;
  };
  const int steps = 400, cycles = 150;
  const double h = 2 * pi / omega / steps;
  double x = 0, v = 0;
  Complex first = 0;
  for (int n = 0; n < steps * cycles; ++n) {
    const double t = n * h;
    if (n >= steps * (cycles - 1)) first += x * std::polar(2.0 / steps, -omega * t);
    const double k1 = v, l1 = rate(t, x, v), k2 = v + 0.5 * h * l1, l2 = rate(t + 0.5 * h, x + 0.5 * h * k1, k2),
                 k3 = v + 0.5 * h * l2, l3 = rate(t + 0.5 * h, x + 0.5 * h * k2, k3), k4 = v + h * l3,
                 l4 = rate(t + h, x + h * k3, k4);
    x += h / 6 * (k1 + 2 * k2 + 2 * k3 + k4);
    v += h / 6 * (l1 + 2 * l2 + 2 * l3 + l4);
  }
  EXPECT_NEAR(std::abs(first) / balanced, 1, 0.01);
  EXPECT_GT(log_interpolation(own.softening, f), 1.2);
}

// E[a² (α + β ln a)] / E[a²] with Rayleigh's distribution: ln a = ln σ + ½ ln 2 + ½ ln u, and E[ln u] = ψ(2) for the
// weight u e^{-u}. A cubic spring: k + 3εσ², by Gaussian moments (Roberts & Spanos 1990).
TEST(EquivalentSprings, HaveTheLeastErrorOfAGaussianForce) {
  const double low = 1e-12, high = 1e6, alpha = 3, beta = 0.1;
  const LogTable line{{low, alpha + beta * std::log(low)}, {high, alpha + beta * std::log(high)}};
  for (const double rms : {1e-6, 1e-3, 20.0}) {
    const double expected = alpha + beta * (std::log(rms) + 0.5 * std::log(2.0) + 0.5 * boost::math::digamma(2.0));
    EXPECT_NEAR(gaussian_factors(line, {}, rms).first / expected, 1, 1e-9);
    // E[s l] with s = l: the square of a line, E[ln² u] = ψ'(2) + ψ(2)².
    const double psi = boost::math::digamma(2.0), trigamma = pi * pi / 6 - 1;
    const double c = alpha + beta * (std::log(rms) + 0.5 * std::log(2.0));
    const double square = c * c + beta * c * psi + 0.25 * beta * beta * (trigamma + psi * psi);
    const auto [s, l] = gaussian_factors(line, line, rms);
    EXPECT_NEAR(s * l / square, 1, 1e-9);
  }
  const double sigma = 3e-4, cubic_over_k = 4e5;
  LogTable cubic;
  for (double a = 1e-7; a < 1e-2; a *= 1.002) cubic.emplace_back(a, 1 + 0.75 * cubic_over_k * a * a);
  const test::KnownProblem known("spring kx + εx³ whose travel is Gaussian, 3εσ²/k = 0.108",
                                 "Gaussian moments; Roberts & Spanos 1990");
  known.value("stiffness of the equivalent spring over k", gaussian_factors(cubic, {}, sigma).first,
              1 + 3 * cubic_over_k * sigma * sigma, 1e-6);
  // Kinks, by adaptive quadrature over the amplitude itself.
  const SpringLaw law = rubber();
  for (const double rms : {1e-7, 8e-6, 5e-5, 4e-4, 1e-1}) {
    double stiff = 0, loss = 0;
    const double ends[] = {0, 1e-6, 1e-5, 1e-4, 1e-3, 12 * rms};
    for (std::size_t k = 0; k + 1 < std::size(ends); ++k) {
      const double to = std::min(ends[k + 1], 12 * rms);
      if (to <= ends[k]) continue;
      const auto weighted = [&](bool with_loss) {
        double sum = 0;
        for (int piece = 0; piece < 16; ++piece) {
          const double a0 = ends[k] + (to - ends[k]) * piece / 16, a1 = ends[k] + (to - ends[k]) * (piece + 1) / 16;
          sum += boost::math::quadrature::gauss_kronrod<double, 31>::integrate(
              [&](double a) {
                const double s = a > 0 ? factor_at(law.softening[0], a) : 1.05,
                             l = a > 0 ? factor_at(law.loss_growth[0], a) : 1;
                return a * a * a / (2 * std::pow(rms, 4)) * std::exp(-0.5 * a * a / (rms * rms)) * s *
                       (with_loss ? l : 1);
              },
              a0, a1, 8, 1e-12);
        }
        return sum;
      };
      stiff += weighted(false);
      loss += weighted(true);
    }
    const auto [s, l] = gaussian_factors(law.softening[0], law.loss_growth[0], rms);
    EXPECT_NEAR(s / stiff, 1, 1e-8) << rms;
    EXPECT_NEAR(s * l / loss, 1, 1e-8) << rms;
  }
  EXPECT_EQ(gaussian_factors(law.softening[0], law.loss_growth[0], 0), std::pair(1.05, 1.0));
  EXPECT_EQ(gaussian_factors({}, {}, 1), std::pair(1.0, 1.0));
}

// σ of the travel is that of the linear mass on the spring that σ makes: one equation of one unknown.
TEST(EquivalentSprings, SettleInNoise) {
  const SpringLaw law = rubber();
  const Solved solved(one_mass_on(law), test::count(1000), {});
  for (const double level : {1e-6, 0.3, 40.0}) {
    const EquivalentSprings springs = found(solved, shake_along_z(level, true, 5, 300));
    ASSERT_EQ(springs.found.size(), 1U);
    EXPECT_LE(springs.change, 1e-8);
    const auto travel = [&](double rms) {
      const auto [s, l] = gaussian_factors(law.softening[0], law.loss_growth[0], rms);
      const Complex k = plain_stiffness * s * Complex(1, plain_loss * l);
      const double natural = std::sqrt(plain_stiffness * s / body_mass) / (2 * pi);
      double square = 0, before = 5;
      for (const double end : {0.7 * natural, natural, 1.4 * natural, 300.0}) {
        square += boost::math::quadrature::gauss_kronrod<double, 61>::integrate(
            [&](double f) { return level * std::norm(body_mass / (k - body_mass * std::pow(2 * pi * f, 2))); }, before,
            end, 12, 1e-12);
        before = end;
      }
      return std::sqrt(square);
    };
    double low = 1e-12, high = 1;
    for (int k = 0; k < 100; ++k) {
      const double middle = std::sqrt(low * high);
      (travel(middle) > middle ? low : high) = middle;
    }
    const test::KnownProblem known(fmt::format("one mass on rubber that softens, in {:g} (m/s²)²/Hz", level),
                                   "adaptive quadrature of the linear mass, bisection");
    known.value("RMS of the travel, m", springs.found[0].amplitude, low, 3e-8);
    const auto [s, l] = gaussian_factors(law.softening[0], law.loss_growth[0], low);
    EXPECT_NEAR(springs.found[0].stiffness / (plain_stiffness * s), 1, 1e-8);
    EXPECT_NEAR(springs.found[0].loss / (plain_loss * l), 1, 1e-8);
  }
}

// Nothing acts, and nothing depends on the amplitude.
TEST(EquivalentSprings, AreThoseOfTheSmallestAmplitudeWhereNothingMoves) {
  const Solved solved(one_mass_on(rubber()), test::count(1000), {});
  Environment across = shake_along_z(3, false, 5, 200);
  const auto excitation = excitation_along(across, 0, solved.system);
  const EquivalentSprings still = linearise(*excitation, solved.assembly, solved.system, solved.basis, solved.damping,
                                            varying_springs(solved.assembly, ""));
  ASSERT_EQ(still.found.size(), 1U);
  EXPECT_NEAR(still.found[0].stiffness / (1.05 * plain_stiffness), 1, 1e-12);
  SpringLaw none;
  none.variants = {{"soft", 0.8, 1}};
  const Solved plain(one_mass_on(none), test::count(1000), {});
  EXPECT_TRUE(found(plain, shake_along_z(3, false, 5, 200)).found.empty());
}

}  // namespace
}  // namespace avrenk
