// Natural frequencies with closed forms: rods, shafts, a cross of beams, a tip mass, a body on isolators.
#include <gtest/gtest.h>

#include <boost/math/tools/roots.hpp>

#include "core/modes/modal_basis.h"
#include "core/system/system.h"
#include "support/checked.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Cantilever;
using test::Solved;

// The frequency nearest to a target: models in space have modes of other kinds in between.
double nearest_frequency(const Solved& solved, double target) {
  double best = 0;
  for (int r = 0; r < solved.basis.modes; ++r)
    if (std::abs(solved.basis.frequency(r) - target) < std::abs(best - target)) best = solved.basis.frequency(r);
  return best;
}

TEST(ClampedRod, StretchesAndTwistsWithTheErrorOfLinearElements) {
  // f = (2n − 1)/4L √(E/ρ) and √(GJ/ρI_p); linear elements with consistent mass overestimate by (kh)²/24 (Cook, Malkus
  // & Plesha, Concepts and Applications of Finite Element Analysis). A tube: J = I_p.
  Cantilever c;
  c.section = tube_section(0.02, 0.002, 0.3);
  c.elements = 20;
  const Solved solved(test::cantilever(c), test::count(120), test::ratio(0.01));
  const Elastic e = c.material.elastic();
  for (const double modulus : {e.youngs_modulus, e.shear_modulus}) {
    for (const int n : {1, 2, 3}) {
      const double k = (2 * n - 1) * pi / (2 * c.length), kh = k * c.length / c.elements;
      const double exact = k * std::sqrt(modulus / c.material.density) / (2 * pi);
      const test::KnownProblem known("clamped tube, 20 beams", "(2n − 1)/4L √(E/ρ), √(G/ρ); (kh)²/24, Cook & al.");
      known.value(fmt::format("error of frequency {} of {}", n, modulus == e.shear_modulus ? "twist" : "stretch"),
                  nearest_frequency(solved, exact * (1 + kh * kh / 24)) / exact - 1, kh * kh / 24, 0.02);
    }
  }
}

TEST(PinnedCross, HasTheFrequenciesOfPinnedAndClampedArms) {
  // Four equal arms joined at right angles, pinned at their ends, in their plane: arms pinned at both ends (centre
  // turns), or pinned and clamped (centre at rest, three times). Roots of the beam equation: π, 3.92660231,
  // 2π, 7.06858275 (Blevins, Formulas for Natural Frequency and Mode Shape, 1979). Arms 5 m, 0.125 m square in the
  // plane, E 200 GPa, ρ 8000: 11.336, 17.709, 45.345, 57.390 Hz.
  Assembly model;
  model.materials = {{"steel", 200e9, 0.3, 8000, std::nullopt}};
  BeamSection section =
      rectangle_section(0.125, 1.5, 0.3);  // tall across the plane, so that modes out of it lie far above
  section.shear_factor_y = section.shear_factor_z = 0;
  model.parts = {{"arm", 0, section}};
  const int centre = test::add_node(model, Vector3::Zero());
  constexpr int elements = 12;
  std::vector<SupportNode> feet;
  for (int arm = 0; arm < 4; ++arm) {
    const Vector3 direction(arm % 2 == 0 ? (arm == 0 ? 1 : -1) : 0, arm % 2 == 1 ? (arm == 1 ? 1 : -1) : 0, 0);
    int before = centre;
    for (int i = 1; i <= elements; ++i) {
      const int node = test::add_node(model, direction * (5.0 * i / elements));
      model.beams.push_back({{before, node},
                             0,
                             {model.nodes[static_cast<std::size_t>(before)].position,
                              model.nodes[static_cast<std::size_t>(node)].position, Vector3::UnitZ()}});
      before = node;
    }
    feet.push_back({before, {true, true, true, true, true, false}});
  }
  model.bases = {{"rim", feet, Vector3::Zero()}};
  const Solved solved(model, test::count(16), test::ratio(0.01));
  const double unit = std::sqrt(200e9 / 8000) * 0.125 / std::sqrt(12.0) / (2 * pi * 25);
  const double roots[] = {pi, 3.92660231, 3.92660231, 3.92660231, 2 * pi, 7.06858275, 7.06858275, 7.06858275};
  int found = 0;
  for (int r = 0; r < solved.basis.modes && found < 8; ++r) {
    // In the plane: no motion along z, no rotation about x or y.
    double across = 0;
    for (int row = 0; row < solved.system.free; ++row)
      if (solved.system.component_of_column[static_cast<std::size_t>(row)] > 1 &&
          solved.system.component_of_column[static_cast<std::size_t>(row)] < 5)
        across = std::max(across, std::abs(solved.basis.shapes(row, r)));
    if (across > 1e-6) continue;
    // Mesh error (bh)⁴/1440 below 1e-4, rotary inertia (b r/L)²/2 about 1e-3; in the upper pair the centre also moves,
    // because the arms across it stretch.
    const test::KnownProblem known("cross of four beams pinned at their ends", "Blevins 1979");
    known.value(fmt::format("frequency {}, Hz", found + 1), solved.basis.frequency(r),
                roots[found] * roots[found] * unit, found < 5 ? 2e-3 : 8e-3);
    ++found;
  }
  EXPECT_EQ(found, 8);
  EXPECT_NEAR(pi * pi * unit, 11.336, 5e-4);
}

