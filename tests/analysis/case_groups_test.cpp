// Which modes answer which case: every single case once, in the group that its environment asks for.
#include "analysis/case_groups.h"

#include <gmock/gmock.h>

#include <numeric>

#include "analysis/notched_cases.h"
#include "analysis/responses.h"
#include "analysis/variants.h"
#include "core/error.h"
#include "support/analyses.h"

namespace avrenk {
namespace {

using test::every_environment;
using test::example;
using test::replaced;
using test::solved;
using test::TemporaryFolder;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;

std::vector<std::string> names_of(const Cases& cases) {
  std::vector<std::string> names;
  for (const auto& excitation : cases) names.push_back(excitation->name());
  return names;
}

TEST(CaseGroups, AnswerEveryCaseOnce) {
  const TemporaryFolder folder;
  for (const char* const name : {"strut-receptance.yaml", "strut-pushed.yaml", "box-on-rubber.yaml",
                                 "isolated-box.yaml", "wheel-out-of-balance.yaml"}) {
    SCOPED_TRACE(name);
    const DampedModel model = solved(folder.write(name, example(name)));
    const Cases cases = cases_of(model, every_environment);
    const GroupedCases grouped = group_cases(model, cases);
    std::vector<std::string> once, single;
    for (const CaseGroup& group : grouped.groups) {
      for (const std::string& each : names_of(group.cases)) once.push_back(each);
      EXPECT_EQ(group.basis->size(), group.damping->zeta.size());
    }
    for (const auto& excitation : cases)
      if (!excitation->is_combined) single.push_back(excitation->name());
    EXPECT_THAT(once, testing::UnorderedElementsAreArray(single));
    EXPECT_EQ(grouped.groups.front().basis.get(), &model.basis()) << "the first has all modes";
  }
}

// The full equations have no modes; chosen ones are those that were asked for; what acts beside a preload at rest has
// a basis without modes; where springs depend on amplitude each case has its own damping and the common basis.
TEST(CaseGroups, HaveTheModesThatTheirEnvironmentAsksFor) {
  const TemporaryFolder folder;
  const std::string receptance = example("strut-receptance.yaml");
  const DampedModel direct = solved(folder.write("direct.yaml", receptance));
  const auto groups_of = [](const DampedModel& model) {
    return group_cases(model, cases_of(model, every_environment));
  };
  const GroupedCases by_equations = groups_of(direct);
  ASSERT_EQ(by_equations.groups.size(), 2U);
  EXPECT_THAT(names_of(by_equations.groups[1].cases), ElementsAre("direct"));
  EXPECT_NE(by_equations.groups[1].basis.get(), &direct.basis());
  EXPECT_THAT(by_equations.report.notes, Contains(HasSubstr("the full equations are solved at")));

  const DampedModel chosen =
      solved(folder.write("chosen.yaml", replaced(receptance, "method: direct,", "modes: {numbers: [2, 1]},")));
  const GroupedCases by_choice = groups_of(chosen);
  ASSERT_EQ(by_choice.groups.size(), 2U);
  EXPECT_THAT(by_choice.groups[1].modes, ElementsAre(0, 1));
  EXPECT_EQ(by_choice.groups[1].basis->modes, 2);
  EXPECT_EQ(by_choice.groups[1].basis->omega[1], chosen.basis().omega[1]);
  const DampedModel missing =
      solved(folder.write("missing.yaml", replaced(receptance, "method: direct,", "modes: {numbers: [1, 4000]},")));
  EXPECT_THROW((void)groups_of(missing), InputError);

  const GroupedCases pushed = groups_of(solved(folder.write("pushed.yaml", example("strut-pushed.yaml"))));
  ASSERT_EQ(pushed.groups.size(), 2U);
  EXPECT_THAT(names_of(pushed.groups[0].cases), ElementsAre("sine.z"));
  EXPECT_THAT(names_of(pushed.groups[1].cases), ElementsAre("pushed"));
  EXPECT_EQ(pushed.groups[1].basis->modes, 0);

  const DampedModel rubber = solved(folder.write("rubber.yaml", example("box-on-rubber.yaml")));
  const GroupedCases by_amplitude = groups_of(rubber);
  ASSERT_EQ(by_amplitude.groups.size(), 5U);
  ASSERT_EQ(by_amplitude.equivalents.size(), 4U);
  EXPECT_THAT(names_of(by_amplitude.groups[0].cases), ElementsAre("gravity"));
  for (std::size_t k = 0; k < 4; ++k) {
    EXPECT_EQ(by_amplitude.groups[k + 1].basis, by_amplitude.groups[0].basis);
    EXPECT_EQ(by_amplitude.groups[k + 1].cases.front(), by_amplitude.equivalents[k].excitation);
  }
}

// What is lowered stands behind what is specified; finding it leaves no note and no result behind but its own.
TEST(NotchedCases, StandBehindWhatIsSpecified) {
  const TemporaryFolder folder;
  const DampedModel model = solved(folder.write(
      "box.yaml", replaced(example("isolated-box.yaml"), "limits:\n",
                           "limits:\n  level: {of: box.acceleration.z, in: sine.z, take: peak, allowable: 4 g, notch: "
                           "yes}\n")));
  const Cases cases = cases_of(model, every_environment);
  const NotchedCases notched = notch_cases(model, cases);
  ASSERT_EQ(notched.notched.size(), 1U);
  EXPECT_EQ(notched.notched[0].specified->name(), "sine.z");
  EXPECT_THAT(notched.report.notes, testing::IsEmpty());
  const std::vector<std::string> before = names_of(cases), after = names_of(with_notched(cases, notched.notched));
  std::vector<std::string> wanted = before;
  wanted.insert(std::find(wanted.begin(), wanted.end(), "sine.z") + 1, notched.notched[0].applied->name());
  EXPECT_EQ(after, wanted);
  // Under what is applied the limit is met, and it is used up to a decibel.
  AnalysisRequest request;
  request.figures = false;
  const Responses responses = run_environments(model, every_environment, request);
  const Assessment assessment = assess(responses);
  const auto level = std::find_if(assessment.limits.begin(), assessment.limits.end(),
                                  [](const LimitResult& limit) { return limit.limit->name == "level"; });
  ASSERT_NE(level, assessment.limits.end());
  EXPECT_TRUE(level->met);
  EXPECT_LE(level->margin, std::pow(10, 0.05) - 1);
}

// A variant is what the plan would be with its springs so: margins of both are the same, though the variant has the
// modes of the springs as they are stated, with what they bend besides.
TEST(Variants, HaveTheMarginsOfAPlanWithSuchSprings) {
  const TemporaryFolder folder;
  std::string plan = example("box-on-rubber.yaml");
  const std::size_t amplitude = plan.find("      over amplitude:"), variants_at = plan.find("      variants:");
  plan.erase(amplitude, variants_at - amplitude);  // what takes long and has tests of its own
  std::string soft = plan;
  for (const auto& [stated, weaker] : {std::pair{"x: [[5 Hz, 120 N/mm], [50 Hz, 150 N/mm], [500 Hz, 230 N/mm]]",
                                                 "x: [[5 Hz, 96 N/mm], [50 Hz, 120 N/mm], [500 Hz, 184 N/mm]]"},
                                       {"y: [[5 Hz, 120 N/mm], [50 Hz, 150 N/mm], [500 Hz, 230 N/mm]]",
                                        "y: [[5 Hz, 96 N/mm], [50 Hz, 120 N/mm], [500 Hz, 184 N/mm]]"},
                                       {"z: [[5 Hz, 160 N/mm], [50 Hz, 200 N/mm], [500 Hz, 310 N/mm]]",
                                        "z: [[5 Hz, 128 N/mm], [50 Hz, 160 N/mm], [500 Hz, 248 N/mm]]"}})
    soft = replaced(soft, stated, weaker);
  AnalysisRequest request;
  request.figures = false;
  request.audit = 0;
  const Analysis stated = analyse(test::load_shared(folder.write("rubber.yaml", plan)), request, {}, {});
  const Analysis really = analyse(test::load_shared(folder.write("soft.yaml", soft)), request, {}, {});
  const std::vector<VariantAnswers>& variants = stated.assessment.variants;
  ASSERT_EQ(variants.size(), 2U);
  ASSERT_EQ(variants[0].name, "soft");
  for (std::size_t i = 0; i < stated.assessment.limits.size(); ++i)
    for (const LimitResult& limit : really.assessment.limits) {
      if (limit.limit->name != stated.assessment.limits[i].limit->name) continue;
      EXPECT_NEAR(variants[0].margins[i], limit.deciding(), 2e-6) << limit.limit->name;
    }
  // And the plan itself is judged as before.
  EXPECT_NE(variants[0].margins[0], stated.assessment.limits[0].deciding());
}

}  // namespace
}  // namespace avrenk
