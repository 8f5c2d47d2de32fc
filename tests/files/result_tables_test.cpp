#include "files/result_tables.h"
#include "core/modes/modal_basis.h"

#include <gmock/gmock.h>

#include "files/model_tables.h"
#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

double number(const Table& table, std::size_t row, const std::string& column) {
  std::size_t c = 0;
  while (table.columns.at(c).name != column) ++c;
  return std::get<double>(table.rows.at(row).at(c));
}

TEST(ResultTables, AddUpAndStandInTheUnitsAskedFor) {
  const Solved solved(test::portal(0.05), test::count(6), {});
  Show show;
  show.set(kind::mass, "lbm");
  show.set(kind::length, "in");
  const Table masses = mass_table(solved.assembly, show);
  double sum = 0;
  for (std::size_t row = 0; row + 1 < masses.rows.size(); ++row) sum += number(masses, row, "mass");
  EXPECT_NEAR(number(masses, masses.rows.size() - 1, "mass"), sum, 1e-12);
  EXPECT_NEAR(sum * 0.45359237, total_mass(solved.assembly).mass, 1e-12);
  // Effective masses and what is left make the whole, in every direction; running sums end where the rest begins.
  const Table modes = mode_table(solved.basis, solved.damping, show);
  for (const char* axis : {"x", "y", "z", "rx", "ry", "rz"}) {
    double part = 0;
    for (std::size_t row = 0; row < modes.rows.size(); ++row) part += number(modes, row, axis);
    EXPECT_NEAR(part, 100, 1e-4) << axis;
    const std::size_t last = modes.rows.size() - 2;
    EXPECT_NEAR(number(modes, last, std::string("Σ") + axis) + number(modes, last + 1, axis), 100, 1e-4);
  }
  EXPECT_EQ(residual_table(solved.basis, solved.damping, show).rows.size(), 6U);
  // Under 1 g the feet carry the weight: the assembled matrices against geometry.
  const Table statics =
      static_table(solved.assembly, under_gravity(solved.assembly, solved.system, solved.basis.statics), show);
  for (std::size_t row = 0; row < 3; ++row) EXPECT_NEAR(number(statics, row, "reaction / weight − 1"), 0, 1e-9);
}

TEST(ResultTables, ShowSineAndRandomAtTheSamePlaces) {
  const Solved solved(test::portal(0.05), test::count(6), {});
  const auto watched =
      watch(solved.assembly, solved.channels, {{"box", &output_quantities()[0], {8, 9}, Vector3::Zero()}});
  Environment sine;
  sine.name = "sine";
  sine.axes = {0, 1};
  sine.input = LogLogTable({{10, 2, {}}, {60, 2, {}}}, 20);
  sine.grid = {10, 60, 12, 9, {}};
  Environment shake = sine;
  shake.name = "shake";
  shake.form = RandomInput{};
  shake.input = LogLogTable({{10, 0.5, {}}, {60, 0.5, {}}}, 10);
  const CaseResults one = test::run_along(sine, 0, solved.system, solved.basis, solved.damping, watched);
  const CaseResults two = test::run_along(shake, 0, solved.system, solved.basis, solved.damping, watched);
  const Show show;
  const Table peaks = peak_table(one, watched, show), rms = rms_table(two, watched, show);
  ASSERT_EQ(peaks.rows.size(), 4U);
  EXPECT_NEAR(number(peaks, 3, "peak") * standard_gravity, one.sine()->rows[3].peak.value, 1e-12);
  EXPECT_NEAR(number(rms, 3, "3σ"), 3 * number(rms, 3, "RMS=1σ"), 1e-12);
  // The curve's column of the magnitude has the peak's height at its highest point, to the grid's resolution (8 of 180
  // degrees of phase).
  const Table curves = curve_table(one, watched, show);
  double highest = 0;
  for (std::size_t row = 0; row < curves.rows.size(); ++row)
    highest = std::max(highest, number(curves, row, "box.acceleration"));
  EXPECT_NEAR(highest / number(peaks, 3, "peak"), 1, 0.05);
  EXPECT_EQ(curves.columns.size(), 2U + 3 * 2 + 1);  // frequency, input, three with phase, a magnitude
  EXPECT_EQ(curve_table(two, watched, show).columns[2].unit, "g²/Hz");
  // At the frequency asked for: the row of the curve there.
  sine.grid.at = shake.grid.at = {33.3};
  const Table asked = asked_table(test::run_along(sine, 0, solved.system, solved.basis, solved.damping, watched),
                                  watched, show),
              asked_psd = asked_table(test::run_along(shake, 0, solved.system, solved.basis, solved.damping, watched),
                                      watched, show);
  EXPECT_EQ(asked.rows.size() + asked_psd.rows.size(), 2U);
  EXPECT_TRUE(asked_table(one, watched, show).rows.empty());  // its grid has no such point
  EXPECT_EQ(number(asked, 0, "at"), 33.3);
  const Table through =
      curve_table(test::run_along(sine, 0, solved.system, solved.basis, solved.damping, watched), watched, show);
  for (std::size_t row = 0; row < through.rows.size(); ++row) {
    if (number(through, row, "frequency") != 33.3) continue;
    EXPECT_EQ(number(through, row, "box.acceleration"), number(asked, 0, "amplitude"));
  }
  EXPECT_EQ(std::get<std::string>(asked_psd.rows[0][3]), "g²/Hz");
  EXPECT_TRUE(std::isnan(number(asked_psd, 0, "phase")) && !std::isnan(number(asked, 0, "phase")));
  const Table overview = overview_table({&one}, watched, show);
  EXPECT_EQ(overview.rows.size(), 1U);
  EXPECT_THAT(std::get<std::string>(overview.rows[0][2]), testing::HasSubstr(" @ "));
}

TEST(ResultTables, GiveAProfileInAllItsForms) {
  // 1 mm at 10 Hz is 2πf d = 62.83 mm/s and (2πf)² d = 0.4026 g; RMS of each stretch of a PSD by hand.
  const LogLogTable stroke = LogLogTable({{10, 1e-3, {}}, {20, 1e-3, {}}}, 20).times_omega(2);
  const Table sine = profile_table(stroke, false, kind::acceleration, Show());
  EXPECT_NEAR(number(sine, 0, "v from"), 62.831853, 1e-5);
  EXPECT_NEAR(number(sine, 0, "d to"), 1, 1e-12);
  EXPECT_NEAR(number(sine, 0, "slope"), 12.0412, 1e-4);
  const double g2 = standard_gravity * standard_gravity;
  const Table random = profile_table(
      LogLogTable({{20, 0.01 * g2, {}}, {120, 0.01 * g2, {}}, {120, 0.04 * g2, {}}, {145, 0.04 * g2, {}}}, 10), true,
      kind::acceleration, Show());
  EXPECT_NEAR(number(random, 0, "RMS of this stretch"), 1, 1e-12);
  EXPECT_NEAR(number(random, 1, "share of the variance"), 50, 1e-9);
}

}  // namespace
}  // namespace avrenk
