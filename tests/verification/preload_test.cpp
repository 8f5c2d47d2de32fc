// Modes about a preloaded state, and how far it is from buckling, against closed forms.
#include <gtest/gtest.h>

#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <random>
#include <unsupported/Eigen/MatrixFunctions>

#include "core/modes/preload.h"
#include "support/checked.h"
#include "support/models.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using test::KnownProblem;
using test::shell_part;
using test::solid_part;

// One load column of forces on nodes, per newton.
Load dead_load(std::map<int, Vector6> on_nodes) {
  Load load;
  load.name = "squeeze";
  load.columns.push_back({std::move(on_nodes), {}, {}});
  load.factors = {1.0};
  return load;
}

Vector6 along(const Vector3& direction, double amount) {
  Vector6 force = Vector6::Zero();
  force.head<3>() = amount * direction;
  return force;
}

struct About {
  System system;
  Preload preload;
  ModalBasis basis;
};
About about(const Assembly& model, double amount, int modes, const Vector3& field = Vector3::Zero()) {
  About result{make_system(model), {}, {}};
  result.preload = apply_preload(model, result.system, Eigen::VectorXd::Constant(result.system.loads.cols(), amount),
                                 Eigen::VectorXd::Zero(result.system.support_motion.cols()), field, false);
  if (modes > 0) result.basis = solve_modes(model, result.system, {std::nullopt, modes, false, false});
  return result;
}

// A bar along x, rigid in shear, pushed at its end; `first` and `last` say what its ends hold.
using Holds = std::array<bool, 6>;
struct Column {
  Holds first, last;
};
constexpr Holds clamped{true, true, true, true, true, true}, pinned{true, true, true, true, false, false},
    roller{false, true, true, true, false, false}, guided{false, true, true, true, true, true},
    nothing{false, false, false, false, false, false};

test::Cantilever slender_bar(int elements) {
  test::Cantilever c;
  c.section = rectangle_section(2e-3, 3e-3, 0.3);
  c.section.shear_factor_y = c.section.shear_factor_z = 0;
  c.elements = elements;
  c.direction = Vector3(2, 1, 2) / 3;
  c.up = Vector3(0, 0.6, 0.8);
  return c;
}

Assembly column(const test::Cantilever& c, const Column& ends) {
  Assembly model = test::cantilever(c);
  // Bases hold along global axes: ends are held by stiff springs along the bar's own instead.
  model.bases = {{"fixture", {}, Vector3::Zero()}};
  const Matrix3 axes = model.beams.front().geometry.axes();
  for (const auto& [node, holds] : {std::pair{0, ends.first}, {c.elements, ends.last}}) {
    const int foot = test::add_node(model, model.position(node), "foot");
    model.bases[0].feet.push_back({foot});
    Spring spring = test::stiff_spring(foot, node, 0, 0);
    spring.point = model.position(node);
    spring.axes = axes;
    for (int i = 0; i < 6; ++i) spring.stiffness[i] = holds[static_cast<std::size_t>(i)] ? (i < 3 ? 1e12 : 1e7) : 0;
    model.springs.push_back(spring);
  }
  model.loads = {dead_load({{c.elements, along(c.direction, -1)}})};
  return model;
}

double weak_stiffness(const test::Cantilever& c) {
  return c.material.youngs_modulus * std::min(c.section.second_moment_y, c.section.second_moment_z);
}

TEST(Column, BucklesAtEulersLoads) {
  // P = β² EI/L²: β = π/2, π, the root of tan β = β, 2π (Timoshenko & Gere, Theory of Elastic Stability, 1961). One
  // cubic element is 0.75 % high on a half wave, and the error falls with h⁴.
  const struct {
    const char* name;
    Column ends;
    double root;
  } cases[] = {{"clamped and free", {clamped, nothing}, pi / 2},
               {"pinned at both ends", {pinned, roller}, pi},
               {"clamped and pinned", {clamped, roller}, 4.493409457909064},
               {"clamped at both ends", {clamped, guided}, 2 * pi}};
  for (const auto& [name, ends, root] : cases) {
    const test::Cantilever c = slender_bar(16);
    const double exact = root * root * weak_stiffness(c) / (c.length * c.length);
    const KnownProblem known("slender column of 16 beams, slanting in space", "Euler; Timoshenko & Gere 1961");
    known.value(fmt::format("buckling load, N, {}", name), about(column(c, ends), 1, 0).preload.load_factor, exact,
                1.2 * std::pow(root / c.elements, 4) / 720 + 1e-6);
  }
}

