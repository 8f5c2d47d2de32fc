// Parts of shells and solids through the whole pipeline, against closed forms and published problems.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/modes/modal_basis.h"
#include "core/system/system.h"
#include "support/checked.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using std::numbers::pi;
using test::shell_part;
using test::solid_part;

// Every node held in the motions that `which` says of its place.
using Holds = std::array<bool, 6>;
void hold_each(Assembly& model, const std::function<Holds(const Vector3&)>& which) {
  model.bases = {{"fixture", {}, Vector3::Zero()}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node) {
    const Holds holds = which(model.position(node));
    if (std::count(holds.begin(), holds.end(), true) > 0) model.bases[0].feet.push_back({node, holds});
  }
}

ModalBasis modes_of(const Assembly& model, int count) {
  return solve_modes(model, make_system(model), {std::nullopt, count, false, false});
}

// A plate in its plane, simply supported all round: edges do not turn about their normal.
Assembly supported_plate(double a, double b, double t, int n, const Material& material,
                         const Matrix3& turn = Matrix3::Identity()) {
  Assembly model = test::part_of(mesh_shape(Plate{a, b}, {false, false, t, 1}, {std::nullopt, {n, n}}),
                                 shell_part("plate", t), material, {Placement{turn, Vector3::Zero()}});
  hold_each(model, [&](const Vector3& x) -> Holds {
    const Vector3 own = turn.transpose() * x;
    const bool along_y = std::abs(std::abs(own.x()) - a / 2) < 1e-9,
               along_x = std::abs(std::abs(own.y()) - b / 2) < 1e-9;
    Holds local{true, true, along_x || along_y, along_y, along_x, true};
    if (turn.isIdentity()) return local;
    // A quarter turn about z changes x and y.
    return {true, true, local[2], local[4], local[3], true};
  });
  return model;
}

// Frequencies of a simply supported plate after Mindlin, rotary inertia included: the lower root for each pair of half
// waves.
double mindlin(double a, double b, double t, const Material& material, int m, int n) {
  const double e = material.youngs_modulus, nu = material.poissons_ratio,
               k2 = pi * pi * (m * m / (a * a) + n * n / (b * b)), d = e * t * t * t / (12 * (1 - nu * nu)),
               s = 5.0 / 6 * e / (2 * (1 + nu)) * t, mass = material.density * t, rotary = mass * t * t / 12;
  // |s k² − mass ω², s k; s k, d k² + s − rotary ω²| = 0
  const double p = mass * rotary, q = mass * (d * k2 + s) + rotary * s * k2, r = d * k2 * s * k2;
  return std::sqrt((q - std::sqrt(q * q - 4 * p * r)) / (2 * p)) / (2 * pi);
}

TEST(SimplySupportedPlate, HasMindlinsFrequenciesThinAndThick) {
  const Material alloy = test::alloy();
  for (const double t : {1e-3, 0.01, 0.05}) {
    const double a = 0.5, b = 0.4;
    std::vector<double> exact;
    for (const auto& [m, n] : {std::pair{1, 1}, {2, 1}, {1, 2}, {2, 2}}) exact.push_back(mindlin(a, b, t, alloy, m, n));
    std::sort(exact.begin(), exact.end());
    std::vector<double> worst;
    for (const int n : {8, 16}) {
      const ModalBasis basis = modes_of(supported_plate(a, b, t, n, alloy), 4);
      worst.push_back(0);
      for (int r = 0; r < 4; ++r)
        worst.back() = std::max(worst.back(), std::abs(basis.frequency(r) / exact[static_cast<std::size_t>(r)] - 1));
    }
    // Second order in the element, from (k h)²/8 for the second half wave in both directions.
    EXPECT_LT(worst[0], std::pow(2 * pi / 8, 2) / 8 * 1.15) << t;
    const test::KnownProblem known("simply supported plate, 16 x 16 shells", "Mindlin 1951, with rotary inertia");
    known.error(fmt::format("worst of four frequencies, {} mm thick", 1e3 * t), worst[1], 0.27 * worst[0]);
  }
}

