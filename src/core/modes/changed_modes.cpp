#include "core/modes/changed_modes.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

#include "core/dense.h"
#include "core/error.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// The span of some columns as one that is orthonormal in K; what depends on others is left out.
MatrixXd orthonormal_in(const SparseMatrix& stiffness, MatrixXd columns) {
  MatrixXd products = stiffness * columns;
  const VectorXd energy = columns.cwiseProduct(products).colwise().sum().cwiseMax(0).transpose();
  const VectorXd scale = energy.unaryExpr([](double e) { return e > 0 ? 1 / std::sqrt(e) : 0.0; });
  columns *= scale.asDiagonal();
  products *= scale.asDiagonal();
  const SymmetricEigen eigen = symmetric_eigen(MatrixXd(columns.transpose() * products));
  constexpr double dependent = 1e-13;  // of the largest
  Index first = 0;
  while (eigen.values[first] <= dependent * eigen.values[eigen.values.size() - 1]) ++first;
  const Index kept = eigen.values.size() - first;
  return columns * (eigen.vectors.rightCols(kept) * eigen.values.tail(kept).cwiseSqrt().cwiseInverse().asDiagonal());
}

}  // namespace

KnownModes::KnownModes(const Assembly& assembly, const System& system, const ModalBasis& basis)
    : system_(system), basis_(basis), stiffness_(factorise_stiffness(assembly, system)) {}

// Steps with the known factor: each leaves of the error what the change of the stiffness is of it. They end where one
// does not come nearer.
MatrixXd KnownModes::corrected(const System& changed, MatrixXd x, const MatrixXd& forces) const {
  constexpr int steps = 2;
  double before = HUGE_VAL;
  for (int step = 0; step < steps; ++step) {
    const MatrixXd correction = stiffness_.solve(forces - changed.stiffness.ff * x);
    const double size = correction.norm();
    if (!(size < before)) break;
    before = size;
    x += correction;
  }
  return x;
}

ModalBasis KnownModes::of(const Assembly& assembly, const System& changed) const {
  if (changed.free != system_.free || changed.node_of_column != system_.node_of_column ||
      changed.component_of_column != system_.component_of_column || changed.supports != system_.supports)
    throw_input_error("model",
                      "the change makes another mesh, or other unknowns, and what is known of the modes does not fit",
                      "change what leaves the mesh alone, or run both plans and compare them");
  ModalBasis basis;
  StaticSolution& statics = basis.statics;
  statics = basis_.statics;
  const MatrixXd& supports = changed.support_motion;
  if (statics.moves_rigidly)
    statics.influence = changed.rigid;
  else
    statics.influence = corrected(changed, std::move(statics.influence), -(changed.stiffness.fs * supports));
  statics.inertia_load = changed.mass.ff * statics.influence + changed.mass.fs * supports;
  statics.unit_acceleration = corrected(changed, std::move(statics.unit_acceleration), statics.inertia_load);

  const VectorXd lambda = basis_.omega.array().isFinite().select(basis_.omega.array().square(), 0);
  const SparseMatrix stiffer = changed.stiffness.ff - system_.stiffness.ff, heavier = changed.mass.ff - system_.mass.ff;
  MatrixXd span =
      basis_.shapes - stiffness_.solve(stiffer * basis_.shapes - (heavier * basis_.shapes) * lambda.asDiagonal());
  span = orthonormal_in(changed.stiffness.ff, std::move(span));
  const MatrixXd mass = span.transpose() * (changed.mass.ff * span);
  const SymmetricEigen eigen = symmetric_eigen(MatrixXd(0.5 * (mass + mass.transpose())));
  // Those in which the known modes are, by frequency: values ascend, the last has the lowest.
  const MatrixXd turned = span * eigen.vectors;
  const VectorXd content = (basis_.shapes.leftCols(basis_.modes).transpose() * (changed.mass.ff * turned))
                               .colwise()
                               .squaredNorm()
                               .transpose();
  std::vector<Index> kept(static_cast<std::size_t>(eigen.values.size()));
  std::iota(kept.begin(), kept.end(), Index{0});
  constexpr double no_mass = 1e-13;  // of the largest
  const VectorXd part =
      (eigen.values.array() > no_mass * eigen.values.maxCoeff()).select(content.array() / eigen.values.array(), 0.0);
  std::stable_sort(kept.begin(), kept.end(), [&](Index a, Index b) { return part[a] > part[b]; });
  kept.resize(static_cast<std::size_t>(std::min<Index>(basis_.modes, std::ssize(kept))));
  std::sort(kept.rbegin(), kept.rend());
  const VectorXd omega = eigen.values(kept).cwiseSqrt().cwiseInverse();
  basis.modes = static_cast<int>(kept.size());
  basis.omega = omega;
  basis.shapes = turned(Eigen::all, kept) * omega.asDiagonal();
  if (basis_.size() > basis_.modes)
    append_static_shapes(
        assembly, changed, [&](const MatrixXd& forces) { return corrected(changed, stiffness_.solve(forces), forces); },
        basis_.residual_vectors() > 0, basis);
  basis.has_feet = basis_.has_feet;
  for (std::size_t foot = 0; foot < basis_.foot_influence.size(); ++foot)
    basis.foot_influence.push_back(
        corrected(changed, basis_.foot_influence[foot],
                  -MatrixXd(changed.stiffness.fs.middleCols(6 * static_cast<Index>(foot), 6))));
  basis.exhausted = basis_.exhausted;
  basis.proven_below = basis_.proven_below;
  basis.residual = basis_.residual.head(basis.modes);
  basis.nonorthogonality = VectorXd::Zero(basis.size());
  derive(changed, basis);
  return basis;
}

}  // namespace avrenk
