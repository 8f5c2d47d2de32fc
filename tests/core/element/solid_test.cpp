#include "core/element/solid.h"
#include "core/element/kinds.h"

#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <random>

#include "core/error.h"

namespace avrenk {
namespace {

// Points inside the reference element, half way from its middle to its nodes.
Eigen::Matrix3Xd inner_points(SolidShape shape) {
  const Eigen::Matrix3Xd nodes = solid_reference_nodes(shape);
  return 0.5 * (nodes.colwise() + nodes.rowwise().mean());
}

using Eigen::Index;
using Eigen::Matrix3d;
using Eigen::Matrix3Xd;
using Eigen::MatrixXd;
using Eigen::Vector3d;
using Eigen::VectorXd;

constexpr double youngs = 71e9, poisson = 0.33, density = 2810;
constexpr SolidShape all_shapes[] = {SolidShape::hexahedron8,   SolidShape::hexahedron20, SolidShape::tetrahedron4,
                                     SolidShape::tetrahedron10, SolidShape::wedge6,       SolidShape::wedge15};

int corners_of(SolidShape shape) {
  return shape <= SolidShape::hexahedron20 ? 8 : shape <= SolidShape::tetrahedron10 ? 4 : 6;
}

// Quadrilateral and triangular faces by their corners, seen from outside anticlockwise.
std::vector<std::vector<int>> faces_of(SolidShape shape) {
  switch (corners_of(shape)) {
    case 8:
      return {{0, 3, 2, 1}, {4, 5, 6, 7}, {0, 1, 5, 4}, {1, 2, 6, 5}, {2, 3, 7, 6}, {3, 0, 4, 7}};
    case 4:
      return {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {0, 3, 2}};
    default:
      return {{0, 2, 1}, {3, 4, 5}, {0, 1, 4, 3}, {1, 2, 5, 4}, {2, 0, 3, 5}};
  }
}

// Corners moved by up to a part of their distance, middle nodes in the middle of straight edges.
Matrix3Xd distorted_nodes(SolidShape shape, double part, unsigned seed = 1) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> shift(-part, part);
  const Matrix3Xd reference = solid_reference_nodes(shape);
  const int corners = corners_of(shape);
  Matrix3Xd nodes = reference;
  for (int i = 0; i < corners; ++i) nodes.col(i) += Vector3d(shift(random), shift(random), shift(random));
  for (Index i = corners; i < nodes.cols(); ++i) {
    for (int a = 0; a < corners; ++a)
      for (int b = 0; b < a; ++b)
        if ((0.5 * (reference.col(a) + reference.col(b)) - reference.col(i)).norm() < 1e-12) {
          const Vector3d edge = (reference.col(a) - reference.col(b)).cwiseAbs();
          if (edge.maxCoeff() < 2.1 && (corners != 8 || edge.sum() < 2.1))
            nodes.col(i) = 0.5 * (nodes.col(a) + nodes.col(b));
        }
  }
  return 0.02 * nodes;
}

SolidBlock block_of(SolidShape shape, const Matrix3Xd& nodes) {
  return {shape, nodes, isotropic_elasticity(youngs, poisson), density};
}

// 1/3 ∮ x·n dA: exact for straight edges; a quadrilateral is the ruled surface between them.
double volume_by_surface(SolidShape shape, const Matrix3Xd& nodes) {
  double volume = 0;
  for (const std::vector<int>& face : faces_of(shape)) {
    if (face.size() == 3) {
      volume += nodes.col(face[0]).dot(nodes.col(face[1]).cross(nodes.col(face[2]))) / 6;
      continue;
    }
    const Vector3d a = nodes.col(face[0]), b = nodes.col(face[1]), c = nodes.col(face[2]), d = nodes.col(face[3]);
    for (const double u : {0.5 - 0.5 / std::sqrt(3), 0.5 + 0.5 / std::sqrt(3)})
      for (const double v : {0.5 - 0.5 / std::sqrt(3), 0.5 + 0.5 / std::sqrt(3)}) {
        const Vector3d x = (1 - u) * (1 - v) * a + u * (1 - v) * b + u * v * c + (1 - u) * v * d;
        const Vector3d along_u = (1 - v) * (b - a) + v * (c - d), along_v = (1 - u) * (d - a) + u * (c - b);
        volume += 0.25 * x.dot(along_u.cross(along_v)) / 3;
      }
  }
  return volume;
}

VectorXd field_on(const Matrix3Xd& nodes, const std::function<Vector3d(const Vector3d&)>& field) {
  VectorXd u(3 * nodes.cols());
  for (Index i = 0; i < nodes.cols(); ++i) u.segment<3>(3 * i) = field(nodes.col(i));
  return u;
}

class Solid : public testing::TestWithParam<SolidShape> {};

TEST_P(Solid, HasSixMotionsWithoutEnergyAndNoOther) {
  for (const double part : {0.0, 0.12}) {
    const SolidBlock block = block_of(GetParam(), distorted_nodes(GetParam(), part));
    const MatrixXd k = solid_stiffness(block, 0, 1);
    EXPECT_LE((k - k.transpose()).norm(), 1e-14 * k.norm());
    const Eigen::SelfAdjointEigenSolver<MatrixXd> solver(k);
    const VectorXd& energy = solver.eigenvalues();
    EXPECT_LE(energy.head(6).cwiseAbs().maxCoeff(), 1e-12 * energy.maxCoeff());
    EXPECT_GE(energy[6], 1e-4 * energy.maxCoeff());
    for (int d = 0; d < 3; ++d) {
      const VectorXd turn =
          field_on(block.coordinates, [&](const Vector3d& x) { return Vector3d(Vector3d::Unit(d).cross(x)); });
      EXPECT_LE((k * turn).norm(), 1e-12 * k.norm() * turn.norm());
    }
  }
}

TEST_P(Solid, HasExactMassAndSecondMoments) {
  for (const unsigned seed : {1U, 2U, 3U}) {
    const Matrix3Xd nodes = distorted_nodes(GetParam(), 0.12, seed);
    const MatrixXd m = solid_mass(block_of(GetParam(), nodes), 0, 1);
    for (int d = 0; d < 3; ++d) {
      const VectorXd along = field_on(nodes, [&](const Vector3d&) { return Vector3d(Vector3d::Unit(d)); });
      EXPECT_NEAR(along.dot(m * along) / (density * volume_by_surface(GetParam(), nodes)), 1, 1e-12);
    }
  }
  // ∫ x² dV of the reference elements: cube of side 2, unit tetrahedron, right triangle times a length of 2.
  const Matrix3Xd nodes = solid_reference_nodes(GetParam());
  const VectorXd x = field_on(nodes, [](const Vector3d& at) { return Vector3d(at.x(), 0, 0); });
  const double exact = corners_of(GetParam()) == 8 ? 8.0 / 3 : corners_of(GetParam()) == 4 ? 1.0 / 60 : 1.0 / 6;
  EXPECT_NEAR(x.dot(solid_mass(block_of(GetParam(), nodes), 0, 1) * x) / (density * exact), 1, 1e-12);
}

TEST_P(Solid, TurnsWithItsAxes) {
  const Matrix3Xd nodes = distorted_nodes(GetParam(), 0.12);
  const Matrix3d turn(Eigen::AngleAxisd(0.7, Vector3d(1, 2, -0.5).normalized()));
  const Orthotropic constants{{120e9, 9e9, 10e9}, {0.3, 0.4, 0.28}, {5e9, 3.2e9, 4.1e9}};
  const Matrix3d axes(Eigen::AngleAxisd(0.3, Vector3d(0.2, 1, 0.4).normalized()));
  SolidBlock block = block_of(GetParam(), nodes), turned = block_of(GetParam(), turn * nodes);
  block.elasticity = orthotropic_elasticity(constants, axes);
  turned.elasticity = orthotropic_elasticity(constants, axes * turn.transpose());
  const MatrixXd k = solid_stiffness(block, 0, 1), other = solid_stiffness(turned, 0, 1);
  MatrixXd all = MatrixXd::Zero(k.rows(), k.cols());
  for (Index i = 0; i < nodes.cols(); ++i) all.block<3, 3>(3 * i, 3 * i) = turn;
  EXPECT_LE((other - all * k * all.transpose()).norm(), 1e-12 * k.norm());
}

TEST_P(Solid, CarriesConstantStressAndItsEnergy) {
  const Matrix3Xd nodes = distorted_nodes(GetParam(), 0.12);
  const SolidBlock block = block_of(GetParam(), nodes);
  Matrix3d gradient;
  gradient << 1.0, 0.4, -0.3, 0.2, -0.7, 0.5, 0.6, -0.1, 0.8;
  gradient *= 1e-3;
  const VectorXd u = field_on(nodes, [&](const Vector3d& x) { return Vector3d(gradient * x); });
  Eigen::Matrix<double, 6, 1> strain;
  strain << gradient(0, 0), gradient(1, 1), gradient(2, 2), gradient(0, 1) + gradient(1, 0),
      gradient(1, 2) + gradient(2, 1), gradient(2, 0) + gradient(0, 2);
  const Eigen::Matrix<double, 6, 1> stress = block.elasticity * strain;
  const Matrix3Xd points = inner_points(GetParam());
  for (Index g = 0; g < points.cols(); ++g)
    EXPECT_LE((solid_stress_rows(block, 0, points.col(g)) * u - stress).norm(), 1e-11 * stress.norm());
  EXPECT_NEAR(u.dot(solid_stiffness(block, 0, 1) * u) / (strain.dot(stress) * volume_by_surface(GetParam(), nodes)), 1,
              1e-11);
}

INSTANTIATE_TEST_SUITE_P(Shapes, Solid, testing::ValuesIn(all_shapes));

// A mesh of one shape over the unit cube; `outside` tells the nodes on its surface.
struct Patch {
  std::vector<Vector3d> nodes;
  std::vector<std::vector<int>> elements;
};

// Seven hexahedra after MacNeal & Harder, Finite Elem. Anal. Des. 1, 1985; each cut into twelve tetrahedra about its
// middle where tetrahedra are asked for. Wedges: eight around a line that is not straight.
Patch patch_of(SolidShape shape) {
  Patch patch;
  if (corners_of(shape) != 6) {
    const Matrix3Xd cube = 0.5 * (solid_reference_nodes(SolidShape::hexahedron8).array() + 1);
    for (Index i = 0; i < 8; ++i) patch.nodes.emplace_back(cube.col(i));
    for (const auto& inner : {Vector3d(0.249, 0.342, 0.192),
                              {0.826, 0.288, 0.288},
                              {0.850, 0.649, 0.263},
                              {0.273, 0.750, 0.230},
                              {0.320, 0.186, 0.643},
                              {0.677, 0.305, 0.683},
                              {0.788, 0.693, 0.644},
                              {0.165, 0.745, 0.702}})
      patch.nodes.push_back(inner);
    std::vector<std::vector<int>> hexahedra{{8, 9, 10, 11, 12, 13, 14, 15}};
    for (const std::vector<int>& face : faces_of(SolidShape::hexahedron8)) {
      std::vector<int> element;  // from the outer face, seen from inside, to the inner one
      for (std::size_t k = 4; k-- > 0;) element.push_back(face[k]);
      for (std::size_t k = 4; k-- > 0;) element.push_back(8 + face[k]);
      hexahedra.push_back(element);
    }
    if (corners_of(shape) == 8) {
      patch.elements = hexahedra;
    } else {
      for (const auto& element : hexahedra) {
        const int middle = static_cast<int>(patch.nodes.size());
        Vector3d centre = Vector3d::Zero();
        for (const int node : element) centre += patch.nodes[static_cast<std::size_t>(node)] / 8;
        patch.nodes.push_back(centre);
        for (const auto& face : faces_of(SolidShape::hexahedron8)) {
          std::vector<int> own;
          for (const int corner : face) own.push_back(element[static_cast<std::size_t>(corner)]);
          std::rotate(own.begin(), std::min_element(own.begin(), own.end()), own.end());  // both sides cut alike
          patch.elements.push_back({own[0], own[2], own[1], middle});
          patch.elements.push_back({own[0], own[3], own[2], middle});
        }
      }
    }
  } else {
    for (const double z : {0.0, 0.5, 1.0}) {
      const double bend = z == 0.5 ? 0.08 : 0;
      for (const auto& [x, y] : {std::pair{0.0, 0.0}, {1.0, 0.0}, {1.0, 1.0}, {0.0, 1.0}})
        patch.nodes.emplace_back(x, y, z + bend * (x - y));
      patch.nodes.emplace_back(0.4 + 2 * bend, 0.55 - bend, z + 0.5 * bend);
    }
    for (int layer = 0; layer < 2; ++layer)
      for (int k = 0; k < 4; ++k) {
        const int a = 5 * layer + k, b = 5 * layer + (k + 1) % 4, c = 5 * layer + 4;
        patch.elements.push_back({a, b, c, a + 5, b + 5, c + 5});
      }
  }
  // Middle nodes, one for each edge of the mesh.
  const int count = facts_of(shape).nodes, corners = corners_of(shape);
  std::map<std::pair<int, int>, int> middles;
  const Matrix3Xd exact = distorted_nodes(shape, 0.1);
  for (auto& element : patch.elements) {
    for (int i = corners; i < count; ++i)
      for (int a = 0; a < corners; ++a)
        for (int b = 0; b < a; ++b) {
          if ((0.5 * (exact.col(a) + exact.col(b)) - exact.col(i)).norm() > 1e-9) continue;
          const auto key = std::minmax(element[static_cast<std::size_t>(a)], element[static_cast<std::size_t>(b)]);
          const auto [found, fresh] = middles.try_emplace(key, static_cast<int>(patch.nodes.size()));
          if (fresh)
            patch.nodes.push_back(0.5 * (patch.nodes[static_cast<std::size_t>(key.first)] +
                                         patch.nodes[static_cast<std::size_t>(key.second)]));
          element.push_back(found->second);
        }
  }
  return patch;
}

Matrix3Xd nodes_of(const Patch& patch, const std::vector<int>& element) {
  Matrix3Xd nodes(3, static_cast<Index>(element.size()));
  for (std::size_t i = 0; i < element.size(); ++i)
    nodes.col(static_cast<Index>(i)) = patch.nodes[static_cast<std::size_t>(element[i])];
  return nodes;
}

// Displacements of all nodes when those of `held` are given and the others carry no force.
VectorXd solved(const Patch& patch, SolidShape shape, const std::vector<bool>& held, const VectorXd& given,
                const VectorXd& force) {
  const auto count = static_cast<Index>(3 * patch.nodes.size());
  MatrixXd k = MatrixXd::Zero(count, count);
  for (const auto& element : patch.elements) {
    const MatrixXd own = solid_stiffness(block_of(shape, nodes_of(patch, element)), 0, 1);
    for (std::size_t i = 0; i < element.size(); ++i)
      for (std::size_t j = 0; j < element.size(); ++j)
        k.block<3, 3>(3 * element[i], 3 * element[j]) +=
            own.block<3, 3>(3 * static_cast<Index>(i), 3 * static_cast<Index>(j));
  }
  std::vector<Index> free;
  for (Index i = 0; i < count; ++i)
    if (!held[static_cast<std::size_t>(i)]) free.push_back(i);
  VectorXd u = given;
  for (const Index i : free) u[i] = 0;
  const VectorXd right = force - k * u;
  const VectorXd part = k(free, free).ldlt().solve(right(free));
  for (std::size_t i = 0; i < free.size(); ++i) u[free[i]] = part[static_cast<Index>(i)];
  return u;
}

TEST_P(Solid, PassesThePatchTest) {
  const Patch patch = patch_of(GetParam());
  Matrix3d gradient;
  gradient << 1.0, 0.5, 0.5, 0.5, 1.0, 0.5, 0.5, 0.5, 1.0;  // the published field, 1e-3 of it
  Matrix3Xd nodes(3, static_cast<Index>(patch.nodes.size()));
  double volume = 0;
  std::vector<bool> held;
  for (std::size_t i = 0; i < patch.nodes.size(); ++i) {
    nodes.col(static_cast<Index>(i)) = patch.nodes[i];
    const bool on_surface = patch.nodes[i].minCoeff() < 1e-9 || patch.nodes[i].maxCoeff() > 1 - 1e-9;
    held.insert(held.end(), 3, on_surface);
  }
  for (const auto& element : patch.elements) volume += volume_by_surface(GetParam(), nodes_of(patch, element));
  EXPECT_NEAR(volume, 1, 1e-12);
  const VectorXd exact = field_on(nodes, [&](const Vector3d& x) { return Vector3d(1e-3 * gradient * x); });
  const VectorXd u = solved(patch, GetParam(), held, exact, VectorXd::Zero(exact.size()));
  EXPECT_GT(std::count(held.begin(), held.end(), false), 2);
  EXPECT_LE((u - exact).cwiseAbs().maxCoeff(), 1e-12);  // of displacements up to 2e-3
}

TEST(Hexahedron8, BendsAsABeamDoesWhenUndistorted) {
  // Pure bending of a brick of any proportions: u_x = κ x z at the corners, the curved faces left to the incompatible
  // modes. Its energy is ½ E I κ² L of a beam when its sides may bulge, u_y = −ν κ y z, and 1/(1 − ν²) times that of a
  // plate, when they may not.
  for (const double slender : {1.0, 5.0, 50.0}) {
    Matrix3Xd nodes = solid_reference_nodes(SolidShape::hexahedron8);
    nodes.row(0) *= slender;
    const MatrixXd k = solid_stiffness(block_of(SolidShape::hexahedron8, nodes), 0, 1);
    const double beam = youngs * 2 * 8 / 12.0 * 2 * slender;
    for (const double bulge : {0.0, poisson}) {
      const VectorXd u =
          field_on(nodes, [&](const Vector3d& x) { return Vector3d(x.x() * x.z(), -bulge * x.y() * x.z(), 0); });
      EXPECT_NEAR(u.dot(k * u) / beam, bulge > 0 ? 1 : 1 / (1 - poisson * poisson), 1e-11) << slender;
    }
  }
}

TEST(QuadraticSolids, HoldPureBendingExactly) {
  // u = κ (x z, −ν y z, −½(x² + ν(z² − y²))): σ_xx = E κ z, all others 0 (Timoshenko & Goodier, art. 102). Elements
  // with straight edges that are images of the reference by a linear map.
  Matrix3d map;
  map << 1.3, 0.2, -0.1, 0.3, 0.9, 0.25, -0.2, 0.1, 1.1;
  for (const SolidShape shape : {SolidShape::hexahedron20, SolidShape::tetrahedron10, SolidShape::wedge15}) {
    const SolidBlock block = block_of(shape, map * solid_reference_nodes(shape));
    const VectorXd u = field_on(block.coordinates, [](const Vector3d& p) {
      return Vector3d(p.x() * p.z(), -poisson * p.y() * p.z(),
                      -0.5 * (p.x() * p.x() + poisson * (p.z() * p.z() - p.y() * p.y())));
    });
    const Matrix3Xd points = inner_points(shape);
    for (Index g = 0; g < points.cols(); ++g) {
      Eigen::Matrix<double, 6, 1> stress = solid_stress_rows(block, 0, points.col(g)) * u;
      stress[0] -= youngs * (map * points.col(g)).z();
      EXPECT_LE(stress.norm(), 1e-11 * youngs) << facts_of(shape).name;
    }
  }
}

TEST(Solids, ComputeABlockAsTheyComputeEachElement) {
  const SolidShape shape = SolidShape::hexahedron8;
  Matrix3Xd three(3, 24);
  three << distorted_nodes(shape, 0.1, 1), distorted_nodes(shape, 0.1, 2), distorted_nodes(shape, 0.1, 3);
  const SolidBlock block = block_of(shape, three);
  EXPECT_EQ(block.elements(), 3);
  const MatrixXd all = solid_stiffness(block, 0, 3), mass = solid_mass(block, 1, 2);
  EXPECT_EQ(all.middleCols(24, 24), solid_stiffness(block_of(shape, three.middleCols(8, 8)), 0, 1));
  EXPECT_EQ(mass.leftCols(24), solid_mass(block_of(shape, three.middleCols(8, 8)), 0, 1));
  EXPECT_GT(solid_jacobian_ratio(block, 0), 0.3);
  EXPECT_NEAR(solid_jacobian_ratio(block_of(shape, solid_reference_nodes(shape)), 0), 1, 1e-12);
  Matrix3Xd inverted = solid_reference_nodes(shape);
  inverted.col(0).swap(inverted.col(4));
  EXPECT_LE(solid_jacobian_ratio(block_of(shape, inverted), 0), 0);
  EXPECT_THROW((void)solid_stiffness(block_of(shape, inverted), 0, 1), NumericalError);
}

TEST(Orthotropic, IsIsotropicWhenItsConstantsAreAndRefusesTheImpossible) {
  const double shear = youngs / (2 * (1 + poisson));
  const Orthotropic same{{youngs, youngs, youngs}, {poisson, poisson, poisson}, {shear, shear, shear}};
  const Matrix3d axes(Eigen::AngleAxisd(1.1, Vector3d(1, -1, 0.3).normalized()));
  const Elasticity isotropic = isotropic_elasticity(youngs, poisson);
  EXPECT_LE((orthotropic_elasticity(same, axes) - isotropic).norm(), 1e-12 * isotropic.norm());
  // ν_xy = −ε_y/ε_x under σ_x, whichever way the material lies.
  const Orthotropic ply{{120e9, 9e9, 10e9}, {0.3, 0.4, 0.28}, {5e9, 3.2e9, 4.1e9}};
  const Eigen::Matrix<double, 6, 1> strain =
      orthotropic_elasticity(ply, Matrix3d::Identity()).inverse() * Eigen::Matrix<double, 6, 1>::Unit(0);
  EXPECT_NEAR(-strain[1] / strain[0], 0.3, 1e-12);
  EXPECT_NEAR(1 / strain[0], 120e9, 1e-1);
  EXPECT_THROW((void)orthotropic_elasticity({{1e9, 9e9, 10e9}, {1.2, 0.4, 0.28}, {5e9, 3.2e9, 4.1e9}}, axes),
               InputError);
}

}  // namespace
}  // namespace avrenk
