#include "core/modes/mode_content.h"

#include <gtest/gtest.h>

#include "support/models.h"

namespace avrenk {
namespace {

using test::Solved;

// Strain and kinetic energy of a mass-normalised mode are both ½ω², wherever they sit.
TEST(ModeContent, SharesOfEnergySumToOne) {
  Assembly model = test::portal(0.05);
  model.joints = {{"isolator", Joint::Type::spring}, {"bracket", Joint::Type::rigid}};
  const Solved solved(model, test::count(12), test::ratio(0.02));
  const auto contents = contents_of_modes(model, solved.system, solved.basis);
  ASSERT_EQ(contents.size(), 12U);
  for (const ModeContent& content : contents) {
    EXPECT_NEAR(content.strain_parts.sum() + content.strain_joints.sum(), 1, 1e-8);
    EXPECT_NEAR(content.kinetic_parts.sum() + content.kinetic_bodies.sum(), 1, 1e-9);
    EXPECT_GE(content.strain_parts.minCoeff(), -1e-9);
  }
  const auto one = contents_of_modes(model, solved.system, solved.basis, 1);
  for (std::size_t r = 0; r < one.size(); ++r) {
    EXPECT_EQ(one[r].strain_parts, contents[r].strain_parts);
    EXPECT_EQ(one[r].in_words(), contents[r].in_words());
  }
}

// A square mast of beams: its bending, twisting and stretching modes are told apart, and which way they go.
TEST(ModeContent, SaysInWordsWhatMoves) {
  test::Cantilever c;
  c.section = rectangle_section(0.02, 0.03, 0.3);  // stiffer along z
  const Assembly model = test::cantilever(c);
  const Solved solved(model, test::count(24), test::ratio(0.02));
  const auto contents = contents_of_modes(model, solved.system, solved.basis);
  EXPECT_EQ(contents[0].in_words(), "mast bends in y: 100 % of the strain energy");
  EXPECT_EQ(contents[1].in_words(), "mast bends in z: 100 % of the strain energy");
  // Clamped and free: the first stretching mode at √(E/ρ)/4L, the first twisting one at √(GJ/ρI_p)/4L (Rayleigh).
  const Elastic elastic = c.material.elastic();
  const double stretch = std::sqrt(elastic.youngs_modulus / c.material.density) / (4 * c.length);
  const double twist = std::sqrt(elastic.shear_modulus * c.section.torsion_constant /
                                 (c.material.density * (c.section.second_moment_y + c.section.second_moment_z))) /
                       (4 * c.length);
  const auto words_near = [&](double frequency) {
    int nearest = 0;
    for (int r = 0; r < solved.basis.modes; ++r)
      if (std::abs(solved.basis.frequency(r) - frequency) < std::abs(solved.basis.frequency(nearest) - frequency))
        nearest = r;
    EXPECT_NEAR(solved.basis.frequency(nearest) / frequency, 1, 0.002);
    return contents[static_cast<std::size_t>(nearest)].in_words();
  };
  EXPECT_EQ(words_near(stretch), "mast stretches in x: 100 % of the strain energy");
  EXPECT_EQ(words_near(twist), "mast twists: 100 % of the strain energy");
}

}  // namespace
}  // namespace avrenk