// EI w'''' − N w'' − ρA ω² w = 0 as y' = A y, y = (w, w', w'', w'''), carried along the bar by the matrix exponential.
// What the ends hold leaves a 2 x 2 determinant; its root in ω nearest to a guess.
double frequency_under(double bending, double mass, double length, double force, bool clamped_end, double guess) {
  const auto determinant = [&](double omega) {
    Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
    a(0, 1) = a(1, 2) = a(2, 3) = 1;
    a(3, 0) = mass * omega * omega / bending;
    a(3, 2) = force / bending;
    const Eigen::Matrix4d carry = (length * a).exp();
    Eigen::Matrix<double, 2, 4> end = Eigen::Matrix<double, 2, 4>::Zero();
    if (clamped_end) {
      end(0, 0) = end(1, 1) = 1;
    } else {  // no moment; no force across the direction that the load keeps
      end(0, 2) = bending;
      end(1, 3) = bending;
      end(1, 1) = -force;
    }
    return (end * carry.rightCols<2>()).determinant();
  };
  std::uintmax_t steps = 200;
  const auto [low, high] = boost::math::tools::toms748_solve(determinant, 0.97 * guess, 1.03 * guess,
                                                             boost::math::tools::eps_tolerance<double>(45), steps);
  return 0.5 * (low + high) / (2 * pi);
}

TEST(Beam, VibratesUnderTensionAndCompressionAsItsEquationSays) {
  const test::Cantilever c = slender_bar(32);
  const double bending = weak_stiffness(c), mass = c.material.density * c.section.area,
               euler = pi * pi * bending / (c.length * c.length);
  for (const auto& [name, ends, far_clamped] : {std::tuple{"cantilever", Column{clamped, nothing}, false},
                                                {"clamped at both ends", Column{clamped, guided}, true}})
    for (const double part : {-0.2, 0.0, 3.0}) {  // of Euler's load of the pinned bar, tension positive
      const About found = about(column(c, ends), -part * euler, 6);
      const double first = 2 * pi * found.basis.frequency(0);
      const KnownProblem known("slender beam under axial force, 32 beams",
                               "EI w'''' − N w'' − ρA ω² w = 0, matrix exponential");
      known.value(fmt::format("first frequency, Hz, {}, N = {} of Euler's load", name, part), found.basis.frequency(0),
                  frequency_under(bending, mass, c.length, part * euler, far_clamped, first), 1e-5);
    }
  // Pinned at both ends: ω² = ω₀² (1 + N/N_E).
  for (const double part : {-0.9, 2.0, 200.0}) {
    const About found = about(column(c, {pinned, roller}), -part * euler, 2);
    const double free = pi / (2 * c.length * c.length) * std::sqrt(bending / mass);
    const KnownProblem known("slender beam pinned at both ends, 32 beams", "f = f₀ √(1 + N/N_E)");
    known.value(fmt::format("first frequency, Hz, N = {} of Euler's load", part), found.basis.frequency(0),
                free * std::sqrt(1 + part), 1e-5);
  }
}

TEST(Bar, TwistsAwayUnderCompressionWhereItsTorsionIsSoft) {
  // Uniform stress σ on a bar of free warping: GJ − P I_p/A = 0 at every wave.
  test::Cantilever c = slender_bar(8);
  c.section.torsion_constant = 1e-5 * c.section.torsion_constant;
  const Assembly model = column(c, {clamped, guided});
  const double polar = c.section.second_moment_y + c.section.second_moment_z,
               exact = c.material.elastic().shear_modulus * c.section.torsion_constant * c.section.area / polar;
  const KnownProblem known("bar of soft torsion, clamped", "P = GJ A/I_p");
  known.value("buckling load, N", about(model, 1, 0).preload.load_factor, exact, 1e-8);
}

