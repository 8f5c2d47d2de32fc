#include "core/model/reduced_model.h"
#include "core/dense.h"
#include "core/quantity/meant.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXd;

Index ReducedModel::coordinates() const {
  return std::count_if(columns.begin(), columns.end(), [](const Column& each) { return each.node < 0; });
}

MatrixXd rigid_columns(const ReducedModel& model, const Vector3& about) {
  MatrixXd rigid = MatrixXd::Zero(model.size(), 6);
  for (Index i = 0; i < model.size(); ++i) {
    const auto& [node, direction] = model.columns[static_cast<std::size_t>(i)];
    if (node >= 0) rigid.row(i) = rigid_arm(about, model.interface[static_cast<std::size_t>(node)]).row(direction);
  }
  return rigid;
}

std::string why_invalid(const ReducedModel& model) {
  const Index n = model.size();
  const auto points = static_cast<Index>(model.points.size());
  if (n == 0) return "it has no motions";
  std::set<std::pair<int, int>> seen;
  for (const auto& [node, direction] : model.columns) {
    if (node >= static_cast<int>(model.interface.size()) || node < -1 || direction < 0 || direction > 5)
      return fmt::format("node {}, direction {} is none: there are {} nodes, and directions 0 to 5", node, direction,
                         model.interface.size());
    if (node >= 0 && !seen.emplace(node, direction).second)
      return fmt::format("node {}, direction {} is named twice", node, direction);
  }
  for (std::size_t node = 0; node < model.interface.size(); ++node) {
    int straight = 0, turns = 0;
    for (int d = 0; d < 6; ++d) (d < 3 ? straight : turns) += seen.contains({static_cast<int>(node), d}) ? 1 : 0;
    if (straight != 3 || (turns != 0 && turns != 3))
      return fmt::format("node {} has {} translations and {} rotations, three and three or three and none are due",
                         node, straight, turns);
  }
  std::vector<std::pair<const MatrixXd*, const char*>> square;
  for (const auto& [matrix, name, due] : {std::tuple{&model.stiffness, "stiffness", true},
                                          {&model.mass, "mass", true},
                                          {&model.dashpot, "dashpot", false},
                                          {&model.loss, "loss", false}})
    if (matrix->size() > 0 || due) square.emplace_back(matrix, name);
  // Sizes, and that all are numbers, before anything is made of any.
  for (const auto& [matrix, name] : square)
    if (matrix->rows() != n || matrix->cols() != n)
      return fmt::format("the {} matrix is {} x {}, and {} motions are named", name, matrix->rows(), matrix->cols(), n);
  if (model.recovery.rows() != 6 * points || (points > 0 && model.recovery.cols() != n))
    return fmt::format("the recovery rows are {} x {}, and {} points of {} motions are due", model.recovery.rows(),
                       model.recovery.cols(), points, n);
  for (const auto& [matrix, name] : square)
    if (!can_be_meant(*matrix)) return fmt::format("the {} matrix has entries that are no numbers to be meant", name);
  if (!can_be_meant(model.recovery)) return "the recovery rows have entries that are no numbers to be meant";
  for (const std::vector<Vector3>* list : {&model.interface, &model.points})
    for (const Vector3& each : *list)
      if (!can_be_meant(each)) return "a node or point lies nowhere: a coordinate is no number to be meant";
  if (!(std::abs(model.bound) <= most_meant)) return "the frequency to which it holds is no number to be meant";
  for (const auto& [matrix, name] : square) {
    const double largest = matrix->cwiseAbs().maxCoeff(), skew = (*matrix - matrix->transpose()).cwiseAbs().maxCoeff();
    constexpr double rounding = 1e-9;
    if (skew > rounding * largest)
      return fmt::format("the {} matrix is not symmetric, by {:.2g} of its largest entry", name, skew / largest);
    // In units of its own diagonal, so that metres and radians count alike; where that is rounding, as of an interface
    // that a rigid motion cannot strain, of the largest that goes with so much mass.
    constexpr double rounding_of_mass = 1e-7;
    const Eigen::VectorXd sizes = matrix->diagonal().cwiseAbs(), inertia = model.mass.diagonal().cwiseAbs();
    double over_mass = 0;
    for (Index i = 0; i < n; ++i)
      if (inertia[i] > 0) over_mass = std::max(over_mass, sizes[i] / inertia[i]);
    const Eigen::VectorXd root =
        sizes.cwiseMax(rounding_of_mass * over_mass * inertia).cwiseMax(1e-30 * largest).cwiseSqrt().cwiseInverse();
    if (!(largest > 0)) continue;
    const Eigen::VectorXd energies = symmetric_eigenvalues(root.asDiagonal() * (*matrix) * root.asDiagonal());
    constexpr double negative = -1e-6;
    if (energies.minCoeff() < negative * std::max(1.0, energies.maxCoeff()))
      return fmt::format("the {} matrix is not positive: a motion has {} energy, {:.1e} of the largest", name,
                         matrix == &model.mass ? "negative kinetic" : "negative",
                         energies.minCoeff() / std::max(1.0, energies.maxCoeff()));
  }
  if (model.interface.empty()) return "";
  const Vector3& about = model.interface.front();
  const MatrixXd rigid = rigid_columns(model, about);
  const bool turns = std::any_of(model.columns.begin(), model.columns.end(),
                                 [](const ReducedModel::Column& each) { return each.node >= 0 && each.direction > 2; });
  double size = 0;
  for (const Vector3& each : model.interface) size = std::max(size, (each - about).norm());
  const MatrixXd forces = model.stiffness * rigid;
  constexpr double strains = 1e-6;
  for (Index d = 0; d < (turns || size > 0 ? 6 : 3); ++d)
    for (Index i = 0; i < n; ++i) {
      const double scale = (model.stiffness.row(i).cwiseAbs() * rigid.col(d).cwiseAbs())(0);
      if (std::abs(forces(i, d)) > strains * scale + 1e-300 && model.columns[static_cast<std::size_t>(i)].node >= 0)
        return fmt::format("a rigid {} of the interface strains it: by {:.2g} of the forces that it is made of",
                           d < 3 ? "translation" : "rotation", std::abs(forces(i, d)) / scale);
    }
  constexpr double off = 1e-6;
  for (Index p = 0; p < points; ++p) {
    const Vector3& at = model.points[static_cast<std::size_t>(p)];
    const Eigen::Matrix<double, 3, 6> carried = model.recovery.middleRows<3>(6 * p) * rigid;
    const Eigen::Matrix<double, 3, 6> due = rigid_arm(about, at).topRows<3>();
    const Index count = turns || size > 0 ? 6 : 3;
    const double reach = std::max(1.0, (at - about).norm());
    if ((carried - due).leftCols(count).cwiseAbs().maxCoeff() > off * reach)
      return fmt::format("point {} is not carried along when the interface moves as a rigid body: off by {:.2g}", p,
                         (carried - due).leftCols(count).cwiseAbs().maxCoeff());
  }
  return "";
}

