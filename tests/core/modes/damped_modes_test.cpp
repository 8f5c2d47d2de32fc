#include "core/modes/damped_modes.h"

#include <gtest/gtest.h>
#include <Eigen/Eigenvalues>

#include <cmath>
#include <random>

#include "core/dense.h"

namespace avrenk {
namespace {

using Complex = std::complex<double>;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXd;

// Modal equations of one kind of difficulty.
struct Equations {
  std::string what;
  VectorXd omega;
  MatrixXd viscous, hysteretic;
};

// Positive semidefinite coupling of a given size, of a few dampers.
MatrixXd dampers(std::mt19937& random, const VectorXd& omega, int count, double size, int power) {
  std::normal_distribution<double> normal;
  MatrixXd sum = MatrixXd::Zero(omega.size(), omega.size());
  for (int k = 0; k < count; ++k) {
    VectorXd shape(omega.size());
    for (double& each : shape) each = normal(random);
    if (power == 2) shape = shape.cwiseProduct(omega).eval();  // a loss factor acts on strain
    if (power == 1) shape = shape.cwiseProduct(omega.cwiseSqrt()).eval();
    sum += size * shape * shape.transpose();
  }
  return sum;
}

std::vector<Equations> kinds() {
  std::mt19937 random(3);
  VectorXd omega(9);
  omega << 60, 61, 61, 140, 300, 300, 300, 2e3, 4e4;
  const MatrixXd none = MatrixXd::Zero(9, 9);
  std::vector<Equations> all;
  for (const double size : {1e-9, 1e-3, 0.05, 1.0, 30.0}) {
    all.push_back({"loss factors", omega, none, dampers(random, omega, 2, size, 2)});
    all.push_back({"dashpots", omega, dampers(random, omega, 2, size, 1), none});
    all.push_back({"both", omega, dampers(random, omega, 3, size, 1), dampers(random, omega, 2, size, 2)});
  }
  // Critically damped, alone and twice over: no second eigenvector.
  MatrixXd critical = none;
  critical(0, 0) = 2 * omega[0];
  critical(3, 3) = 2 * omega[3];
  all.push_back({"critical", omega, critical, none});
  critical(1, 1) = critical(2, 2) = 2 * 61;
  critical(0, 1) = critical(1, 0) = 0.1;
  all.push_back({"critical and coupled", omega, critical, none});
  // Λ + iD of two modes with one eigenvector: d₁₂ = (ω₂² − ω₁²)/2, equal loss.
  MatrixXd defective = none;
  const double apart = 0.5 * (omega[3] * omega[3] - omega[0] * omega[0]);
  defective(0, 0) = defective(3, 3) = apart;
  defective(0, 3) = defective(3, 0) = apart;
  all.push_back({"defective loss", omega, none, defective});
  all.push_back({"nothing", omega, none, none});
  VectorXd free = omega;
  free[0] = free[1] = 0;
  all.push_back({"free motions", free, dampers(random, omega, 2, 0.01, 1), none});
  // The last of them without mass.
  for (const int massless : {1, 3}) {
    VectorXd without = omega, size = omega;
    without.tail(massless).setConstant(HUGE_VAL);
    size.tail(massless).setOnes();
    for (const double each : {1e-3, 0.5, 30.0}) {
      all.push_back({"no mass, loss factors", without, none, dampers(random, size, 4, each, 2)});
      all.push_back({"no mass, dashpots", without, dampers(random, size, 2, 0.01 * each, 1), none});
      all.push_back({"no mass, a dashpot and loss factors", without, dampers(random, size, 1, 0.01 * each, 1),
                     dampers(random, size, 4, each, 2)});
      MatrixXd elsewhere = dampers(random, size, 3, each, 1);
      elsewhere.bottomRows(massless).setZero();
      elsewhere.rightCols(massless).setZero();
      all.push_back({"no mass, dashpots elsewhere", without, elsewhere, dampers(random, size, 4, each, 2)});
    }
  }
  return all;
}

// Against the m equations solved at each frequency.
TEST(DampedModes, SolveTheModalEquationsHoweverTheyAreDamped) {
  std::mt19937 random(4);
  std::normal_distribution<double> normal;
  int triangular = 0, poles = 0, hysteretic = 0;
  for (const Equations& each : kinds()) {
    const DampedModes modes(each.omega, each.viscous, each.hysteretic);
    SCOPED_TRACE(testing::Message() << each.what << ", condition " << modes.condition());
    triangular += modes.form() == DampedModes::Form::triangular;
    poles += modes.form() == DampedModes::Form::poles;
    hysteretic += modes.form() == DampedModes::Form::hysteretic;
    MatrixXcd p(9, 2);
    for (Complex& entry : p.reshaped()) entry = {normal(random), normal(random)};
    const MatrixXcd b = modes.forces(p);
    const std::vector<double> omegas{1.0, 40, 60.001, 61.3, 140.01, 250, 299, 2100, 1e5};
    MatrixXcd at_each = b.col(0).replicate(1, static_cast<Eigen::Index>(omegas.size()));
    modes.respond_each(omegas, at_each);
    for (std::size_t k = 0; k < omegas.size(); ++k) {
      const double w = omegas[k];
      MatrixXcd dynamic = Complex(0, 1) * (w * each.viscous + each.hysteretic);
      const auto with_mass = each.omega.array().isFinite();
      dynamic.diagonal().array() += with_mass.select(each.omega.array().square() - w * w, 1);
      // In the norm of strain and kinetic energy, ω_r q: what is compared are forces and stresses.
      const MatrixXcd scale = with_mass.select(each.omega.cwiseMax(w).array(), 1).matrix().cast<Complex>().asDiagonal();
      const MatrixXcd exact = ComplexLu(dynamic).solve(p), c = modes.respond(w, b);
      // At a resonance rounding of its frequency counts against its width.
      const double gain = (scale * scale * exact).norm() / p.norm(), near = 2e-13 * (20 + gain);
      EXPECT_LE((scale * (modes.modal(c) - exact)).norm(), near * (scale * exact).norm()) << w;
      EXPECT_LE((at_each.col(static_cast<Eigen::Index>(k)) - c.col(0)).norm(), 1e-14 * c.col(0).norm()) << w;
      if (modes.is_diagonal()) {
        const MatrixXcd over = modes.denominators() * Eigen::Vector3cd(1, w, w * w);
        EXPECT_LE((c.array().colwise() * over.col(0).array() - b.array()).matrix().norm(), 1e-13 * b.norm()) << w;
      }
      // dq/dω = (Λ − ω² + iωV + iD)⁻¹ (2ω − iV) q
      MatrixXcd change = -Complex(0, 1) * (each.viscous * exact);
      for (int r = 0; r < 9; ++r)
        if (with_mass[r]) change.row(r) += 2 * w * exact.row(r);
      const MatrixXcd slope = ComplexLu(dynamic).solve(change);
      // What hardly changes with frequency is right beside what it is.
      EXPECT_LE((scale * (modes.modal(modes.respond(w, modes.slope_forces(w, c))) - slope)).norm(),
                10 * near * ((scale * slope).norm() + (scale * exact).norm() / w))
          << w;
      const MatrixXcd rows = MatrixXcd::Random(2, 9);
      EXPECT_LE((modes.rows(rows) * c - rows * modes.modal(c)).norm(), 1e-12 * rows.norm() * modes.modal(c).norm());
    }
  }
  EXPECT_GE(triangular, 2);  // all of them are tried
  EXPECT_GE(poles, 5);
  EXPECT_GE(hysteretic, 4);
}

// The slight damping of low modes beside modes a hundred thousand times as high is right relative to itself: against
// eigenvalues in long double. Of those that LAPACK gives for the graded matrix a dozen are farther off.
TEST(DampedModes, OfLowModesBesideHighOnesAreRightRelativeToThemselves) {
  using LongComplex = std::complex<long double>;
  using LongMatrix = Eigen::Matrix<LongComplex, Eigen::Dynamic, Eigen::Dynamic>;
  std::mt19937 random(5);
  std::uniform_real_distribution<double> uniform;
  for (int k = 0; k < 40; ++k) {
    SCOPED_TRACE(k);
    const Eigen::Index m = 24;
    VectorXd omega(m);
    for (double& each : omega) each = 10 * std::pow(1e5, uniform(random));
    std::sort(omega.begin(), omega.end());
    omega[1] = omega[0] * (1 + 1e-3 * uniform(random));
    omega[m - 1] = omega[m - 2];
    const bool is_viscous = k % 2 == 1;
    MatrixXd coupled = dampers(random, omega, 3, 1e-3, is_viscous ? 1 : 2), none = MatrixXd::Zero(m, m);
    const DampedModes modes(omega, is_viscous ? coupled : none, is_viscous ? none : coupled);
    // Of [Ωq, q̇], the highest first.
    const LongMatrix rates = omega.cast<LongComplex>().asDiagonal(), damping = coupled.cast<LongComplex>();
    LongMatrix matrix = LongMatrix::Zero(2 * m, 2 * m);
    matrix.topRightCorner(m, m) = rates;
    matrix.bottomLeftCorner(m, m) = -rates;
    if (is_viscous)
      matrix.bottomRightCorner(m, m) = -damping;
    else
      matrix.bottomLeftCorner(m, m) -= LongComplex(0, 1) * damping * rates.inverse();
    matrix.reverseInPlace();
    const Eigen::ComplexEigenSolver<LongMatrix> exact(matrix);
    for (const Complex pole : modes.poles()) {
      long double nearest = HUGE_VALL, of_damping = 0;
      for (const LongComplex each : exact.eigenvalues()) {
        const long double apart = std::abs(each - LongComplex(pole));
        if (apart >= nearest) continue;
        nearest = apart;
        of_damping = std::abs(each.real());
      }
      EXPECT_LE(nearest, 1e-10 * of_damping) << pole;
    }
  }
}

// Where nothing couples the modes both ways are one; resonances are those of each mode by itself.
TEST(DampedModes, OfDiagonalDampingAreTheModes) {
  VectorXd omega(4), zeta(4), eta(4);
  omega << 30, 90, 90, 700;
  zeta << 0.01, 0.3, 0.02, 0;
  eta << 0, 0.2, 0, 0.05;
  const VectorXd viscous = 2 * zeta.cwiseProduct(omega), hysteretic = eta.cwiseProduct(omega.cwiseAbs2());
  const DampedModes apart(omega, viscous, hysteretic),
      whole(omega, MatrixXd(viscous.asDiagonal()), MatrixXd(hysteretic.asDiagonal()));
  const MatrixXcd p = MatrixXcd::Ones(4, 1);
  for (const double w : {3.0, 30.0, 88.0, 699.0}) {
    const MatrixXcd one = apart.modal(apart.respond(w, apart.forces(p))),
                    two = whole.modal(whole.respond(w, whole.forces(p)));
    for (int r = 0; r < 4; ++r)
      EXPECT_LE(std::abs(one(r, 0) - two(r, 0)), 1e-12 * std::abs(one(r, 0))) << w << " " << r;
    const MatrixXcd over = apart.denominators() * Eigen::Vector3cd(1, w, w * w);
    EXPECT_LE((one.array() * over.array() - 1).matrix().norm(), 1e-13) << w;
  }
  const auto expected = apart.resonances(), found = whole.resonances();
  ASSERT_EQ(found.size(), 4U);
  for (std::size_t r = 0; r < 4; ++r) {
    EXPECT_NEAR(found[r].first / expected[r].first, 1, 1e-12);
    EXPECT_NEAR(found[r].second, expected[r].second, 1e-12);
  }
}

}  // namespace
}  // namespace avrenk
