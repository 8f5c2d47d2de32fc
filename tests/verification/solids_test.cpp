// Slender cantilever of one element through its thickness (MacNeal & Harder, Finite Elem. Anal. Des. 1, 1985): 6 x 0.2
// x 0.1, E = 10⁷, ν = 0.3, six elements along it, unit loads at the tip.
#include <gtest/gtest.h>
#include <Eigen/Dense>

#include <array>
#include <cmath>
#include <map>
#include <vector>

#include "core/element/kinds.h"
#include "core/element/solid.h"
#include "support/checked.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Matrix3Xd;
using Eigen::MatrixXd;
using Eigen::Vector3d;
using Eigen::VectorXd;

enum class Cut { straight, trapezoid, parallelogram };  // of the inner faces, 45° across the height

// Tip deflection over that of beam theory with shear, for a load along direction d.
double tip_ratio(SolidShape shape, Cut cut, Index d) {
  constexpr int count = 6;
  const Matrix3Xd reference = solid_reference_nodes(shape);
  std::vector<Vector3d> nodes;
  std::map<std::array<long, 3>, int> known;
  std::vector<std::vector<int>> elements(count);
  const auto tilt = [&](double plane) {  // shift of the upper edge of a face along x, half a height
    if (plane < 0.5 || plane > count - 0.5 || cut == Cut::straight) return 0.0;
    return cut == Cut::parallelogram || static_cast<int>(plane) % 2 == 0 ? 0.1 : -0.1;
  };
  for (int e = 0; e < count; ++e)
    for (Index i = 0; i < reference.cols(); ++i) {
      const double s = 0.5 * (1 + reference(0, i));
      const double shift = (1 - s) * tilt(e) + s * tilt(e + 1);
      const Vector3d at(e + s + shift * reference(1, i), 0.1 * reference(1, i), 0.05 * reference(2, i));
      const std::array<long, 3> key{std::lround(1e6 * at.x()), std::lround(1e6 * at.y()), std::lround(1e6 * at.z())};
      const auto [found, fresh] = known.try_emplace(key, static_cast<int>(nodes.size()));
      if (fresh) nodes.push_back(at);
      elements[static_cast<std::size_t>(e)].push_back(found->second);
    }
  const auto size = static_cast<Index>(3 * nodes.size());
  MatrixXd k = MatrixXd::Zero(size, size);
  for (const auto& element : elements) {
    SolidBlock block{shape, Matrix3Xd(3, static_cast<Index>(element.size())), isotropic_elasticity(1e7, 0.3), 0};
    for (std::size_t i = 0; i < element.size(); ++i)
      block.coordinates.col(static_cast<Index>(i)) = nodes[static_cast<std::size_t>(element[i])];
    const MatrixXd own = solid_stiffness(block, 0, 1);
    for (std::size_t i = 0; i < element.size(); ++i)
      for (std::size_t j = 0; j < element.size(); ++j)
        k.block<3, 3>(3 * element[i], 3 * element[j]) +=
            own.block<3, 3>(3 * static_cast<Index>(i), 3 * static_cast<Index>(j));
  }
  std::vector<Index> free, tip;
  for (std::size_t n = 0; n < nodes.size(); ++n) {
    const bool root = nodes[n].x() < 1e-9;
    for (Index c = 0; c < 3 && !root; ++c) free.push_back(3 * static_cast<Index>(n) + c);
    if (nodes[n].x() > count - 1e-9) tip.push_back(static_cast<Index>(n));
  }
  VectorXd force = VectorXd::Zero(size);
  for (const Index n : tip) force[3 * n + d] = 1.0 / static_cast<double>(tip.size());
  VectorXd u = VectorXd::Zero(size);
  const VectorXd part = k(free, free).ldlt().solve(force(free));
  for (std::size_t i = 0; i < free.size(); ++i) u[free[i]] = part[static_cast<Index>(i)];
  double mean = 0;
  for (const Index n : tip) mean += u[3 * n + d] / static_cast<double>(tip.size());
  const double theory[] = {3e-5, 0.1081, 0.4321};  // extension, in the plane of 0.2, across it
  return mean / theory[d];
}

TEST(Solids, SlenderCantilever) {
  struct Case {
    SolidShape shape;
    Cut cut;
    double published[2];  // bending along y and along z
  };
  // Published for the same formulations, three digits. Undistorted, the 8-node element gives bending within 3 % with
  // one element through the thickness; with its faces at 45° it locks, as every 8-node solid that passes the patch test
  // must (MacNeal, Int. J. Numer. Meth. Engng 24, 1987).
  const Case cases[] = {
      {SolidShape::hexahedron8, Cut::straight, {0.978, 0.973}},
      {SolidShape::hexahedron8, Cut::trapezoid, {0.047, 0.030}},
      {SolidShape::hexahedron8, Cut::parallelogram, {0.623, 0.528}},
      {SolidShape::hexahedron20, Cut::straight, {0.970, 0.961}},
      {SolidShape::hexahedron20, Cut::trapezoid, {0.886, 0.920}},
      {SolidShape::hexahedron20, Cut::parallelogram, {0.967, 0.941}},
  };
  for (const Case& each : cases) {
    const char* const cuts[] = {"straight", "trapezoids", "parallelograms"};
    const auto name = fmt::format("{}, {}", facts_of(each.shape).name, cuts[static_cast<int>(each.cut)]);
    const test::KnownProblem known("slender cantilever of six solids", "MacNeal & Harder 1985, three digits");
    known.value(name + ": extension over the closed form", tip_ratio(each.shape, each.cut, 0), 1, 0.015);
    for (Index d = 1; d < 3; ++d)
      known.value(
          fmt::format("{}: deflection {} over beam theory", name, d == 1 ? "in the plane of the cut" : "across"),
          tip_ratio(each.shape, each.cut, d), each.published[d - 1], 1e-3 / each.published[d - 1]);
  }
}

}  // namespace
}  // namespace avrenk
