#include "core/assess/formula.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/error.h"

namespace avrenk {
namespace {

// By hand: a² + b = 1 with a and b times λ is a quadratic in λ; a straight sum 1/(a + b); a circle 1/√(a² + b²).
TEST(Formula, ReachesOneWhereAlgebraSays) {
  const double a = 0.4, b = 0.3;
  const std::vector<std::string> names{"R1", "R2"};
  for (const auto& [text, factor] : {std::pair{"R1^2 + R2", (-b + std::sqrt(b * b + 4 * a * a)) / (2 * a * a)},
                                     {"R1 + R2", 1 / (a + b)},
                                     {"sqrt(R1^2 + R2^2)", 1 / std::hypot(a, b)},
                                     {"(R1^2 + R2^2)^(1/2)", 1 / std::hypot(a, b)},
                                     {"max(R1, R2)", 1 / a},
                                     {"2 * R1", 1 / (2 * a)}})
    EXPECT_NEAR(load_factor(Formula(text, names), {a, b}) / factor, 1, 1e-12) << text;
  EXPECT_EQ(load_factor(Formula("R1 + R2", names), {0, 0}), HUGE_VAL);
  EXPECT_EQ(load_factor(Formula("R1 + R2", names), {1e9, 0}), 0);
  EXPECT_TRUE(std::isnan(Formula("R1/R2", names).at({1, 0})));
  // Where it is no number it is not kept: from twice these ratios on; at once.
  EXPECT_NEAR(load_factor(Formula("0.5 * sqrt(1 - R1)", names), {0.5, 0}), 2, 1e-12);
  EXPECT_EQ(load_factor(Formula("sqrt(R1 - 1)", names), {0.5, 0}), 0);
  const Formula product("R1 * R2", names);
  EXPECT_TRUE(product.uses("R1"));
  EXPECT_FALSE(Formula("R1", names).uses("R2"));
  EXPECT_EQ(product.at({3, 4}), 12);
}

TEST(Formula, SaysWhatItIsNot) {
  for (const char* text :
       {"", "R1 +", "R1 + R3", "(R1", "R1 R2", "R1 = 2, R2", "R1, R2", "R1 <= 1", "1/0*", "\"R1\"", "R1 <", "sin"})
    EXPECT_THROW(Formula(text, {"R1", "R2"}), InputError) << text;
  EXPECT_THROW(Formula("R 1", {"R 1"}), InputError) << "names are words";
}

}  // namespace
}  // namespace avrenk