TEST(Pendulum, HangsAndStandsByItsArm) {
  // A body on an arm of its own, of a rigid link, or both, on a spring that turns: ω² = (k ± m g l)/(m l² + I).
  const double mass = 2, arm = 0.4, inertia = 0.01, spring = 60;
  for (const bool by_link : {false, true})
    for (const double gravity : {-standard_gravity, standard_gravity}) {
      Assembly model;
      const int pivot = test::add_node(model, Vector3::Zero(), "pivot"),
                foot = test::add_node(model, Vector3::Zero(), "foot");
      Spring hinge = test::stiff_spring(foot, pivot, 1e9);
      hinge.stiffness << 1e9, 1e9, 1e9, spring, 1e9, 1e9;
      model.springs = {hinge};
      const Matrix3 about_x = Vector3(inertia, inertia, inertia).asDiagonal();
      int at = pivot;
      if (by_link) {
        at = test::add_node(model, {0, 0, 0.3 * arm}, "arm");
        model.links = {{"arm", pivot, {at}}};
      }
      model.masses = {{"bob", at, Vector3(0, 0, by_link ? 0.7 * arm : arm), mass, about_x}};
      model.bases = {{"fixture", {SupportNode{foot}}, Vector3::Zero()}};
      const About found = about(model, 0, 1, Vector3(0, 0, gravity));
      const KnownProblem known("body on an arm, with gravity", "ω² = (k + m g l)/(m l² + I)");
      known.value(
          fmt::format("frequency, Hz, g = {:.4g} m/s²{}", gravity, by_link ? ", part of the arm a rigid link" : ""),
          found.basis.frequency(0),
          std::sqrt((spring + mass * gravity * arm) / (mass * arm * arm + inertia)) / (2 * pi), 1e-6);
    }
}

// Forces along a direction on the nodes of an edge, in proportion to the length that belongs to each: 1 N/m in all.
std::map<int, Vector6> on_edge(const Assembly& model, const std::function<bool(const Vector3&)>& lies,
                               const Vector3& direction, const Vector3& run, double length) {
  std::vector<std::pair<double, int>> nodes;
  for (int n = 0; n < static_cast<int>(model.nodes.size()); ++n)
    if (lies(model.position(n))) nodes.emplace_back(run.dot(model.position(n)), n);
  std::sort(nodes.begin(), nodes.end());
  std::map<int, Vector6> forces;
  const double each = length / static_cast<double>(nodes.size() - 1);
  for (std::size_t k = 0; k < nodes.size(); ++k)
    forces[nodes[k].second] = along(direction, (k == 0 || k + 1 == nodes.size() ? 0.5 : 1) * each);
  return forces;
}

// A plate of a x b that all edges hold across, pulled or pushed in its plane along x, and along y besides; the middle
// lines hold it in its plane, where symmetry does.
Assembly stretched_plate(double a, double b, double t, int n, bool both, bool clamped_turns) {
  Assembly model =
      test::part_of(mesh_shape(Plate{a, b}, {false, false, t, 1}, {std::nullopt, {n, n}}), shell_part("plate", t));
  model.bases = {{"fixture", {}, Vector3::Zero()}};
  for (int node = 0; node < static_cast<int>(model.nodes.size()); ++node) {
    const Vector3& x = model.position(node);
    const bool on_x = std::abs(std::abs(x.x()) - a / 2) < 1e-9, on_y = std::abs(std::abs(x.y()) - b / 2) < 1e-9;
    const Holds holds{std::abs(x.x()) < 1e-9, std::abs(x.y()) < 1e-9, on_x || on_y,
                      clamped_turns && on_x,  clamped_turns && on_y,  false};
    if (std::count(holds.begin(), holds.end(), true) > 0) model.bases[0].feet.push_back({node, holds});
  }
  std::map<int, Vector6> forces;
  const auto add = [&](const std::map<int, Vector6>& more) {
    for (const auto& [node, force] : more) forces.try_emplace(node, Vector6::Zero()).first->second += force;
  };
  for (const double side : {-1.0, 1.0}) {
    add(on_edge(
        model, [&](const Vector3& x) { return std::abs(x.x() - side * a / 2) < 1e-9; }, side * Vector3::UnitX(),
        Vector3::UnitY(), b));
    if (both)
      add(on_edge(
          model, [&](const Vector3& x) { return std::abs(x.y() - side * b / 2) < 1e-9; }, side * Vector3::UnitY(),
          Vector3::UnitX(), a));
  }
  model.loads = {dead_load(std::move(forces))};
  return model;
}