// Thin orthotropic plate (Leissa, Vibration of plates, NASA SP-160, 1969, ch. 9):
// ω² ρ t = D_x (mπ/a)⁴ + 2 H (mπ/a)²(nπ/b)² + D_y (nπ/b)⁴, H = ν_yx D_x + 2 D_xy.
TEST(SimplySupportedPlate, OfOrthotropicSheetHasItsFrequenciesAlsoWhenTurned) {
  Material sheet{"sheet", 60e9, 0.25, 1600, std::nullopt};
  sheet.orthotropic = Orthotropic{{60e9, 12e9, 8e9}, {0.25, 0.3, 0.3}, {5e9, 4e9, 3e9}};
  const double a = 0.5, b = 0.4, t = 1e-3, nu_yx = 0.25 * 12 / 60, divisor = 12 * (1 - 0.25 * nu_yx),
               dx = 60e9 * t * t * t / divisor, dy = 12e9 * t * t * t / divisor, dxy = 5e9 * t * t * t / 12;
  std::vector<double> exact;
  for (int m = 1; m < 4; ++m)
    for (int n = 1; n < 4; ++n) {
      const double x = std::pow(m * pi / a, 2), y = std::pow(n * pi / b, 2);
      exact.push_back(std::sqrt((dx * x * x + 2 * (0.25 * dy + 2 * dxy) * x * y + dy * y * y) / (1600 * t)) / (2 * pi));
    }
  std::sort(exact.begin(), exact.end());
  const Matrix3 quarter = (Matrix3() << 0, -1, 0, 1, 0, 0, 0, 0, 1).finished();
  for (const Matrix3& turn : {Matrix3(Matrix3::Identity()), quarter}) {
    const ModalBasis basis = modes_of(supported_plate(a, b, t, 24, sheet, turn), 4);
    const test::KnownProblem known("simply supported orthotropic plate, 24 x 24 shells", "Leissa 1969, ch. 9");
    for (int r = 0; r < 4; ++r)
      known.value(fmt::format("frequency {}, Hz{}", r + 1, turn.isIdentity() ? "" : ", turned"), basis.frequency(r),
                  exact[static_cast<std::size_t>(r)], 0.022);
  }
}

// Cantilevered tapered membrane: 10 m long, 5 m high at the root and 1 m at the tip, 0.05 m thick, E = 200 GPa, ν =
// 0.3, ρ = 8000; published frequencies in its plane 44.623, 130.03, 162.70, 246.05, 379.90, 391.44 Hz.
TEST(TaperedMembrane, HasThePublishedFrequencies) {
  Mesh mesh;
  constexpr int along = 64, across = 32;
  for (int j = 0; j <= across; ++j)
    for (int i = 0; i <= along; ++i) {
      const double x = 10.0 * i / along, height = 5 - 0.4 * x;
      mesh.points.emplace_back(x, height * (static_cast<double>(j) / across - 0.5), 0);
    }
  const auto node = [&](int i, int j) { return j * (along + 1) + i; };
  for (int j = 0; j < across; ++j)
    for (int i = 0; i < along; ++i)
      mesh.add(shell_kind(4), std::array{node(i, j), node(i + 1, j), node(i + 1, j + 1), node(i, j + 1)});
  Assembly model = test::part_of(mesh, shell_part("membrane", 0.05), {"steel", 200e9, 0.3, 8000, std::nullopt});
  hold_each(model, [](const Vector3& x) -> Holds {
    const bool root = x.x() < 1e-9;
    return {root, root, true, true, true, root};
  });
  const ModalBasis basis = modes_of(model, 6);
  const double published[] = {44.623, 130.03, 162.70, 246.05, 379.90, 391.44};
  const test::KnownProblem known("tapered membrane, 64 x 32 shells", "published frequencies");
  for (int r = 0; r < 6; ++r)
    known.value(fmt::format("frequency {}, Hz", r + 1), basis.frequency(r), published[r], 0.003);
}

// A free block of square section has modes that shear it without changing its volume (Lamé 1852): u = cos(πx/a)
// sin(πy/a), v = −sin(πx/a) cos(πy/a) leaves all faces free, whatever the length; f = c_s/(√2 a). On springs that are
// too soft to matter.
TEST(FreeBlock, HasLamesModeAndSixThatAreRigid) {
  const double a = 0.1;
  for (const auto& [quadratic, n, tolerance] : {std::tuple{true, 3, 2.5e-3}, {false, 6, 1.5e-2}}) {
    Assembly model = test::part_of(mesh_shape(Box{{a, a, 0.14}}, {true, quadratic, 0, 1}, {std::nullopt, {n, n, n}}),
                                   solid_part("block"));
    const int ground = test::add_node(model, {0, 0, 0.07}, "ground");
    model.bases = {{"fixture", {SupportNode{ground}}, Vector3::Zero()}};
    for (int node = 0; node < ground; ++node) {
      const Vector3 at = (model.position(node) - Vector3(0, 0, 0.07)).cwiseAbs();
      if (at.x() < 0.0499 || at.y() < 0.0499 || at.z() < 0.0699) continue;
      Spring soft = test::stiff_spring(ground, node, 1e3, 0);
      soft.point = model.position(node);
      soft.stiffness.head<3>().setConstant(1e3);
      model.springs.push_back(soft);
    }
    const ModalBasis basis = modes_of(model, 24);
    const double exact = std::sqrt(71e9 / (2 * 1.33) / 2810) / (std::sqrt(2.0) * a);
    for (int r = 0; r < 6; ++r) EXPECT_LT(basis.frequency(r), 0.02 * exact);
    EXPECT_GT(basis.frequency(6), 0.3 * exact);
    double nearest = 0;
    for (int r = 6; r < basis.modes; ++r)
      if (std::abs(basis.frequency(r) - exact) < std::abs(nearest - exact)) nearest = basis.frequency(r);
    const test::KnownProblem known("free block", "Lamé 1852: c/(√2 a)");
    known.value(fmt::format("frequency, Hz, {0} x {0} x {0} hexahedra of {1} nodes", n, quadratic ? 20 : 8), nearest,
                exact, tolerance);
  }
}

