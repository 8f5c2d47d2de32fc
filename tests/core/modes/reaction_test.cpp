// Reactions of single feet, few and many.
#include "core/modes/reaction.h"
#include "core/modes/modal_basis.h"

#include <gtest/gtest.h>

#include "core/mesh/shapes.h"
#include "support/models.h"
#include "support/solids.h"

namespace avrenk {
namespace {

using Eigen::MatrixXd;

// What is carried is the same by static influences and by one factorisation.
TEST(FootShare, IsTheSameOfFewAndOfManyFeet) {
  const test::Solved solved(test::portal(0.05), test::count(5), test::loss_factor(0.02));
  const MatrixXd forces = MatrixXd::Random(solved.system.free, 7);
  const std::vector<MatrixXd> none;
  ASSERT_EQ(solved.basis.foot_influence.size(), 2U);
  const MatrixXd by_influence = FootShare(solved.system, solved.basis.foot_influence)(forces),
                 by_factor = FootShare(solved.system, none)(forces);
  EXPECT_LE((by_influence - by_factor).norm(), 1e-10 * by_factor.norm());
}

// Two plates one above the other, held at more nodes than are a few, of different damping, joined by dashpots in their
// midst: the feet together carry what the base does, dampers and all.
TEST(FootShare, OfManyFeetAddsUpToTheBase) {
  Assembly model;
  model.materials = {test::alloy(), test::alloy(0.05)};
  model.parts = {test::shell_part("plate", 2e-3), test::shell_part("cover", 3e-3)};
  model.parts[1].material = 1;
  for (int part = 0; part < 2; ++part)
    add_mesh(model, part, mesh_shape(Plate{0.3, 0.2}, {false, false, 2e-3, 1}, {std::nullopt, {20, 12}}),
             {Placement{Matrix3::Identity(), {0, 0, 0.05 * part}}});
  const auto node_at = [&](const Vector3& at) {
    int node = 0;
    while ((model.position(node) - at).norm() > 1e-9) ++node;
    return node;
  };
  for (const double x : {-0.03, 0.06}) {
    Spring spring = test::stiff_spring(node_at({x, 0, 0}), node_at({x, 0, 0.05}), 1e5, 2e5);
    spring.dashpot.setConstant(30);
    model.springs.push_back(spring);
  }
  test::hold(model, [](const Vector3& x) { return std::abs(x.x()) > 0.15 - 1e-9; });
  const int feet = static_cast<int>(model.feet().size());
  ASSERT_GT(feet, FootShare::few);
  const test::Solved solved(model, test::count(6), test::loss_factor(0.02));
  EXPECT_TRUE(solved.basis.foot_influence.empty());
  ASSERT_EQ(solved.basis.feet.size(), static_cast<std::size_t>(feet));
  // Dampers inside the model move forces from foot to foot and add none.
  for (MatrixXd SupportReaction::*part : {&SupportReaction::inertia, &SupportReaction::mass, &SupportReaction::viscous,
                                          &SupportReaction::general, &SupportReaction::loss}) {
    MatrixXd sum = MatrixXd::Zero(6, (solved.basis.feet[0].*part).cols());
    double size = 0;
    for (int foot = 0; foot < feet; ++foot) {
      const MatrixXd own = solved.system.support_motion.middleRows<6>(6L * foot).transpose() *
                           (solved.basis.feet[static_cast<std::size_t>(foot)].*part);
      sum += own;
      size += own.norm();
    }
    EXPECT_GT(size, 1);
    EXPECT_LE((sum - solved.basis.bases[0].*part).norm(), 1e-10 * size);
  }
}

}  // namespace
}  // namespace avrenk