TEST(CantileverWithTipMass, HasTheRootsOfItsEquation) {
  // 1 + cos b cosh b = μ b (sin b cosh b − cos b sinh b), μ = tip mass / beam mass (Blevins 1979).
  Cantilever c;
  c.section = rectangle_section(2e-4, 3e-4, 0.3);
  c.section.shear_factor_y = c.section.shear_factor_z = 0;
  c.elements = 24;
  const double beam_mass = c.material.density * c.section.area * c.length;
  const double unit =
      std::sqrt(c.material.youngs_modulus * c.section.second_moment_y / (c.material.density * c.section.area)) /
      (2 * pi);
  for (const double ratio : {0.1, 1.0, 7.0}) {
    Assembly model = test::cantilever(c);
    model.masses.push_back({"antenna", c.elements, Vector3::Zero(), ratio * beam_mass, Matrix3::Zero()});
    const Solved solved(model, test::count(8), test::ratio(0.01));
    const auto equation = [&](double b) {
      return 1 + std::cos(b) * std::cosh(b) - ratio * b * (std::sin(b) * std::cosh(b) - std::cos(b) * std::sinh(b));
    };
    for (const auto& [low, high] : {std::pair{0.3, 2.0}, {3.5, 4.8}}) {
      std::uintmax_t steps = 100;
      const auto [left, right] =
          boost::math::tools::toms748_solve(equation, low, high, boost::math::tools::eps_tolerance<double>(45), steps);
      const double exact = left * right * unit;
      // (bh)⁴/1440 and rotary inertia 1e-8.
      const test::KnownProblem known("cantilever with a tip mass, 24 beams",
                                     "its characteristic equation, Blevins 1979");
      known.value(fmt::format("frequency near b = {:.3g}, Hz, {} of the beam's mass", 0.5 * (low + high), ratio),
                  nearest_frequency(solved, exact), exact, 3e-6);
    }
  }
}

TEST(BodyOnIsolators, HasTheSixFrequenciesOfTheIsolatorFormulas) {
  // A body on four upright isolators at (±a, ±b), its centre of gravity h above their plane, symmetric: bounce and yaw
  // stand alone, sway and rocking couple in two planes: ω⁴ − ω²(ω_s² + ω_r²) + ω_s²ω_r² − (k_s h)²/(m I) = 0, ω_s² =
  // k_s/m, ω_r² = (k_z a² + k_s h²)/I (Harris & Crede, Shock and Vibration Handbook, 1961, ch. 3).
  const double mass = 6.5, ixx = 0.03, iyy = 0.025, izz = 0.04, a = 0.055, b = 0.075, h = 0.04, kx = 180e3, ky = 150e3,
               kz = 240e3;
  Assembly model;
  const int body = test::add_node(model, {0, 0, h}, "box");
  model.masses = {{"box", body, Vector3::Zero(), mass, Vector3(ixx, iyy, izz).asDiagonal()}};
  RigidLink corners{"corners", body, {}};
  std::vector<SupportNode> feet;
  for (const double x : {-a, a})
    for (const double y : {-b, b}) {
      const int corner = test::add_node(model, {x, y, 0}, "corner"), foot = test::add_node(model, {x, y, 0}, "foot");
      corners.follow.push_back(corner);
      feet.push_back({foot});
      Spring isolator = test::stiff_spring(corner, foot, kz, 0);
      isolator.stiffness << kx, ky, kz, 0, 0, 0;
      isolator.point = model.nodes[static_cast<std::size_t>(corner)].position;
      model.springs.push_back(isolator);
    }
  model.links = {corners};
  model.bases = {{"fixture", feet, Vector3::Zero()}};
  const Solved solved(model, test::count(6), test::ratio(0.05));
  std::vector<double> exact{4 * kz / mass, 4 * (kx * b * b + ky * a * a) / izz};
  const auto couple = [&](double sway, double arm, double inertia) {
    const double s = 4 * sway / mass, r = 4 * (kz * arm * arm + sway * h * h) / inertia,
                 c = std::pow(4 * sway * h, 2) / (mass * inertia);
    for (const double sign : {-1.0, 1.0}) exact.push_back(0.5 * (s + r + sign * std::sqrt((s - r) * (s - r) + 4 * c)));
  };
  couple(kx, a, iyy);
  couple(ky, b, ixx);
  std::sort(exact.begin(), exact.end());
  const test::KnownProblem known("body on four isolators", "Harris & Crede 1961, ch. 3");
  for (int r = 0; r < 6; ++r)
    known.value(fmt::format("ω² of mode {}, 1/s²", r + 1), solved.basis.omega[r] * solved.basis.omega[r],
                exact[static_cast<std::size_t>(r)], 1e-11);
}

}  // namespace
}  // namespace avrenk
