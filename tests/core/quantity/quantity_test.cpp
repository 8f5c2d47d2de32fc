#include "core/quantity/quantity.h"

#include <gtest/gtest.h>

#include "core/error.h"
#include "core/quantity/show.h"
#include "core/spelling.h"

namespace avrenk {
namespace {

struct Reading {
  const Kind& kind;
  const char* text;
  double si;
};

// Factors: SI brochure; inch, pound: international agreement 1959; g: CGPM 1901.
TEST(Quantity, ReadsEveryFamilyOfUnits) {
  const Reading readings[] = {{kind::length, "8 mm", 8e-3},
                              {kind::length, "0.5in", 0.0127},
                              {kind::length, "3 mil", 7.62e-5},
                              {kind::length, "-1.5e2 µm", -1.5e-4},
                              {kind::mass, "1 tonne", 1000},
                              {kind::mass, "180 gram", 0.18},
                              {kind::mass, "1 slug", 14.593902937206364},
                              {kind::mass, "2 lbf s^2/in", 2 * 175.12683524647636},
                              {kind::force, "1 lbf", 4.4482216152605},
                              {kind::stress, "1 ksi", 6894757.293168361},
                              {kind::stress, "1 N/mm²", 1e6},
                              {kind::density, "2.81e-9 tonne/mm^3", 2810},
                              {kind::acceleration, "4 g", 39.2266},
                              {kind::acceleration, "386.0885826771654 in/s^2", 9.80665},
                              {kind::acceleration_psd, "0.04 g^2/Hz", 0.04 * 9.80665 * 9.80665},
                              {kind::acceleration_psd, "2 (m/s^2)^2/Hz", 2},
                              {kind::acceleration_psd, "2 m^2/s^3", 2},
                              {kind::frequency, "1150 rpm", 1150.0 / 60},
                              {kind::frequency, "3 kHz", 3000},
                              {kind::angle, "90 deg", pi / 2},
                              {kind::ratio, "2 %", 0.02},
                              {kind::ratio, "0.02", 0.02},
                              {kind::slope, "+6 dB/oct", 6},
                              {kind::level, "−3 dB", -3},
                              {kind::inertia, "0.02 kg·m²", 0.02},
                              {kind::rotational_stiffness, "40 N m/rad", 40},
                              {kind::rotational_stiffness, "40 N m", 40},
                              {kind::dashpot, "20 N/(m/s)", 20},
                              {kind::time, "2 min", 120}};
  for (const Reading& reading : readings) {
    SCOPED_TRACE(reading.text);
    EXPECT_NEAR(parse_as(reading.kind, reading.text), reading.si, 4e-15 * std::abs(reading.si));
  }
}

TEST(Quantity, RefusesWithWhatIsWrongAndWhatToWrite) {
  const std::pair<Reading, const char*> cases[] = {
      {{kind::acceleration, "8 mm", 0}, "\"8 mm\" is a length; write an acceleration such as \"4 g\""},
      {{kind::length, "8", 0}, "\"8\" has no unit; write a length such as \"8 mm\""},
      {{kind::mass, "4 lb", 0}, "\"lb\" may be a mass or a force; write lbm or lbf"},
      {{kind::mass, "4 g", 0}, "\"4 g\" is an acceleration; write a mass such as \"4.2 kg\""},
      {{kind::stress, "71 GPA", 0}, "unknown unit \"GPA\"; write \"GPa\""},
      {{kind::acceleration, "4 G", 0}, "\"G\" is no unit; write \"g\" for standard gravity, 9.80665 m/s^2"},
      {{kind::length, "long", 0}, "\"long\" is not a number with a unit; write a length such as \"8 mm\""},
      {{kind::stress, "1e300 GPa", 0}, "\"1e300 GPa\" is beyond all numbers; write a stress such as \"71 GPa\""},
      {{kind::length, "inf mm", 0}, "\"inf mm\" is not a finite number; write a length such as \"8 mm\""},
      {{kind::length, "", 0}, "\"\" is not a number with a unit; write a length such as \"8 mm\""},
      {{kind::ratio, "2 deg", 0}, "\"2 deg\" is an angle; write a ratio such as \"2 %\""},
      {{kind::stiffness, "3 N/m s", 0},
       "unit \"N/m s\" can be read in two ways; put what is divided by in brackets, as in N/(m s)"},
      {{kind::area, "3 mm^", 0}, "unit \"mm^\" has no whole exponent after ^; write an area such as \"120 mm^2\""},
      {{kind::slope, "6 dB", 0}, "\"6 dB\" is a level; write a slope such as \"+6 dB/oct\""},
      {{kind::stress, "3 kg^2", 0}, "\"3 kg^2\" is a quantity in kg^2; write a stress such as \"71 GPa\""}};
  for (const auto& [reading, sentence] : cases) {
    try {
      (void)parse_as(reading.kind, reading.text);
      ADD_FAILURE() << reading.text << " was accepted";
    } catch (const InputError& error) {
      EXPECT_STREQ(error.what(), sentence);
    }
  }
}

TEST(Quantity, PrintsInTheUnitsAskedFor) {
  Show show;
  show.set(kind::acceleration, "m/s^2");
  EXPECT_EQ(show.unit(kind::acceleration).text, "m/s²");
  EXPECT_EQ(psd_unit(show.unit(kind::acceleration)).text, "(m/s²)²/Hz");
  EXPECT_EQ(psd_unit(Show().unit(kind::acceleration)).text, "g²/Hz");
  EXPECT_DOUBLE_EQ(psd_unit(Show().unit(kind::acceleration)).from_si(standard_gravity * standard_gravity), 1);
}

TEST(NearestName, IsWhatWasMeantOrNothing) {
  const std::vector<std::string> names{"deck-alloy", "strut-alloy", "laminate"};
  EXPECT_EQ(nearest_name("deck-aloy", names), "deck-alloy");
  EXPECT_EQ(nearest_name("Laminaet", names), "laminate");
  EXPECT_EQ(nearest_name("concrete", names), std::nullopt);
  EXPECT_EQ(spelling_distance("ab", "ba"), 1);
  EXPECT_EQ(suggest_name("concrete", names), "write one of: deck-alloy, strut-alloy, laminate");
}

}  // namespace
}  // namespace avrenk