// Ring clamped at its hole and free outside: w = (A J + B Y + C I + D K)(kr) cos nθ; the roots make the determinant of
// clamped and free edge vanish (Vogel & Skinner, J. Appl. Mech. 32, 1965).
double ring_root(double inner, double outer, int n, double nu) {
  const auto determinant = [&](double k) {
    Eigen::Matrix4d rows;
    const auto functions = [&](double r) {  // J Y I K, their first derivatives by r
      const double x = k * r, j = std::cyl_bessel_j(n, x), y = std::cyl_neumann(n, x), i = std::cyl_bessel_i(n, x),
                   q = std::cyl_bessel_k(n, x);
      Eigen::Matrix<double, 2, 4> f;
      f.row(0) << j, y, i, q;
      f.row(1) << n * j / x - std::cyl_bessel_j(n + 1, x), n * y / x - std::cyl_neumann(n + 1, x),
          n * i / x + std::cyl_bessel_i(n + 1, x), n * q / x - std::cyl_bessel_k(n + 1, x);
      f.row(1) *= k;
      return f;
    };
    rows.topRows<2>() = functions(inner);
    const auto f = functions(outer);
    const double r = outer;
    for (int c = 0; c < 4; ++c) {
      const double laplacian = (c < 2 ? -1 : 1) * k * k * f(0, c), slope = (c < 2 ? -1 : 1) * k * k * f(1, c);
      const double second = laplacian - f(1, c) / r + n * n * f(0, c) / (r * r);
      rows(2, c) = second + nu * (f(1, c) / r - n * n * f(0, c) / (r * r));       // bending moment
      rows(3, c) = slope - (1 - nu) * n * n / (r * r) * (f(1, c) - f(0, c) / r);  // Kirchhoff's shear
    }
    for (int row = 0; row < 4; ++row) rows.row(row) /= rows.row(row).norm();
    return rows.determinant();
  };
  double k = 1 / outer, before = determinant(k);
  for (;; k *= 1.002) {
    const double now = determinant(k * 1.002);
    if (before * now < 0) break;
    before = now;
  }
  double low = k, high = k * 1.002;
  for (int step = 0; step < 60; ++step) {
    const double middle = 0.5 * (low + high);
    (determinant(middle) * before > 0 ? low : high) = middle;
  }
  return low;
}

TEST(AnnularDisc, HasTheRootsOfItsDeterminant) {
  const double inner = 0.05, outer = 0.1, t = 5e-4, nu = 0.33;
  Assembly model = test::part_of(mesh_shape(Disc{2 * outer, 2 * inner}, {false, false, t, 1}, {std::nullopt, {96, 12}}),
                                 shell_part("ring", t));
  test::hold(model, [&](const Vector3& x) { return x.norm() < inner + 1e-9; });
  const ModalBasis basis = modes_of(model, 5);
  const double speed = std::sqrt(71e9 * t * t / (12 * 2810 * (1 - nu * nu)));
  const double exact[] = {ring_root(inner, outer, 0, nu), ring_root(inner, outer, 1, nu),
                          ring_root(inner, outer, 2, nu)};
  const int half_waves[] = {0, 1, 1, 2, 2};  // pairs but for the first
  for (int r = 0; r < 5; ++r) {
    const double k = exact[half_waves[r]];
    const test::KnownProblem known("annular disc clamped inside, 96 x 12 shells", "Vogel & Skinner 1965");
    known.value(fmt::format("frequency {}, Hz", r + 1), basis.frequency(r), k * k * speed / (2 * pi), 0.01);
  }
}

