#include "core/response/fields.h"

#include <gtest/gtest.h>

#include "support/models.h"

namespace avrenk {
namespace {

TEST(Fields, AgreeWithTheChannelsOfEachNode) {
  const test::Solved solved(test::portal(0.05), test::count(12), {});
  Environment sine;
  sine.name = "sine";
  sine.axes = {1};
  sine.input = LogLogTable({{10, 5, {}}, {200, 20, {}}}, 20);
  sine.grid = {10, 200, 24, 21, {200 * (1 + 1e-14)}};  // the end of the band, in another unit
  const double frequency = 47;
  const CaseResponse excited(excitation_along(sine, 1, solved.system), solved.system, solved.basis, solved.damping);
  ASSERT_EQ(excited.excitation->asked.size(), 1U);
  EXPECT_EQ(excited.excitation->asked[0].frequency, 200);
  const OperatingDeflectionShape shape = shape_at(excited, solved.system, frequency);
  const Eigen::VectorXcd& q = shape.coordinates;
  const Eigen::VectorXcd z = sine.input.at(frequency) * solved.transfer(1).state(frequency).col(0);
  const NodeMotions real = node_motions(solved.system, solved.basis, q.real()),
                    imaginary = node_motions(solved.system, solved.basis, q.imag());
  double largest = 0, instant = 0;
  for (int node = 0; node < static_cast<int>(solved.assembly.nodes.size()); ++node) {
    const Eigen::VectorXcd u = solved.channels.motion(node, NodeMotion::relative_displacement) * z,
                           turn = solved.channels.motion(node, NodeMotion::relative_rotation) * z;
    EXPECT_LE((u.real() - real.col(node).head<3>()).norm(), 1e-12 * u.norm() + 1e-18) << node;
    EXPECT_LE((u.imag() - imaginary.col(node).head<3>()).norm(), 1e-12 * u.norm() + 1e-18) << node;
    EXPECT_LE((turn.real() - real.col(node).tail<3>()).norm(), 1e-12 * turn.norm() + 1e-18) << node;
    for (int k = 0; k < 3600; ++k) {  // the instant by looking at all of them
      const double angle = 2 * pi * k / 3600;
      const double value = (u * std::polar(1.0, angle)).real().norm();
      if (value > largest) {
        largest = value;
        instant = angle;
      }
    }
  }
  EXPECT_NEAR(std::remainder(shape.instant - instant, pi), 0, 2 * pi / 3600);  // half a cycle later all is reversed
  EXPECT_NEAR(shape.largest / largest, 1, 1e-5);
}

}  // namespace
}  // namespace avrenk