TEST(Membrane, HasItsFrequenciesWhenStretched) {
  // So thin that bending counts for nothing: f = ½ √(n/ρt) √((i/a)² + (j/b)²). Linear shells: (k h)²/24 each way.
  const double a = 0.5, b = 0.4, t = 2e-5, force = 2000;
  const About found = about(stretched_plate(a, b, t, 24, true, true), force, 4);
  std::vector<double> exact;
  for (const auto& [i, j] : {std::pair{1, 1}, {2, 1}, {1, 2}, {2, 2}})
    exact.push_back(0.5 * std::sqrt(force / (2810 * t)) * std::hypot(i / a, j / b));
  std::sort(exact.begin(), exact.end());
  const KnownProblem known("stretched membrane, 24 x 24 shells", "f = ½ √(n/ρt) √((i/a)² + (j/b)²)");
  for (int r = 0; r < 4; ++r)
    known.value(fmt::format("frequency {}, Hz", r + 1), found.basis.frequency(r), exact[static_cast<std::size_t>(r)],
                5e-3);
}

TEST(Plate, BucklesAndSoftensUnderCompression) {
  // Simply supported, pushed along x: n = D (π/b)² (m b/a + a/(m b))² (Timoshenko & Gere), least over m; below it
  // ω² = ω₀² (1 − n/n_1), n_1 of one half wave each way.
  const double a = 0.3, b = 0.3, t = 2e-3, e = 71e9, nu = 0.33, d = e * t * t * t / (12 * (1 - nu * nu)),
               exact = 4 * pi * pi * d / (b * b);
  const KnownProblem known("square plate pushed along x, 20 x 20 shells", "Timoshenko & Gere 1961");
  const Assembly model = stretched_plate(a, b, t, 20, false, false);
  known.value("buckling force, N/m", -1 * about(model, -1, 0).preload.load_factor, -exact, 0.012);
  const double whole = about(model, 0, 1).basis.frequency(0);
  for (const double part : {0.3, 0.7, -2.0})
    known.value(fmt::format("first frequency over that without force, {} of the buckling force", part),
                about(model, -part * exact, 1).basis.frequency(0) / whole, std::sqrt(1 - part), 0.02);
}

// The root cannot widen, which stiffens a mesh of any density by about a side's length of 40.
TEST(SolidColumn, BucklesAtEulersLoadAndStiffensInTension) {
  const double length = 0.4, side = 0.01;
  Assembly model = test::part_of(
      mesh_shape(Box{{length, side, 1.5 * side}}, {true, true, 0, 1}, {std::nullopt, {20, 1, 1}}), solid_part("bar"));
  test::hold(model, [&](const Vector3& x) { return x.x() < -length / 2 + 1e-9; });
  // As a traction on the end: quadratic faces carry 1/3 on the middles of edges and −1/12 on the corners.
  std::vector<int> corners, middles;
  for (int n = 0; n < static_cast<int>(model.nodes.size()); ++n) {
    const Vector3& x = model.position(n);
    if (x.x() < length / 2 - 1e-9) continue;
    const bool corner =
        std::abs(std::abs(x.y()) - side / 2) < 1e-9 && (std::abs(x.z()) < 1e-9 || std::abs(x.z() - 1.5 * side) < 1e-9);
    (corner ? corners : middles).push_back(n);
  }
  ASSERT_EQ(corners.size() + middles.size(), 8U);
  std::map<int, Vector6> forces;
  for (const int n : corners) forces[n] = along(Vector3::UnitX(), -1.0 / 12);
  for (const int n : middles) forces[n] = along(Vector3::UnitX(), 1.0 / 3);
  model.loads = {dead_load(forces)};
  const double bending = 71e9 * 1.5 * side * std::pow(side, 3) / 12, euler = pi * pi * bending / (4 * length * length);
  const KnownProblem known("cantilever of 20 hexahedra of 20 nodes", "Euler, with shear 1/(1 + P/κGA)");
  const double shear = 5.0 / 6 * 71e9 / 2.66 * 1.5 * side * side;
  known.value("buckling load, N", about(model, -1, 0).preload.load_factor, euler / (1 + euler / shear), 0.012);
  const double guess = 2 * pi * about(model, 2 * euler, 1).basis.frequency(0);
  known.value("first frequency under twice that in tension, Hz", guess / (2 * pi),
              frequency_under(bending, 2810 * 1.5 * side * side, length, 2 * euler, false, guess), 8e-3);
}

