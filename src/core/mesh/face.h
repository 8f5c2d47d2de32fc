/// core/mesh/face.h: faces of shells and solids as surfaces of their own: what carries values from their nodes into
/// them, and the point of them that is nearest to another.
#pragma once

#include <map>
#include <memory>

#include "core/mesh/surface.h"

namespace avrenk {

/// Values and slopes of the functions of a face with 3, 4, 6 or 8 nodes, corners first, then the middle of each edge
/// (Zienkiewicz & Taylor). Quadrilaterals run from −1 to 1, triangles over (0, 0), (1, 0), (0, 1).
struct FaceFunctions {
  Eigen::VectorXd value;
  Eigen::Matrix<double, 2, Eigen::Dynamic> slope;
};
[[nodiscard]] FaceFunctions face_functions(std::size_t nodes, const Eigen::Vector2d& at);

struct FacePoint {
  std::size_t face = 0;  ///< of the surface
  Eigen::Vector2d at = Eigen::Vector2d::Zero();
  Vector3 position = Vector3::Zero();
  Vector3 normal = Vector3::UnitZ();  ///< unit
  double distance = 0;                ///< m, from the point that was asked for
};

/// Six motions of a point as sums over nodes: Σ A_k u_k.
using Mixture = std::map<int, Matrix6>;
void add(Mixture& sum, double weight, const Mixture& other);

/// Faces of some parts, searched by a tree of their boxes. Holds references to what it is given.
class FaceSearch {
 public:
  FaceSearch(const Assembly& assembly, const Surface& surface, const std::vector<int>& parts);
  ~FaceSearch();
  FaceSearch(const FaceSearch&) = delete;
  FaceSearch& operator=(const FaceSearch&) = delete;

  [[nodiscard]] bool empty() const;
  [[nodiscard]] const Eigen::AlignedBox3d& box() const { return box_; }
  /// @pre not empty
  [[nodiscard]] FacePoint nearest(const Vector3& x) const;
  /// Motions of a point that the face carries like a rigid body fixed to it: on shells with their rotations, on solids
  /// with the rotation of the face,
  ///
  ///     θ = ½ n (n · Σ g_i × u_i) + Σ (g_i × n)(n · u_i),   g_i = surface gradient of N_i
  ///
  /// A rigid motion is exact.
  [[nodiscard]] Mixture carry(const FacePoint& point, const Vector3& at) const;
  [[nodiscard]] const Surface::Face& face(const FacePoint& point) const { return surface_.faces[point.face]; }
  /// Part of a face: thickness and offset count.
  [[nodiscard]] const Part& part(const FacePoint& point) const {
    return assembly_.parts[static_cast<std::size_t>(face(point).part)];
  }

 private:
  [[nodiscard]] FacePoint project(std::size_t face, const Vector3& x) const;
  struct Tree;
  const Assembly& assembly_;
  const Surface& surface_;
  std::unique_ptr<Tree> tree_;
  Eigen::AlignedBox3d box_;
};

/// Motions, carried to `at`, of the rigid body that fits the translations of weighted points best:
///
///     u = Σ w_i u_i / Σ w,   θ = J⁻¹ Σ w_i r_i × u_i,   J = Σ w_i (|r_i|² I − r_i r_iᵀ),   r_i from the centroid
///
/// A force on it is shared out so that its resultants are exact. Empty where the points lie on one line.
[[nodiscard]] Mixture best_fit(const std::vector<Vector3>& points, const std::vector<Mixture>& motions,
                               const std::vector<double>& weights, const Vector3& at);

}  // namespace avrenk
