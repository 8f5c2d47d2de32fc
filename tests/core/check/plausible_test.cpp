#include "core/check/plausible.h"

#include <gmock/gmock.h>

#include "support/findings.h"
#include "support/models.h"

namespace avrenk {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;

std::vector<std::string> doubts_about(const Material& material) {
  Assembly model;
  model.materials = {material};
  return test::sentences(implausible_materials(model));
}

TEST(Plausible, LetsEngineeringMaterialsPass) {
  // Rounded handbook values from light to heavy and from soft to stiff.
  struct Solid {
    const char* name;
    double e, nu, rho;
  };
  for (const Solid& solid :
       {Solid{"foam", 70e6, 0.3, 60}, Solid{"rubber", 5e6, 0.49, 1100}, Solid{"oak", 11e9, 0.35, 700},
        Solid{"magnesium", 45e9, 0.29, 1780}, Solid{"steel", 210e9, 0.3, 7850}, Solid{"beryllium", 300e9, 0.08, 1850},
        Solid{"tungsten", 405e9, 0.28, 19300}})
    EXPECT_THAT(doubts_about({solid.name, solid.e, solid.nu, solid.rho, std::nullopt}), IsEmpty()) << solid.name;
}

TEST(Plausible, DoubtsWhatAWrongUnitMakes) {
  const Material alloy{"alloy", 71e9, 0.33, 2810, 0.004, 430e6, 505e6};
  EXPECT_THAT(doubts_about(alloy), IsEmpty());
  struct Case {
    void (*change)(Material&);
    const char* sentence;
  };
  const Case cases[] = {
      {[](Material& m) { m.youngs_modulus = 71e3; }, "E = 7.1e-05 GPa is outside 0.001 to 1300 GPa"},
      {[](Material& m) { m.density = 2.81; }, "a density of 2.81 kg/m³ is outside 10 to 23 000"},
      {[](Material& m) { m.density = 0; }, "it has no density, so its parts have no mass"},
      {[](Material& m) { m.youngs_modulus = 2e6; }, "E and density give a speed of sound of 26.7 m/s"},
      {[](Material& m) { m.poissons_ratio = -0.1; }, "nu = -0.1 is negative"},
      {[](Material& m) { m.yield = 43e9; }, "it yields at 60.6 % strain"},
      {[](Material& m) { m.ultimate = 400e6; }, "the yield stress is above the ultimate stress"},
      {[](Material& m) { m.loss_factor = 0.6; }, "a loss factor of 60 % is large for a material"}};
  for (const Case& each : cases) {
    Material changed = alloy;
    each.change(changed);
    EXPECT_THAT(doubts_about(changed), testing::Contains(HasSubstr(std::string("material alloy: ") + each.sentence)));
  }
}

TEST(Plausible, ComparesWithWhatPartsWeigh) {
  Assembly model = test::portal(std::nullopt);
  EXPECT_THAT(weight_differences(model), IsEmpty());  // nothing was weighed
  model.masses[0].weighed = 1.55;
  EXPECT_THAT(weight_differences(model), IsEmpty());  // −3.2 %
  EXPECT_THAT(
      test::sentences(weight_differences(model, 0.03)),
      ElementsAre("mass battery: it has 1.5 kg in the model and weighs 1.55 kg: -3.2 %; find the difference, or "
                  "let the model be scaled to the mass that was weighed"));
  const double frame = mass_breakdown(model)[0].second.mass;
  model.parts[0].weighed = frame / 1.1;
  EXPECT_THAT(test::sentences(weight_differences(model)), ElementsAre(HasSubstr("part frame: it has ")));
  EXPECT_EQ(weighed(model, "brace"), std::nullopt);
  EXPECT_EQ(weighed(model, "frame"), frame / 1.1);
}

}  // namespace
}  // namespace avrenk
