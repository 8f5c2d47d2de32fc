// The model before its modes: the plan stays what was read, whatever contacts open and loads are made.
#include "analysis/model_at_rest.h"

#include <gmock/gmock.h>

#include <cmath>

#include "analysis/model_check.h"
#include "core/error.h"
#include "support/analyses.h"
#include "support/findings.h"
#include "support/pressed_block.h"

namespace avrenk {
namespace {

using test::example;
using test::load_shared;
using test::replaced;
using test::TemporaryFolder;
using testing::Contains;
using testing::HasSubstr;

// A strut pushed by δ over its length L carries N = EAδ/L and buckles at P/(1 + P/κGA), P = 4π²EI/L² (Engesser; κ of a
// rod 9/10), whatever E is; 20 elements reach it to 1e-5.
TEST(ModelAtRest, IsHeldInTheStateThatItsPlanNames) {
  const TemporaryFolder folder;
  const auto loaded = load_shared(folder.write("strut.yaml", example("strut-pushed.yaml")));
  const ModelAtRest model = bring_to_rest(loaded);
  ASSERT_TRUE(model.preload);
  const double diameter = 8e-3, length = 0.5, push = 1e-5, poisson = 0.3;
  const double buckling = std::pow(pi * diameter / 2 / length, 2);  // P/EA: a strain
  const double shear = buckling * 2 * (1 + poisson) / 0.9;          // P/κGA
  EXPECT_NEAR(model.preload->load_factor / (buckling / (1 + shear) / (push / length)), 1, 1e-5);
  EXPECT_THAT(model.report.notes, Contains(HasSubstr("times which the model buckles")));
  // Forty times that push is refused, by its name, with the factor.
  const auto too_far =
      load_shared(folder.write("far.yaml", replaced(example("strut-pushed.yaml"), "-0.01 mm}}}}", "-0.4 mm}}}}")));
  try {
    (void)bring_to_rest(too_far);
    ADD_FAILURE() << "it buckles";
  } catch (const InputError& error) {
    EXPECT_THAT(error.problems.front().sentence(), HasSubstr("buckles at 0.7881"));
  }
}

// Contacts that open are taken out of the model, not out of the plan: it can be brought to rest again, and is the same.
TEST(ModelAtRest, LeavesThePlanAsItWasRead) {
  const TemporaryFolder folder;
  for (const auto& [push, open] : {std::pair{"push: 2 kN}", 0}, {"push: -20 kN}", 1}}) {
    SCOPED_TRACE(push);
    const auto loaded = load_shared(folder.write("block.yaml", replaced(test::pressed_block(), "push: 2 kN}", push)));
    const std::vector<Spring> read = loaded->plan.assembly.springs;
    const ModelAtRest model = bring_to_rest(loaded), again = bring_to_rest(loaded);
    ASSERT_EQ(model.settled.size(), 1U);
    EXPECT_EQ(model.settled[0].environment, "set");
    EXPECT_EQ(model.settled[0].state.contacts.front().closed, open == 0);
    int changed = 0;
    for (std::size_t i = 0; i < read.size(); ++i) {
      EXPECT_EQ(loaded->plan.assembly.springs[i].stiffness, read[i].stiffness);
      changed += model.assembly.springs[i].stiffness == read[i].stiffness ? 0 : 1;
    }
    EXPECT_EQ(changed, open);
    EXPECT_EQ(model.report.notes, again.report.notes);
    EXPECT_TRUE(has_static_state(loaded->plan));
  }
}

// A check finds what a run would stumble over, as values: no terminal, no files.
TEST(ModelCheck, SaysWhatMovesFreelyAndWhatIsMeant) {
  const TemporaryFolder folder;
  const std::string plan = example("strut-pushed.yaml");
  const auto check = [&](const std::string& text) {
    return check_model(load_shared(folder.write("strut.yaml", text)));
  };
  const ModelCheck sound = check(plan);
  EXPECT_FALSE(has_errors(sound.findings));
  EXPECT_EQ(sound.gravity.size(), 3U);
  EXPECT_THAT(sound.report.notes, Contains(HasSubstr("times which the model buckles")));
  const ModelCheck loose = check(replaced(replaced(plan, "left:  {place: near}", "left:  {place: near, holds: [x, y]}"),
                                          "right: {place: far}", "right: {place: far, holds: [x, y]}"));
  EXPECT_TRUE(has_errors(loose.findings));
  EXPECT_TRUE(loose.gravity.empty());
  EXPECT_THAT(test::sentences(loose.findings), Contains(HasSubstr("moves freely")));
  const ModelCheck meant = check(replaced(example("isolated-box.yaml"), "watch:", "modes: {free: yes}\n\nwatch:"));
  EXPECT_THAT(test::sentences(meant.findings), Contains(HasSubstr("nothing moves freely, though the plan says")));
}

}  // namespace
}  // namespace avrenk
