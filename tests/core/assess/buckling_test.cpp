#include "core/assess/buckling.h"

#include <gtest/gtest.h>

#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

// Round steel bars by hand: Euler's load π³E d⁴/(64 L²) of a slender one; Johnson's parabola meets it with the same
// slope at half the yield stress, and is the yield stress of a bar without length. A rectangle buckles about its weak
// axis.
TEST(Buckling, IsEulersAndJohnsons) {
  Material steel{"steel", 205e9, 0.29, 7850, std::nullopt};
  const double d = 0.01, area = pi * d * d / 4;
  const BeamSection rod = rod_section(d, 0.29);
  EXPECT_NEAR(buckling_load(rod, steel, 0.8).load / (pi * pi * pi * 205e9 * std::pow(d, 4) / 64 / 0.64), 1, 1e-12);
  EXPECT_NEAR(buckling_load(rod, steel, 0.8).slenderness, 0.8 / (d / 4), 1e-9);
  steel.yield = 350e6;
  const double meeting = d / 4 * pi * std::sqrt(2 * 205e9 / 350e6);
  for (const double near : {1 - 1e-9, 1 + 1e-9})
    EXPECT_NEAR(buckling_load(rod, steel, meeting * near).load / (area * 175e6), 1, 1e-8);
  EXPECT_TRUE(buckling_load(rod, steel, 0.99 * meeting).is_johnson);
  EXPECT_FALSE(buckling_load(rod, steel, 1.01 * meeting).is_johnson);
  const auto slope = [&](double at) {
    return (buckling_load(rod, steel, at + 1e-6).load - buckling_load(rod, steel, at - 1e-6).load) / 2e-6;
  };
  EXPECT_NEAR(slope(meeting - 1e-5) / slope(meeting + 1e-5), 1, 1e-3);
  EXPECT_NEAR(buckling_load(rod, steel, 1e-6).load / (area * 350e6), 1, 1e-6);
  const double weak = 0.02 * std::pow(0.005, 3) / 12;
  for (const BeamSection& bar : {rectangle_section(0.02, 0.005, 0.29), rectangle_section(0.005, 0.02, 0.29)})
    EXPECT_NEAR(buckling_load(bar, steel, 1).load / (pi * pi * 205e9 * weak), 1, 1e-9);
}

}  // namespace
}  // namespace avrenk
