// Springs that follow tables and have variants, in plans: what they become, and what is refused.
#include <gmock/gmock.h>

#include <complex>

#include "core/model/spring_law.h"
#include "core/modes/spring_variation.h"
#include "support/plans.h"
#include "support/refusals.h"

namespace avrenk {
namespace {

using test::plan_in;
using test::problem_of;
using test::replaced;
using test::TemporaryFolder;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::Pair;

const std::string box_plan = R"(places:
  corners: {points: [[0 mm, 0 mm, 0 mm], [100 mm, 0 mm, 0 mm]]}
masses:
  box: {mass: 4 kg, inertia: {xx: 0.02 kg m^2, yy: 0.02 kg m^2, zz: 0.02 kg m^2}, position: [50 mm, 0 mm, 20 mm], carried by: corners}
base:
  fixture: {point: [0 mm, 0 mm, 0 mm]}
joints:
  mount: {spring: {from: corners, to: fixture, each: {x: [[5 Hz, 100 N/mm], [50 Hz, 150 N/mm]], y: 90 N/mm, z: 120 N/mm, rx: 8 N m/rad, rz: [[60 rpm, 5 N m/rad]]}, loss factor: [[10 Hz, 8 %], [100 Hz, 20 %]], over amplitude: {stiffness: [[0.01 mm, 110 %], [1 mm, 60 %]], loss factor: [[0.1 mm, 50 %]]}, over angle: {stiffness: [[0.1 deg, 100 %], [1 deg, 0.7]]}, variants: {soft: 80 %, stiff: {stiffness: 130 %, loss factor: 90 %}}}}
  stay: {spring: {from: corners, to: fixture, each: {x: 10 N/mm, y: 10 N/mm, z: 10 N/mm}, loss factor: 4 %, variants: {worn: 50 %, soft: 70 %}}}
damping: {otherwise: 1 %}
)";

TEST(SpringsOfAPlan, BecomeWhatTheySay) {
  const TemporaryFolder folder;
  const Plan plan = plan_in(folder, box_plan);
  EXPECT_THAT(plan.variants, ElementsAre("soft", "stiff", "worn"));
  ASSERT_EQ(plan.assembly.springs.size(), 4U);
  const Spring& mount = plan.assembly.springs[0];
  const SpringLaw& law = *mount.law;
  EXPECT_EQ(mount.law, plan.assembly.springs[1].law);
  // As it is at 0 Hz and the smallest amplitude.
  const Vector6 at_rest = (Vector6() << 110e3, 99e3, 132e3, 8, 0, 5).finished();
  EXPECT_LE((mount.stiffness - at_rest).norm(), 1e-9);
  EXPECT_NEAR(*mount.loss_factor, 0.04, 1e-15);
  EXPECT_THAT(law.stiffness[0], ElementsAre(Pair(5, 100e3), Pair(50, 150e3)));
  EXPECT_THAT(law.stiffness[5], ElementsAre(Pair(1, 5)));
  EXPECT_TRUE(law.stiffness[1].empty());
  EXPECT_THAT(law.loss, ElementsAre(Pair(10, 0.08), Pair(100, 0.2)));
  EXPECT_NEAR(law.softening[1][1].first, pi / 180, 1e-12);
  EXPECT_TRUE(law.depends_on_amplitude());
  // Columns for every axis that has a stiffness, behind all loads; nobody declared them.
  ASSERT_EQ(plan.assembly.loads.size(), 2U);
  EXPECT_EQ(plan.assembly.loads[0].columns.size(), 10U);
  EXPECT_EQ(plan.assembly.loads[1].columns.size(), 6U);
  EXPECT_FALSE(plan.assembly.loads[0].is_declared());
  // What varies: the mount by itself, the stay in its variants alone.
  const auto stated = varying_springs(plan.assembly, ""), soft = varying_springs(plan.assembly, "soft"),
             worn = varying_springs(plan.assembly, "worn");
  EXPECT_EQ(stated.size(), 10U);
  EXPECT_EQ(soft.size(), 16U);
  EXPECT_EQ(worn.size(), 16U);
  const auto expect = [](const VaryingSpring& own, double f, double k, double eta) {
    EXPECT_NEAR(own.stiffness_at(f) / k, 1, 1e-12);
    EXPECT_NEAR(own.loss_at(f), eta, 1e-12);
    EXPECT_LE(std::abs(own.stiffness_change(f) -
                       (std::complex<double>(k, k * eta) / own.stiffness - std::complex<double>(1, own.loss))),
              1e-12);
  };
  const double middle = std::sqrt(250.0);  // Hz: half way on the logarithm from 5 to 50
  const double loss_there = 0.08 + 0.12 * std::log10(middle / 10);
  expect(stated[0], middle, 1.1 * 125e3, 0.5 * loss_there);
  expect(stated[1], 1, 1.1 * 90e3, 0.5 * 0.08);
  expect(stated[3], 1000, 8, 0.2);  // its rotations have no growth over the amplitude of translations
  expect(soft[2], 1, 0.8 * 1.1 * 120e3, 0.5 * 0.08);
  expect(soft[10], 1, 7e3, 0.04);
  expect(worn[15], 1, 5e3, 0.04);
  expect(varying_springs(plan.assembly, "stiff")[0], 100, 1.3 * 1.1 * 150e3, 0.9 * 0.5 * 0.2);
}

TEST(SpringsOfAPlan, SayInOneSentenceWhatIsWrong) {
  const std::vector<test::Refusal> cases{
      {"[50 Hz, 150 N/mm]", "[5 Hz, 150 N/mm]",
       "joint mount each x: its points do not rise from 5 Hz to 5 Hz; write them in rising order"},
      {"[[5 Hz, 100 N/mm], [50 Hz, 150 N/mm]]", "[]",
       "joint mount each x: the table is empty; write [[20 Hz, 90 N/mm], …]"},
      {"[5 Hz, 100 N/mm]", "[5 Hz, 0 N/mm]", "joint mount each x: "},
      {"[5 Hz, 100 N/mm]", "[5 mm, 100 N/mm]",
       "joint mount each x: \"5 mm\" is a length; write a frequency such as \"20 Hz\""},
      {"[5 Hz, 100 N/mm]", "5 Hz", "joint mount each x: a point is a frequency and a value; write [20 Hz, 90 N/mm]"},
      {"[10 Hz, 8 %]", "[0 Hz, 8 %]", "joint mount loss factor: "},
      {"[0.01 mm, 110 %]", "[0.01 Hz, 110 %]", "joint mount over amplitude stiffness: "},
      {"[1 deg, 0.7]", "[1 mm, 0.7]", "joint mount over angle stiffness: "},
      {"loss factor: [[10 Hz, 8 %], [100 Hz, 20 %]], ", "",
       "joint mount over amplitude: the joint has no loss factor that it could be a part of"},
      {"soft: 80 %", "soft: 0 %", "joint mount variants soft: "},
      {"soft: 80 %", "'': 80 %",
       "joint mount variants: \"\" is what the springs are without a variant; give it another"},
      {"soft: 80 %", "as stated: 80 %",
       "joint mount variants: \"as stated\" is what the springs are without a variant"},
      {"{soft: 80 %, stiff: {stiffness: 130 %, loss factor: 90 %}}", "{}",
       "joint mount variants: names of variants are due; write {soft: 80 %, stiff: 125 %}"},
      {"loss factor: 90 %", "loss: 90 %",
       "joint mount variants stiff: unknown key \"loss\"; its keys are stiffness, loss factor"},
      {"over angle", "over angel", "unknown key \"over angel\"; write \"over angle\""},
      {"over angle: {stiffness: [[0.1 deg, 100 %], [1 deg, 0.7]]}", "over angle: {}",
       "joint mount over angle: nothing depends on it; write {stiffness: [[0.1 deg, 90 %], …]}"},
      {"loss factor: 4 %, variants", "gap: {toward: -z, width: 1 mm}, variants",
       "joint stay: a spring that opens and closes has one stiffness and one loss factor"},
      {"{x: 10 N/mm, y: 10 N/mm, z: 10 N/mm}, loss factor: 4 %", "{x: 10 N/mm}, over angle: {stiffness: [[1 deg, 1]]}",
       "joint stay over angle: it has no stiffness about x, y or z; leave it out"},
  };
  test::expect_refusals(box_plan, cases, [](const std::string& plan) { return problem_of(plan); });
}

}  // namespace
}  // namespace avrenk
