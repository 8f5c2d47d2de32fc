#include "core/response/principal_stress.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/algebra.h"
#include "core/dense.h"

namespace avrenk {
namespace {

constexpr std::size_t ascents = 4;
constexpr int most_ascent_steps = 200;

double square_along(std::span<const Matrix3> tensors, const Vector3& n) {
  double sum = 0;
  for (const Matrix3& tensor : tensors) {
    const double normal = n.dot(tensor * n);
    sum += normal * normal;
  }
  return sum;
}

// Eigenvectors of the smallest and the largest eigenvalue.
std::pair<Vector3, Vector3> ends_of(const Matrix3& tensor) {
  const Matrix3 vectors = tensor_eigen_directly(tensor).vectors;
  return {vectors.col(0).normalized(), vectors.col(2).normalized()};
}

// Newton's step on the sphere, with H − (nᵀg) I in the tangent plane (g, H: of a quarter of the sum).
Vector3 newton(std::span<const Matrix3> tensors, const Vector3& n) {
  Matrix3 hessian = Matrix3::Zero();
  Vector3 gradient = Vector3::Zero();
  for (const Matrix3& tensor : tensors) {
    const Vector3 along = tensor * n;
    const double normal = n.dot(along);
    gradient += normal * along;
    hessian += normal * tensor + 2 * along * along.transpose();
  }
  Eigen::Matrix<double, 3, 2> tangent;
  tangent.col(0) = n.unitOrthogonal();
  tangent.col(1) = n.cross(tangent.col(0));
  const Eigen::Matrix2d curvature =
      tangent.transpose() * hessian * tangent - gradient.dot(n) * Eigen::Matrix2d::Identity();
  const Eigen::Vector2d slope = tangent.transpose() * gradient;
  const double determinant = curvature.determinant();
  if (!(determinant > 0)) return n;  // no maximum is near
  const Eigen::Vector2d step = -Eigen::Vector2d(curvature(1, 1) * slope[0] - curvature(0, 1) * slope[1],
                                                curvature(0, 0) * slope[1] - curvature(1, 0) * slope[0]) /
                               determinant;
  return (n + tangent * step).normalized();
}

LargestNormalStress ascend(std::span<const Matrix3> tensors, LargestNormalStress best) {
  for (int step = 0; step < most_ascent_steps; ++step) {
    Matrix3 weighted = Matrix3::Zero();
    for (const Matrix3& tensor : tensors) weighted += best.direction.dot(tensor * best.direction) * tensor;
    const double before = best.square;
    for (const Vector3& next : {ends_of(weighted).second, newton(tensors, best.direction)})
      if (const double square = square_along(tensors, next); square > best.square) best = {square, next};
    if (best.square <= before * (1 + 1e-15)) break;
  }
  return best;
}

}  // namespace

LargestNormalStress largest_normal_stress(std::span<const Matrix3> tensors) {
  std::vector<LargestNormalStress> starts;
  const auto start_with = [&](const Matrix3& tensor) {
    const auto [low, high] = ends_of(tensor);
    for (const Vector3& n : {low, high}) starts.push_back({square_along(tensors, n), n});
  };
  double size = 0;
  for (const Matrix3& tensor : tensors) size = std::max(size, tensor.cwiseAbs().maxCoeff());
  if (!(size > 0)) return {};
  for (std::size_t i = 0; i < tensors.size(); ++i) {
    start_with(tensors[i]);
    for (std::size_t j = 0; j < i; ++j) {
      start_with(tensors[i] + tensors[j]);
      start_with(tensors[i] - tensors[j]);
    }
  }
  const std::size_t kept = std::min(ascents, starts.size());
  std::partial_sort(starts.begin(), starts.begin() + static_cast<std::ptrdiff_t>(kept), starts.end(),
                    [](const auto& a, const auto& b) { return a.square > b.square; });
  LargestNormalStress best;
  for (std::size_t k = 0; k < kept; ++k) {
    const LargestNormalStress own = ascend(tensors, starts[k]);
    if (own.square > best.square) best = own;
  }
  return best;
}

}  // namespace avrenk