TEST(Strip, BucklesSidewaysUnderItsMoment) {
  // A narrow strip bent in its plane by end moments, its ends held across: M = π/L √(EI_z GJ) (Timoshenko & Gere), over
  // √(1 − I_z/I_y), which is what bending in the plane adds.
  const double length = 0.6, height = 0.04, t = 2e-3, e = 71e9, g = e / 2.66;
  Assembly model = test::part_of(mesh_shape(Plate{length, height}, {false, false, t, 1}, {std::nullopt, {60, 6}}),
                                 shell_part("strip", t));
  model.bases = {{"fixture", {}, Vector3::Zero()}};
  std::map<int, Vector6> forces;
  for (int n = 0; n < static_cast<int>(model.nodes.size()); ++n) {
    const Vector3& x = model.position(n);
    if (std::abs(std::abs(x.x()) - length / 2) > 1e-9) {
      if (x.head<2>().norm() < 1e-9) model.bases[0].feet.push_back({n, {true, true, false, false, false, false}});
      continue;
    }
    const bool middle = std::abs(x.y()) < 1e-9;
    model.bases[0].feet.push_back({n, {false, middle && x.x() > 0, true, false, false, false}});
    // σ = M y/I over the edge: what belongs to each node of a linear edge.
    const double h = height / 6;
    double force = 0;  // ∫ N y dy of the hat around the node
    for (const double side : {-1.0, 1.0}) {
      const double other = x.y() + side * h;
      if (std::abs(other) > height / 2 + 1e-9) continue;
      force += h * (2 * x.y() + other) / 6;
    }
    forces[n] = along(Vector3::UnitX(), (x.x() > 0 ? 1 : -1) * force * 12 / (height * height * height));
  }
  model.loads = {dead_load(forces)};
  const double across = e * height * t * t * t / 12, upright = e * t * height * height * height / 12,
               twist = g * height * t * t * t / 3 * (1 - 0.63 * t / height);
  const KnownProblem known("strip bent by end moments, 60 x 6 shells",
                           "π/L √(EI_z GJ/(1 − I_z/I_y)), Timoshenko & Gere 1961");
  known.value("moment at which it buckles sideways, N m", about(model, 1, 0).preload.load_factor,
              pi / length * std::sqrt(across * twist / (1 - across / upright)), 0.02);
}

// Turned in space, and in other numbers of threads, it is the same state.
TEST(Preload, DoesNotDependOnHowTheModelIsTurned) {
  const Matrix3 turn = Eigen::AngleAxisd(0.7, Vector3(1, 2, 3).normalized()).toRotationMatrix();
  const auto found = [&](const Matrix3& r) {
    const Assembly model = test::portal(0.02, r, r * Vector3(0.3, -0.1, 0.2));
    return about(model, 0, 6, r * Vector3(20, -50, -300));
  };
  const About one = found(Matrix3::Identity()), other = found(turn);
  EXPECT_NEAR(one.preload.load_factor / other.preload.load_factor, 1, 1e-8);
  EXPECT_GT(one.preload.load_factor, 1);
  for (int r = 0; r < 6; ++r) EXPECT_NEAR(one.basis.frequency(r) / other.basis.frequency(r), 1, 1e-9);
}