// Quarter circle of 4.12 to 4.32, 0.1 thick, E = 10⁷, ν = 0.25, clamped, unit force at the tip along the radius or out
// of its plane: 0.08734 and 0.5022 (MacNeal & Harder, Finite Elem. Anal. Des. 1, 1985). The second is that of a bar
// that twists freely; at the clamped end the section cannot warp, which stiffens a mesh, however fine, by 2 to 4 %.
TEST(CurvedBeam, DeflectsAsPublished) {
  for (const bool solid : {false, true}) {
    const int along = 24, across = 2;
    Mesh mesh;
    PointMerger spots(1e-6);
    const auto node = [&](double s, double r, double z) {
      const double angle = 0.5 * pi * s / along, radius = 4.12 + 0.2 * r / across;
      const Vector3 at(radius * std::sin(angle), radius * std::cos(angle), 0.1 * (z - 0.5));
      int found = spots.find(at);
      if (found < 0) {
        found = static_cast<int>(mesh.points.size());
        mesh.points.push_back(at);
        spots.add(at, found);
      }
      return found;
    };
    for (int i = 0; i < along; ++i)
      for (int j = 0; j < across; ++j) {
        std::vector<int> cell;
        if (!solid) {
          cell = {node(i, j, 0.5), node(i, j + 1, 0.5), node(i + 1, j + 1, 0.5), node(i + 1, j, 0.5)};
        } else {
          const Eigen::Matrix3Xd reference = solid_reference_nodes(SolidShape::hexahedron20);
          for (const auto& c : reference.colwise())
            cell.push_back(node(i + 0.5 * (1 + c.y()), j + 0.5 * (1 + c.x()), 0.5 * (1 + c.z())));
        }
        mesh.add(solid ? kind_of(SolidShape::hexahedron20) : shell_kind(4), cell);
      }
    (void)turn_inverted(mesh);
    Assembly model =
        test::part_of(mesh, solid ? solid_part("arc") : shell_part("arc", 0.1), {"", 1e7, 0.25, 1, std::nullopt});
    test::hold(model, [](const Vector3& x) { return x.x() < 1e-9; });
    const System system = make_system(model);
    const Factorisation factor = factorise_stiffness(model, system);
    for (const auto& [direction, published, tolerance] : {std::tuple{0, 0.08734, 0.015}, {2, 0.5022, 0.045}}) {
      std::vector<int> tip;
      for (int n = 0; n < static_cast<int>(model.nodes.size()); ++n)
        if (std::abs(model.position(n).y()) < 1e-9) tip.push_back(n);
      Eigen::VectorXd force = Eigen::VectorXd::Zero(system.free);
      for (const int n : tip) {
        const Eigen::SparseVector<double> row = system.row(n, direction);
        for (Eigen::SparseVector<double>::InnerIterator entry(row); entry; ++entry)
          force[entry.index()] += 1.0 / static_cast<double>(tip.size());
      }
      const double moved = force.dot(factor.solve(force).col(0));  // mean over the tip
      const test::KnownProblem known("curved beam", "MacNeal & Harder 1985");
      known.value(fmt::format("deflection {}, {}", direction == 0 ? "in its plane" : "out of it",
                              solid ? "hexahedra of 20 nodes" : "shells"),
                  moved, published, tolerance);
    }
  }
}

// One bar as beam, shell and solid: the same first bending, twisting and stretching modes within what the theories
// differ by for a length of ten heights.
TEST(Bar, IsTheSameAsBeamShellAndSolid) {
  const double length = 0.2, width = 0.02, height = 0.006;
  const auto along = [&](Assembly& model) {
    test::hold(model, [&](const Vector3& x) { return x.x() < -length / 2 + 1e-9; });
    return modes_of(model, 8);
  };
  Assembly beam;
  beam.materials = {test::alloy()};
  beam.parts = {{"bar", 0, rectangle_section(width, height, 0.33)}};
  for (int i = 0; i <= 40; ++i) test::add_node(beam, {length * (i / 40.0 - 0.5), 0, 0}, "bar");
  for (int i = 0; i < 40; ++i)
    beam.beams.push_back({{i, i + 1}, 0, {beam.position(i), beam.position(i + 1), Vector3::UnitZ()}});
  Assembly shell = test::part_of(mesh_shape(Plate{length, width}, {false, false, height, 1}, {std::nullopt, {60, 6}}),
                                 shell_part("bar", height));
  Assembly solid = test::part_of(mesh_shape(Plate{length, width}, {true, true, height, 1}, {std::nullopt, {30, 3}}),
                                 solid_part("bar"));
  const ModalBasis of_beam = along(beam), of_shell = along(shell), of_solid = along(solid);
  for (int r = 0; r < 5; ++r) {
    const test::KnownProblem known("one bar as beams, shells and solids", "one another");
    known.value(fmt::format("frequency {}, Hz, shells beside solids", r + 1), of_shell.frequency(r),
                of_solid.frequency(r), 0.01);
    // The fourth twists: Saint-Venant's bar is free to warp at its root, the others are not.
    known.value(fmt::format("frequency {}, Hz, beams beside solids", r + 1), of_beam.frequency(r),
                of_solid.frequency(r), r == 3 ? 0.04 : 0.02);
  }
}

}  // namespace
}  // namespace avrenk
