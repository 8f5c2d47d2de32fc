// Stress of solids from the displacements of their nodes.
#include <array>
#include <optional>

#include "core/dense.h"
#include "core/element/solid_shapes.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::Matrix3d;
using Eigen::MatrixXd;
using Eigen::Vector3d;
using SixRows = Eigen::Matrix<double, 6, Eigen::Dynamic, 0, 6, 60>;

// Six rows of strain from columns of gradients: 3 columns a function.
SixRows strain_rows(const SolidNodes& gradient) {
  SixRows rows = SixRows::Zero(6, 3 * gradient.cols());
  for (Index i = 0; i < gradient.cols(); ++i) {
    const double x = gradient(0, i), y = gradient(1, i), z = gradient(2, i);
    rows(0, 3 * i) = rows(3, 3 * i + 1) = rows(5, 3 * i + 2) = x;
    rows(1, 3 * i + 1) = rows(3, 3 * i) = rows(4, 3 * i + 2) = y;
    rows(2, 3 * i + 2) = rows(4, 3 * i + 1) = rows(5, 3 * i) = z;
  }
  return rows;
}

// Rows of the stress at points of one element, incompatible modes included.
class SolidStress {
 public:
  SolidStress(const SolidBlock& block, Index element) : block_(block), nodes_(nodes_of(block, element)) {
    if (block.shape != SolidShape::hexahedron8) return;
    modes_.emplace(nodes_);
    amplitudes_ = incompatible_amplitudes(block, element);
  }
  [[nodiscard]] SixRows at(const Vector3d& point) const {
    const SolidFunctions here = solid_functions(block_.shape, point);
    const Matrix3d jacobian = jacobian_of(here, nodes_);
    SixRows rows = strain_rows(jacobian.inverse().lazyProduct(here.slope));
    if (modes_) rows += strain_rows(modes_->gradients(point, jacobian.determinant())).lazyProduct(amplitudes_);
    return block_.elasticity.lazyProduct(rows);
  }

 private:
  const SolidBlock& block_;
  SolidNodes nodes_;
  std::optional<IncompatibleModes> modes_;
  Eigen::Matrix<double, 9, 24> amplitudes_;
};

// Values at all nodes from those at the samples: turned round to the corners, then by the functions that are linear
// along each edge.
MatrixXd samples_to_nodes(SolidShape shape) {
  const SolidShape corners = corners_of(shape);
  const Rule rule = sampling_rule(shape);
  const auto samples = static_cast<Index>(rule.size());
  MatrixXd at_samples(samples, samples);
  for (Index g = 0; g < samples; ++g)
    at_samples.row(g) = solid_functions(corners, rule[static_cast<std::size_t>(g)].point).value.transpose();
  const Eigen::Matrix3Xd reference = solid_reference_nodes(shape);
  MatrixXd at_nodes(reference.cols(), samples);
  for (Index i = 0; i < reference.cols(); ++i)
    at_nodes.row(i) = solid_functions(corners, reference.col(i)).value.transpose();
  return at_nodes * inverse(at_samples);
}

const MatrixXd& carry_of(SolidShape shape) {
  static const std::array<MatrixXd, 6> all = [] {
    std::array<MatrixXd, 6> carries;
    for (std::size_t k = 0; k < carries.size(); ++k) carries[k] = samples_to_nodes(static_cast<SolidShape>(k));
    return carries;
  }();
  return all[static_cast<std::size_t>(shape)];
}

}  // namespace

MatrixXd solid_stress_rows(const SolidBlock& block, Index element, const Vector3d& point) {
  return SolidStress(block, element).at(point);
}

MatrixXd solid_geometric_stiffness(const SolidBlock& block, Index first, Index count, const MatrixXd& motions) {
  const int n = facts_of(block.shape).nodes;
  const Tabulated table(block.shape, stiffness_rule(block.shape));
  MatrixXd products = MatrixXd::Zero(3 * n, 3 * n * count);
  for (Index k = 0; k < count; ++k) {
    const SolidNodes nodes = nodes_of(block, first + k);
    const SolidStress rows(block, first + k);
    for (std::size_t g = 0; g < table.at.size(); ++g) {
      const Eigen::Matrix<double, 6, 1> s = rows.at(table.rule[g].point) * motions.col(k);
      Matrix3d stress;
      stress << s[0], s[3], s[5], s[3], s[1], s[4], s[5], s[4], s[2];
      const Matrix3d jacobian = jacobian_of(table.at[g], nodes);
      const SolidNodes slopes = jacobian.inverse().lazyProduct(table.at[g].slope);
      const Eigen::MatrixXd both =
          table.rule[g].weight * jacobian.determinant() * slopes.transpose() * MatrixXd(stress * slopes);
      for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j)
          for (int d = 0; d < 3; ++d) products(3 * i + d, 3 * (n * k + j) + d) += both(i, j);
    }
  }
  return products;
}

MatrixXd solid_nodal_stress_rows(const SolidBlock& block, Index element) {
  const int n = facts_of(block.shape).nodes;
  const MatrixXd& carry = carry_of(block.shape);
  const SolidStress rows(block, element);
  const Rule rule = sampling_rule(block.shape);
  MatrixXd all = MatrixXd::Zero(6 * n, 3 * n);
  for (std::size_t g = 0; g < rule.size(); ++g) {
    const SixRows stress = rows.at(rule[g].point);
    for (int i = 0; i < n; ++i) all.middleRows<6>(6L * i) += carry(i, static_cast<Index>(g)) * stress;
  }
  return all;
}

}  // namespace avrenk