// A rigid translation feels nothing; a rigid turn θ does the work of the stresses, θ² tr S − θᵀ S θ with S = Σ f xᵀ of
// the nodal forces f = K u, which is ∫ σ dV.
TEST(GeometricStiffness, OfEveryElementAnswersRigidMotionsByItsForces) {
  std::mt19937 random(3);
  std::uniform_real_distribution<double> shift(-1, 1);
  const auto look = [&](const ElementBlock& block, const Eigen::Matrix3Xd& nodes, int motions) {
    Eigen::VectorXd u = Eigen::VectorXd::Zero(motions * nodes.cols());
    for (Eigen::Index i = 0; i < u.size(); ++i) u[i] = 1e-3 * shift(random);
    if (motions == 6)  // membrane strains alone
      for (Eigen::Index i = 0; i < nodes.cols(); ++i) u.segment<4>(6 * i + 2).setZero();
    const Eigen::MatrixXd k = geometric_stiffness(block, 0, 1, u);
    const Eigen::VectorXd f = stiffness(block, 0, 1) * u;
    Matrix3 sum = Matrix3::Zero();
    Eigen::VectorXd moved = Eigen::VectorXd::Zero(u.size()), turned = moved;
    const Vector3 axis(0.3, -0.5, 0.8);
    for (Eigen::Index i = 0; i < nodes.cols(); ++i) {
      sum += f.segment<3>(motions * i) * nodes.col(i).transpose();
      moved.segment<3>(motions * i) = axis;
      turned.segment<3>(motions * i) = axis.cross(nodes.col(i));
      if (motions == 6) turned.segment<3>(motions * i + 3) = axis;
    }
    const double expected = axis.squaredNorm() * sum.trace() - axis.dot(sum * axis);
    EXPECT_LE((k - k.transpose()).norm(), 1e-12 * k.norm());
    EXPECT_LE((k * moved).norm(), 1e-12 * k.norm());
    EXPECT_NEAR(turned.dot(k * turned), expected, 1e-9 * std::abs(sum.norm()));
  };
  for (const SolidShape shape : test::every_solid) {
    SolidBlock block{shape, solid_reference_nodes(shape), isotropic_elasticity(71e9, 0.3), 1};
    if (shape != SolidShape::hexahedron20 && shape != SolidShape::tetrahedron10 && shape != SolidShape::wedge15)
      for (Eigen::Index i = 0; i < block.coordinates.size(); ++i) block.coordinates.data()[i] += 0.1 * shift(random);
    look(block, block.coordinates, 3);
  }
  for (const int n : {3, 4}) {
    Eigen::Matrix3Xd nodes(3, n);
    nodes.leftCols(3) << 0, 1.2, 1, 0, 0.1, 0.9, 0, 0, 0;
    if (n == 4) nodes.col(3) << -0.1, 0.8, 0;
    look(ShellBlock{n, nodes, isotropic_shell(0.01, 71e9, 0.3, 1)}, nodes, 6);
  }
}

// A rod that hangs on a stiff swivel, soft about x and y: nothing of it is pressed, however soft, and it swings as a
// compound pendulum does, ω² = (k + (M + m/2) g L)/(M L² + m L²/3 + what of the rod turns about itself).
TEST(Preload, OfAStiffPendulumIsHowItSwings) {
  constexpr double length = 0.5, bob = 5;
  Assembly model;
  model.materials = {{"steel", 210e9, 0.3, 7850, std::nullopt}};
  model.parts = {{"rod", 0, rod_section(0.03, 0.3)}};
  const int wall = test::add_node(model, {0, 0, 0.05}), pin = test::add_node(model, {0, 0, 0});
  model.beams.push_back({{wall, pin}, 0, {model.position(wall), model.position(pin), Vector3::UnitX()}});
  int before = test::add_node(model, {0, 0, 0});
  Spring swivel = test::stiff_spring(pin, before, 1e9);
  for (int i = 1; i <= 4; ++i) {
    const int node = test::add_node(model, {0, 0, -length * i / 4});
    model.beams.push_back({{before, node}, 0, {model.position(before), model.position(node), Vector3::UnitX()}});
    before = node;
  }
  model.masses = {{"bob", before, Vector3::Zero(), bob, Matrix3::Zero()}};
  model.bases = {{"fixture", {SupportNode{wall}}, Vector3::Zero()}};
  const double area = model.parts[0].section.area, rod = 7850 * area * length;
  const double inertia = (bob + rod / 3) * length * length + 7850 * model.parts[0].section.second_moment_y * length;
  swivel.stiffness[5] = 1e3;
  for (int step = 0; step <= 80; ++step) {
    const double k = std::pow(10, -2 + 0.05 * step);
    SCOPED_TRACE(k);
    swivel.stiffness[3] = swivel.stiffness[4] = k;
    model.springs = {swivel};
    const About state = about(model, 0, 2, Vector3(0, 0, -standard_gravity));
    EXPECT_TRUE(std::isinf(state.preload.load_factor));
    const double moment = k + (bob + rod / 2) * standard_gravity * length;
    EXPECT_NEAR(state.basis.frequency(0) * 2 * pi / std::sqrt(moment / inertia), 1, 1e-3);
    if (step % 20 == 0)
      KnownProblem("rod of 0.5 m with a bob on a swivel, hanging", "compound pendulum, (k + (M + m/2) g L)/I")
          .value(fmt::format("frequency 1, Hz, k = {} N m", k), state.basis.frequency(0),
                 std::sqrt(moment / inertia) / (2 * pi), 1e-3);
  }
}

}  // namespace
}  // namespace avrenk
