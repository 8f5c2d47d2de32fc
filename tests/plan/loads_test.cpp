// Loads in plans: what they become, and what is refused.
#include <gmock/gmock.h>

#include "core/excitation/excitation.h"
#include "core/load/applied.h"
#include "core/system/system.h"
#include "support/plans.h"
#include "support/refusals.h"

namespace avrenk {
namespace {

using test::problem_of;
using test::replaced;
using test::TemporaryFolder;
using testing::HasSubstr;

const std::string bench = R"(materials:
  alloy: {E: 71 GPa, nu: 0.33, density: 2810 kg/m^3}
parts:
  deck: {plate: {size: [300 mm, 200 mm], divisions: [6, 4]}, thickness: 4 mm, material: alloy}
  mast: {line: {from: [0 mm, 0 mm, 0 mm], to: [0 mm, 0 mm, 400 mm], divisions: 4}, section: {tube: {diameter: 20 mm, wall: 2 mm}}, material: alloy}
  foot: {box: {size: [40 mm, 40 mm, 20 mm], divisions: [2, 2, 1]}, material: alloy, position: [0 mm, 60 mm, 40 mm]}
places:
  side: {part: deck, plane: {x: -150 mm}}
  seat: {part: deck, nearest: [[50 mm, 50 mm, 0 mm], [100 mm, 50 mm, 0 mm], [50 mm, 100 mm, 0 mm]]}
  row:  {part: deck, plane: {y: 0 mm}}
  tip:  {part: mast, plane: {z: 400 mm}}
  corner: {part: foot, nearest: [20 mm, 80 mm, 60 mm]}
base: {fixture: {place: side}}
loads:
  push:   {force: {at: seat, direction: [0, 0.6, 0.8]}}
  lever:  {force: {at: seat, direction: -z, through: [0 mm, 0 mm, 100 mm]}}
  twist:  {moment: {at: tip, direction: z}}
  panel:  {pressure: {on: deck, from: +z}}
  drag:   {traction: {on: deck, direction: x}}
  snow:   {line load: {on: mast, direction: -z}}
  field:  {acceleration: {direction: y}}
  wheel:  {unbalance: {at: tip, axis: -z, mass: 2 kg, balance grade: G 6.3, at speed: 3000 rpm, sense: negative}}
profiles:
  rising: {sine: {force: [[600 rpm, 0 N], [3000 rpm, 24 N, 90 deg]]}, between points: linear}
  level:  {sine: {force: {file: level.csv, phase column: lag}}, sweep: 2 oct/min}
  noise:  {random: [[20 Hz, 0.02 g^2/Hz], [2000 Hz, 0.02 g^2/Hz]]}
  shake:  {sine: {acceleration: [[5 Hz, 2 g], [100 Hz, 2 g]]}}
  sound:  {sine: {pressure: [[20 Hz, 2 Pa], [90 Hz, 8 Pa]]}}
environments:
  still:  {static: {loads: {push: 30 N, snow: 2 N/m, field: 1 g}}}
  pump:   {loads: [{push: [rising, level]}, {twist: 0.5 N m, phase: 30 deg}], level: -6 dB}
  both:   {profile: shake, axes: [x, z], loads: [{panel: sound}, {field: shake}]}
  apart:  {loads: [{push: 1 N}, {drag: 2 kPa}], acting: separately, frequencies: {from: 5 Hz, to: 50 Hz, every: 10 Hz}}
  shaft:  {loads: [wheel, {push: rising, order: 4}, {push: 2 N, order: 1}], speeds: {from: 600 rpm, to: 3000 rpm, at: 1200 rpm}}
damping: {otherwise: 1 %}
)";
const test::Files level{{"level.csv", "speed (rpm),force (N),lag (deg)\n600,4,0\n6000,4,-20\n"}};

TEST(LoadsOfAPlan, BecomeColumnsAndCases) {
  const TemporaryFolder folder;
  const Plan plan = test::plan_in(folder, bench, level);
  const auto& loads = plan.assembly.loads;
  ASSERT_EQ(loads.size(), 8U);
  const Resultant lever = resultant_of(plan.assembly, loads[1].columns[0], {0, 0, 0.1});
  EXPECT_LE((lever.force - Vector3(0, 0, -1)).norm() + lever.moment.norm(), 1e-12);
  EXPECT_NEAR(resultant_of(plan.assembly, loads[3].columns[0], Vector3::Zero()).force.z(), -0.06, 1e-15);
  EXPECT_NEAR(resultant_of(plan.assembly, loads[5].columns[0], Vector3::Zero()).force.z(), -0.4, 1e-15);
  // U = m G/Ω, turning negatively about −z: positively about z.
  EXPECT_NEAR(*loads[7].unbalance, 2 * 6.3e-3 / (2 * pi * 50), 1e-15);
  EXPECT_EQ(loads[7].factors[1], std::complex<double>(0, 1));
  const System system = make_system(plan.assembly);
  const auto cases = [&](std::size_t k) { return excitations(plan.environments[k], plan.assembly, system); };
  const auto still = cases(0);
  EXPECT_EQ(still.size(), 1U);
  EXPECT_NEAR(still[0]->loads(0, 0).real(), 30, 1e-12);
  EXPECT_NEAR(still[0]->loads(6, 2).real(), standard_gravity, 1e-12);
  const auto pump = cases(1);
  ASSERT_EQ(pump.size(), 2U);
  EXPECT_EQ(pump[0]->name(), "pump.rising");
  EXPECT_EQ(pump[1]->name(), "pump.level");
  // Half way from 10 to 50 Hz: 12 N at 45°, and 0.5 N m at 30°, 6 dB down.
  const Eigen::VectorXcd at = pump[0]->at(30);
  const double down = std::pow(10, -0.3);
  EXPECT_LE(std::abs(at[0] - down * 12.0 * std::polar(1.0, pi / 4)), 1e-12);
  EXPECT_LE(std::abs(at[1] - down * 0.5 * std::polar(1.0, pi / 6)), 1e-12);
  EXPECT_NEAR(pump[0]->grid.to, 50, 1e-12);  // where all tables say something
  EXPECT_EQ(pump[0]->kind, &kind::force);
  EXPECT_EQ(pump[1]->environment->sine().sweep_rate, 2.0);
  const auto both = cases(2);
  ASSERT_EQ(both.size(), 2U);
  EXPECT_EQ(both[1]->name(), "both.z");
  EXPECT_EQ(both[1]->kind, &kind::acceleration);
  EXPECT_NEAR(both[1]->grid.from, 20, 1e-12);
  EXPECT_NEAR(std::abs(both[1]->at(90)(1, 0)), 8, 1e-12);
  EXPECT_NEAR(std::abs(both[1]->at(90)(2, 0)), 2 * standard_gravity, 1e-12);
  const auto apart = cases(3);
  ASSERT_EQ(apart.size(), 2U);
  EXPECT_EQ(apart[1]->name(), "apart.drag");
  EXPECT_EQ(case_names(plan.environments[3]), (std::vector<std::string>{"push", "drag"}));
  const auto shaft = cases(4);
  ASSERT_EQ(shaft.size(), 2U);
  EXPECT_EQ(shaft[0]->name(), "shaft.1x");
  EXPECT_EQ(shaft[1]->name(), "shaft.4x");
  EXPECT_NEAR(shaft[1]->grid.from, 40, 1e-12);
  EXPECT_NEAR(shaft[1]->grid.at[0], 80, 1e-12);
  EXPECT_NEAR(std::abs(shaft[1]->at(120)(0, 0)), 12, 1e-12);  // 1800 rpm
  EXPECT_NEAR(std::abs(shaft[0]->at(20)(0, 0)), *loads[7].unbalance * std::pow(2 * pi * 20, 2), 1e-15);
  EXPECT_NEAR(highest_excited(plan.environments), 200, 1e-9);
}

TEST(LoadsOfAPlan, AreRefusedInASentence) {
  const std::vector<test::Refusal> cases{
      {"{at: seat, direction: [0, 0.6, 0.8]}", "{at: seet, direction: z}", "no place \"seet\"; write \"seat\""},
      {"push:   {force:", "push:   {forze:", "unknown key \"forze\""},
      {"through: [0 mm, 0 mm, 100 mm]", "shared: equally, through: [0 mm, 0 mm, 1 mm]",
       "only what is carried as a body"},
      {"{at: tip, direction: z}", "{at: row, direction: z}", "lie on one line"},
      {"{at: tip, direction: z}", "{at: corner, direction: z}", ""},  // said by the system, which knows rotations
      {"{on: deck, from: +z}", "{on: deck}", "two sides"},
      {"{on: deck, from: +z}", "{on: tip, from: +z}", "no face of shells or solids"},
      {"{on: deck, from: +z}", "{on: deck, from: x}", "edge-on"},
      {"{on: deck, from: +z}", "{on: foot}", ""},
      {"{on: mast, direction: -z}", "{on: deck, direction: -z}", "no element of a line has both of its ends there"},
      {"balance grade: G 6.3", "balance grade: 6.3", "\"6.3\" is no balance grade; write G 2.5"},
      {"balance grade: G 6.3, at speed: 3000 rpm", "balance grade: G 6.3", "at speed"},
      {"mass: 2 kg, balance grade: G 6.3, at speed: 3000 rpm", "amount: 3 kg", "an unbalance"},
      {"[[600 rpm, 0 N], [3000 rpm, 24 N, 90 deg]]", "[[600 rpm, 0 N]]", "two points or more"},
      {"[[600 rpm, 0 N], [3000 rpm, 24 N, 90 deg]]", "[[600 rpm, 1 N], [300 rpm, 2 N]]", "frequencies fall"},
      {"[[600 rpm, 0 N], [3000 rpm, 24 N, 90 deg]]", "[[600 rpm, -1 N], [3000 rpm, 2 N]]", "N"},
      {"[[600 rpm, 0 N], [3000 rpm, 24 N, 90 deg]]", "[[600 rpm, 1 N, 2, 3], [3000 rpm, 2 N]]",
       "a point is a frequency"},
      {"between points: linear}", "between points: wavy}", "\"wavy\" is not known here"},
      {"90 deg]]}, between points: linear}", "90 deg]]}}", "no place on log-log paper; write between points: linear"},
      {"phase column: lag", "phase column: leg", "the file has no column \"leg\""},
      {"{push: 30 N, snow", "{push: 30 mm, snow", "a force"},
      {"{push: 30 N, snow", "{push: level, snow", "N"},
      {"{push: 30 N, snow", "{push: -30 N, snow", ""},
      {"{push: 30 N, snow", "{push: [30 N, 40 N], snow", "a load at rest has one amount"},
      {"{push: 30 N, snow", "{push: 0 N, snow", "0 N of push does nothing"},
      {"{twist: 0.5 N m, phase", "{twist: -0.5 N m, phase", ""},
      {"[[600 rpm, 0 N], [3000 rpm, 24 N, 90 deg]]", "[[600 rpm, 0 N], [3000 rpm, 0 N]]", "all amplitudes are zero"},
      {"{push: 30 N, snow", "{wheel: 30 N, snow", "wheel turns, so it is no static load"},
      {"{twist: 0.5 N m, phase: 30 deg}", "{twist: [0.5 N m, 1 N m, 2 N m]}",
       "tables of one load at a time are compared"},
      {"{push: [rising, level]}", "{push: [rising, nosie]}", "no profile \"nosie\""},
      {"{push: [rising, level]}", "{push: noise}", "profile noise is an acceleration PSD, and push needs a force"},
      {"{push: [rising, level]}", "{push: sound}", "profile sound is a pressure, and push needs a force"},
      {"{push: [rising, level]}", "{push: }", "how large push is, is not said"},
      {"{push: [rising, level]}", "{pusch: 3 N}", "no load \"pusch\"; write \"push\""},
      {"{push: [rising, level]}", "{push: 3 N}, {push: 4 N}", "load push is named twice"},
      {"0.5 N m, phase: 30 deg}", "0.5 N m, order: 2}", "an order needs the speed of a shaft"},
      {"{profile: shake, axes: [x, z], loads", "{profile: sound, axes: [x, z], loads", "drives a load and no base"},
      {"{profile: shake, axes: [x, z], loads", "{axes: [x, z], loads", "axes are those of base motion"},
      {"{profile: shake, axes: [x, z], loads", "{profile: noise, axes: [x, z], loads",
       "panel is no random load, and what acts with it is random"},
      {", frequencies: {from: 5 Hz, to: 50 Hz, every: 10 Hz}", "", "no table says from which frequency to which"},
      {"to: 50 Hz, every: 10 Hz", "to: 50 Hz, every: 1e-9 Hz", "steps fit into the band"},
      {"[wheel, {push: rising", "[{wheel: 2 N}, {push: rising", "wheel drives itself"},
      {"speeds: {from: 600 rpm, to: 3000 rpm, at: 1200 rpm}", "speeds: {from: 60 rpm, to: 3000 rpm}", "reaches from"},
      {"loads: [wheel, {push: rising, order: 4}, {push: 2 N, order: 1}]", "loads: []", "no load is named"},
      {"push:   {force: {at: seat", "phase:  {force: {at: seat", "the name stands for the phase"},
  };
  test::expect_refusals(bench, cases, [](const std::string& plan) {
    const std::string said = problem_of(plan, level);
    EXPECT_TRUE(said.empty() || said.find("plan.yaml:") == 0 || said.find("level.csv:") == 0) << said;
    return said;
  });
}

}  // namespace
}  // namespace avrenk