ReducedModel placed(const ReducedModel& model, const Matrix3& rotation, const Vector3& shift) {
  ReducedModel result = model;
  for (std::vector<Vector3>* list : {&result.interface, &result.points})
    for (Vector3& x : *list) x = rotation * x + shift;
  const Matrix3 turned = rotation.determinant() < 0 ? Matrix3(-rotation) : rotation;  // of rotations
  // Columns of one node by its directions.
  const Index n = model.size();
  MatrixXd change = MatrixXd::Identity(n, n);  // new motions from the old ones
  for (Index i = 0; i < n; ++i)
    for (Index j = 0; j < n; ++j) {
      const auto &to = model.columns[static_cast<std::size_t>(i)], &from = model.columns[static_cast<std::size_t>(j)];
      if (to.node < 0 || to.node != from.node) continue;
      if (to.direction < 3 && from.direction < 3) change(i, j) = rotation(to.direction, from.direction);
      if (to.direction > 2 && from.direction > 2) change(i, j) = turned(to.direction - 3, from.direction - 3);
      if ((to.direction < 3) != (from.direction < 3)) change(i, j) = 0;
    }
  for (MatrixXd* matrix : {&result.stiffness, &result.mass, &result.dashpot, &result.loss})
    if (matrix->size() > 0) *matrix = change * *matrix * change.transpose();
  for (Index p = 0; p < static_cast<Index>(model.points.size()); ++p) {
    const MatrixXd own = model.recovery.middleRows<6>(6 * p) * change.transpose();
    result.recovery.middleRows<3>(6 * p) = rotation * own.topRows<3>();
    result.recovery.middleRows<3>(6 * p + 3) = turned * own.bottomRows<3>();
  }
  return result;
}

}  // namespace avrenk
