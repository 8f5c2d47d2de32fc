#include "core/element/shell.h"
#include "core/element/kinds.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <cmath>
#include <functional>
#include <vector>

#include "core/error.h"
#include "core/quantity/quantity.h"
#include "support/shells.h"

namespace avrenk {
namespace {

using test::shell_mass;
using test::shell_stiffness;

using Eigen::Index;
using Eigen::Matrix3d;
using Eigen::Matrix3Xd;
using Eigen::MatrixXd;
using Eigen::Vector3d;
using Eigen::VectorXd;

constexpr double shell_youngs = 71e9, shell_poisson = 0.33, shell_density = 2810, thickness = 2e-3;

ShellSection plain(double t = thickness) { return isotropic_shell(t, shell_youngs, shell_poisson, shell_density); }

// A quadrilateral (warped where asked for) or a triangle, somewhere in space.
Matrix3Xd element(Index nodes, double warp, const Matrix3d& turn = Matrix3d::Identity()) {
  Matrix3Xd all(3, 4);
  all << 0, 0.05, 0.06, -0.01, 0, 0.008, 0.052, 0.04, warp, -warp, warp, -warp;
  return turn * all.leftCols(nodes) + Vector3d(0.3, -0.1, 0.2).replicate(1, nodes);
}

VectorXd rigid(const Matrix3Xd& nodes, int motion) {
  VectorXd u(6 * nodes.cols());
  for (Index i = 0; i < nodes.cols(); ++i) {
    const Vector3d axis = Vector3d::Unit(motion % 3);
    u.segment<3>(6 * i) = motion < 3 ? axis : Vector3d(axis.cross(nodes.col(i)));
    u.segment<3>(6 * i + 3) = motion < 3 ? Vector3d(Vector3d::Zero()) : axis;
  }
  return u;
}

struct FlatCase {
  Index nodes;
  double warp, offset;
};
class Shell : public testing::TestWithParam<FlatCase> {};

TEST_P(Shell, HasSixMotionsWithoutEnergyAndTurnsWithItsAxes) {
  const auto& [count, warp, offset] = GetParam();
  ShellSection section = plain();
  section.offset = offset;
  const Matrix3d turn(Eigen::AngleAxisd(0.8, Vector3d(1, -0.4, 0.6).normalized()));
  const Matrix3Xd nodes = element(count, warp);
  const MatrixXd k = shell_stiffness(nodes, section), m = shell_mass(nodes, section);
  EXPECT_LE((k - k.transpose()).norm(), 1e-13 * k.norm());
  const VectorXd energy = Eigen::SelfAdjointEigenSolver<MatrixXd>(k).eigenvalues();
  EXPECT_LE(energy.head(6).cwiseAbs().maxCoeff(), 1e-11 * energy.maxCoeff());
  EXPECT_GE(energy[6], 1e-9 * energy.maxCoeff());
  for (int motion = 0; motion < 6; ++motion) {
    const VectorXd u = rigid(nodes, motion);
    EXPECT_LE((k * u).norm(), 1e-11 * k.norm() * u.norm()) << motion;
  }
  MatrixXd all = MatrixXd::Zero(k.rows(), k.cols());
  for (Index i = 0; i < 2 * count; ++i) all.block<3, 3>(3 * i, 3 * i) = turn;
  const Matrix3Xd turned = turn * nodes;
  EXPECT_LE((shell_stiffness(turned, section) - all * k * all.transpose()).norm(), 1e-11 * k.norm());
  EXPECT_LE((shell_mass(turned, section) - all * m * all.transpose()).norm(), 1e-11 * m.norm());
}

TEST_P(Shell, HasExactMassAndMoments) {
  const auto& [count, warp, offset] = GetParam();
  ShellSection section = plain();
  section.extra_mass = 1.5;
  section.offset = offset;
  const Matrix3Xd nodes = element(count, warp);
  // Area by another route: fine triangles of the ruled surface.
  double area = 0;
  Vector3d first = Vector3d::Zero();
  constexpr int fine = 400;
  for (int i = 0; i < fine; ++i)
    for (int j = 0; j < fine; ++j) {
      const double u = (i + 0.5) / fine, v = (j + 0.5) / fine;
      if (count == 3) {
        if (i + j >= fine) continue;
        const double part = i + j + 1 == fine ? 0.5 : 1;
        const Vector3d a = nodes.col(1) - nodes.col(0), b = nodes.col(2) - nodes.col(0);
        const double own = part * a.cross(b).norm() / (fine * fine);
        area += own;
        first += own * (nodes.col(0) + u * a + v * b);
      } else {
        const Vector3d at = (1 - u) * (1 - v) * nodes.col(0) + u * (1 - v) * nodes.col(1) + u * v * nodes.col(2) +
                            (1 - u) * v * nodes.col(3);
        const Vector3d along = (1 - v) * (nodes.col(1) - nodes.col(0)) + v * (nodes.col(2) - nodes.col(3)),
                       across = (1 - u) * (nodes.col(3) - nodes.col(0)) + u * (nodes.col(2) - nodes.col(1));
        const double own = along.cross(across).norm() / (fine * fine);
        area += own;
        first += own * at;
      }
    }
  const MatrixXd m = shell_mass(nodes, section);
  const double mass = area * (shell_density * thickness + 1.5);
  for (int d = 0; d < 3; ++d) EXPECT_NEAR(rigid(nodes, d).dot(m * rigid(nodes, d)) / mass, 1, 1e-5);
  // First moments: the centre of gravity, an offset away from the nodes' surface.
  const Vector3d centre = first / area + offset * shell_axes(nodes, section).row(2).transpose();
  EXPECT_NEAR(rigid(nodes, 1).dot(m * rigid(nodes, 5)) / mass, centre.x(), 2e-4 * 0.3);
  EXPECT_NEAR(rigid(nodes, 2).dot(m * rigid(nodes, 3)) / mass, centre.y(), 2e-4 * 0.3);
  EXPECT_NEAR(rigid(nodes, 0).dot(m * rigid(nodes, 4)) / mass, centre.z(), 2e-4 * 0.3);
}

INSTANTIATE_TEST_SUITE_P(Kinds, Shell,
                         testing::Values(FlatCase{4, 0, 0}, FlatCase{4, 0, 3e-3}, FlatCase{4, 2e-3, 0},
                                         FlatCase{4, 2e-3, -1e-3}, FlatCase{3, 0, 0}, FlatCase{3, 0, 2e-3}));

TEST(Shell, AnOffsetIsAShellAtOtherNodes) {
  // Nodes on the middle surface, seen from places 5 mm below it along the normal.
  for (const Index count : {3, 4}) {
    const Matrix3Xd upper = element(count, 0);
    const Vector3d normal = shell_axes(upper, plain()).row(2);
    const Matrix3Xd lower = upper.colwise() - 5e-3 * normal;
    ShellSection section = plain();
    section.offset = 5e-3;
    MatrixXd carry = MatrixXd::Identity(6 * count, 6 * count);  // u_upper = u_lower + θ × 5 mm n
    Matrix3d cross;
    cross << 0, normal.z(), -normal.y(), -normal.z(), 0, normal.x(), normal.y(), -normal.x(), 0;
    for (Index i = 0; i < count; ++i) carry.block<3, 3>(6 * i, 6 * i + 3) = 5e-3 * cross;
    const MatrixXd k = carry.transpose() * shell_stiffness(upper, plain()) * carry;
    EXPECT_LE((shell_stiffness(lower, section) - k).norm(), 1e-12 * k.norm());
  }
}

// A flat mesh over a rectangle a x b in the plane z = 0: n x n quadrilaterals, or twice as many triangles; inner nodes
// moved by a part of the spacing.
struct FlatMesh {
  Matrix3Xd nodes;
  std::vector<std::vector<int>> elements;
};
FlatMesh rectangle(Index kind, int n, double a, double b, double distortion) {
  FlatMesh mesh;
  mesh.nodes.resize(3, (n + 1) * (n + 1));
  for (int j = 0; j <= n; ++j)
    for (int i = 0; i <= n; ++i) {
      const bool inner = i > 0 && i < n && j > 0 && j < n;
      const double shift = inner ? distortion / n : 0;
      mesh.nodes.col(j * (n + 1) + i) << a * (static_cast<double>(i) / n + shift * std::sin(3.0 * i + 5 * j)),
          b * (static_cast<double>(j) / n + shift * std::cos(7.0 * i - 2 * j)), 0;
    }
  for (int j = 0; j < n; ++j)
    for (int i = 0; i < n; ++i) {
      const int p = j * (n + 1) + i, q = p + 1, r = p + n + 2, s = p + n + 1;
      if (kind == 4) {
        mesh.elements.push_back({p, q, r, s});
      } else {
        mesh.elements.push_back({p, q, r});
        mesh.elements.push_back({p, r, s});
      }
    }
  return mesh;
}
Matrix3Xd corners_of(const FlatMesh& mesh, const std::vector<int>& element) { return mesh.nodes(Eigen::all, element); }
MatrixXd assembled(const FlatMesh& mesh, const std::function<MatrixXd(const Matrix3Xd&)>& own) {
  MatrixXd all = MatrixXd::Zero(6 * mesh.nodes.cols(), 6 * mesh.nodes.cols());
  for (const auto& element : mesh.elements) {
    const MatrixXd k = own(corners_of(mesh, element));
    for (std::size_t i = 0; i < element.size(); ++i)
      for (std::size_t j = 0; j < element.size(); ++j)
        all.block<6, 6>(6 * element[i], 6 * element[j]) +=
            k.block<6, 6>(6 * static_cast<Index>(i), 6 * static_cast<Index>(j));
  }
  return all;
}
bool on_edge(const Vector3d& at, double a, double b) {
  return at.x() < 1e-9 || at.x() > a - 1e-9 || at.y() < 1e-9 || at.y() > b - 1e-9;
}

TEST(Shell, PassesThePatchTestsOfMembraneBendingAndTwist) {
  // MacNeal & Harder 1985: constant membrane strains, constant curvatures, constant transverse shear is not among them.
  // Edges are held as the field says, inner nodes must follow, and stresses at top and bottom are the field's.
  struct Field {
    Eigen::Vector3d strain, curvature;  // xx yy xy
  };
  for (const Index kind : {3, 4}) {
    const FlatMesh mesh = rectangle(kind, 4, 0.24, 0.12, 0.3);
    const ShellSection section = plain();
    const MatrixXd k = assembled(mesh, [&](const Matrix3Xd& nodes) { return shell_stiffness(nodes, section); });
    for (const Field& field : {Field{{1e-3, -4e-4, 6e-4}, {0, 0, 0}}, Field{{0, 0, 0}, {1e-3, 5e-4, -7e-4}}}) {
      const auto& [e, c] = field;
      VectorXd exact(6 * mesh.nodes.cols());
      for (Index i = 0; i < mesh.nodes.cols(); ++i) {
        const double x = mesh.nodes(0, i), y = mesh.nodes(1, i);
        // w = −½(κxx x² + κyy y² + κxy x y) gives u = z θ_y with θ_y = −w,x and θ_x = w,y.
        exact.segment<6>(6 * i) << e[0] * x + 0.5 * e[2] * y, e[1] * y + 0.5 * e[2] * x,
            -0.5 * (c[0] * x * x + c[1] * y * y + c[2] * x * y), -(c[1] * y + 0.5 * c[2] * x),
            c[0] * x + 0.5 * c[2] * y, 0;
      }
      std::vector<Index> free;
      for (Index i = 0; i < mesh.nodes.cols(); ++i)
        for (Index d = 0; d < 6; ++d)
          if (!on_edge(mesh.nodes.col(i), 0.24, 0.12)) free.push_back(6 * i + d);
      VectorXd u = exact;
      for (const Index i : free) u[i] = 0;
      const VectorXd right = -(k * u);
      const VectorXd part = k(free, free).ldlt().solve(right(free));
      for (std::size_t i = 0; i < free.size(); ++i) u[free[i]] = part[static_cast<Index>(i)];
      EXPECT_LE((u - exact).cwiseAbs().maxCoeff(), 1e-9 * exact.cwiseAbs().maxCoeff()) << kind;
      for (const double height : {-1.0, 1.0}) {
        const Eigen::Vector3d stress = section.in_plane * (e + 0.5 * height * thickness * c);
        for (const auto& element : mesh.elements) {
          ShellSection aligned = section;
          aligned.along = Vector3d::UnitX();
          VectorXd own(6 * static_cast<Index>(element.size()));
          for (std::size_t i = 0; i < element.size(); ++i)
            own.segment<6>(6 * static_cast<Index>(i)) = exact.segment<6>(6 * element[i]);
          EXPECT_LE((shell_stress_rows(corners_of(mesh, element), aligned, {0.2, 0.3}, height) * own - stress).norm(),
                    1e-9 * stress.norm());
        }
      }
    }
  }
}

// Lowest frequency (Hz) of a simply supported rectangular plate, edges kept from turning about their normal.
double lowest_of_plate(Index kind, int n, double a, double b, double t) {
  const FlatMesh mesh = rectangle(kind, n, a, b, 0);
  const ShellSection section = plain(t);
  const MatrixXd k = assembled(mesh, [&](const Matrix3Xd&nodes) { return shell_stiffness(nodes, section); }),
                 m = assembled(mesh, [&](const Matrix3Xd&nodes) { return shell_mass(nodes, section); });
  std::vector<Index> free;
  for (Index i = 0; i < mesh.nodes.cols(); ++i) {
    const double x = mesh.nodes(0, i), y = mesh.nodes(1, i);
    const bool along_y = x < 1e-9 || x > a - 1e-9, along_x = y < 1e-9 || y > b - 1e-9;
    if (!along_x && !along_y) free.push_back(6 * i + 2);
    if (!along_x) free.push_back(6 * i + 4);  // θ_y is the slope along x, which an edge along x does not allow
    if (!along_y) free.push_back(6 * i + 3);
  }
  const Eigen::GeneralizedSelfAdjointEigenSolver<MatrixXd> solver(k(free, free), m(free, free), Eigen::EigenvaluesOnly);
  return std::sqrt(solver.eigenvalues()[0]) / (2 * pi);
}

TEST(Shell, ConvergesToThePlateOfMindlinWithoutLocking) {
  // Exact for these edges (Mindlin, J. Appl. Mech. 18, 1951): with λ² = π²(1/a² + 1/b²), ω² = ω_K² / (1 + λ² D/(κ G t))
  // to the first order in rotary inertia, which is 1e-4 at most here; ω_K = λ² √(D/ρt).
  const double a = 0.3, b = 0.2, lambda2 = pi * pi * (1 / (a * a) + 1 / (b * b));
  const double shear = shell_youngs / (2 * (1 + shell_poisson));
  for (const double t : {0.2e-3, 2e-3, 10e-3}) {
    const double stiffness = shell_youngs * t * t * t / (12 * (1 - shell_poisson * shell_poisson));
    const double rotary = 1 + lambda2 * t * t / 12;
    const double exact = lambda2 * std::sqrt(stiffness / (shell_density * t)) / (2 * pi) /
                         std::sqrt(rotary + lambda2 * stiffness / (5.0 / 6 * shear * t));
    for (const Index kind : {3, 4}) {
      const double coarse = lowest_of_plate(kind, 6, a, b, t) / exact - 1,
                   fine = lowest_of_plate(kind, 12, a, b, t) / exact - 1;
      EXPECT_LE(std::abs(fine), kind == 4 ? 0.008 : 0.02) << kind << " " << t;
      EXPECT_GT(std::log2(std::abs(coarse / fine)), 1.5) << kind << " " << t;  // second order
    }
  }
}

TEST(Shell, RefusesWhatIsNoElement) {
  Matrix3Xd folded = element(4, 0);
  folded.col(2) = folded.col(0) + 0.1 * (folded.col(1) - folded.col(0)) + 0.1 * (folded.col(3) - folded.col(0));
  EXPECT_THROW((void)shell_stiffness(folded, plain()), NumericalError);
  Matrix3Xd flat = element(3, 0);
  flat.col(2) = 2 * flat.col(1) - flat.col(0);
  EXPECT_THROW((void)shell_mass(flat, plain()), NumericalError);
}

}  // namespace
}  // namespace avrenk
