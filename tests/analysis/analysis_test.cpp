// The whole chain from a plan to limits, without a terminal: stages told, warnings and notes as values, the same
// answers whatever was kept and however many threads work.
#include "analysis/analysis.h"

#include <gmock/gmock.h>

#include "analysis/summaries.h"
#include "core/error.h"
#include "files/modes_file.h"
#include "support/analyses.h"

namespace avrenk {
namespace {

using test::example;
using test::TemporaryFolder;
using testing::Contains;
using testing::HasSubstr;

TEST(Analysis, GoesFromAPlanToLimitsWithoutATerminal) {
  const TemporaryFolder folder;
  std::vector<std::string> stages;
  const Progress progress = [&](const Step& step) { stages.push_back(step.stage); };
  AnalysisRequest request;
  request.figures = false;
  request.audit = 1;
  const auto loaded = test::load_shared(folder.write("pump.yaml", example("pump-on-bench.yaml")), request);
  const Analysis analysis = analyse(loaded, request, {}, {}, progress);
  EXPECT_THAT(stages, Contains("assembling"));
  EXPECT_THAT(stages, Contains("running.cold"));
  EXPECT_THAT(stages, Contains(HasSubstr("audit: the full equations")));
  ASSERT_EQ(analysis.outcomes().size(), 3U);
  EXPECT_TRUE(analysis.outcomes()[0].at_rest());
  EXPECT_EQ(analysis.outcomes()[2].name(), "running.warm");
  EXPECT_EQ(analysis.assessment.limits.size(), 3U);
  EXPECT_FALSE(analysis.assessment.audit.answers.empty());
  EXPECT_THAT(proof_in_words(analysis), HasSubstr("complete by inertia count"));
  EXPECT_THAT(heading_of(analysis), HasSubstr("damping ratio 1.2 %"));
  EXPECT_THAT(analysis.report.log, Contains(HasSubstr("damping:")));
  for (const char* const stage : {"reading the plan", "assembling", "modes", "damping", "responses", "audit"})
    EXPECT_THAT(analysis.report.times, Contains(testing::Field(&StageTime::stage, stage)));
  ASSERT_FALSE(analysis.responses->driven[1].empty());
  // Modes that were kept give the same answers to the last digits.
  const std::filesystem::path kept = folder / "results.h5";
  write_modes(kept, analysis.assembly(), analysis.system(), analysis.basis(), analysis.modal().print,
              analysis.plan().modes);
  const Analysis again = analyse(loaded, request, {}, {kept});
  EXPECT_EQ(again.modal().modes_from, kept);
  for (std::size_t i = 0; i < analysis.watched().size(); ++i)
    EXPECT_EQ(again.outcomes()[1].sine()->rows[i].peak.value, analysis.outcomes()[1].sine()->rows[i].peak.value);
}

// What is not in the plan is refused before any work.
TEST(Analysis, RefusesEnvironmentsThatThePlanDoesNotHaveBeforeItAssembles) {
  const TemporaryFolder folder;
  const auto loaded = test::load_shared(folder.write("pump.yaml", example("pump-on-bench.yaml")));
  std::vector<std::string> stages;
  const Progress progress = [&](const Step& step) { stages.push_back(step.stage); };
  for (const EnvironmentSelection& selection :
       {EnvironmentSelection{Environment::Type::random}, EnvironmentSelection{std::nullopt, {"runing"}},
        EnvironmentSelection{Environment::Type::random, {"running"}}})
    EXPECT_THROW((void)analyse(loaded, {}, {.environments = selection}, {}, progress), InputError);
  EXPECT_THAT(stages, testing::IsEmpty());
  // Static environments act beside those that are named.
  const EnvironmentSelection running{Environment::Type::sine, {"running"}};
  for (const Environment& environment : loaded->plan.environments) EXPECT_TRUE(running.includes(environment));
}

// One thread makes the same numbers as two, but for what the factorisation of K rounds otherwise.
TEST(Analysis, HasTheSameNumbersOnOneThreadAsOnTwo) {
  const TemporaryFolder folder;
  for (const char* const name :
       {"isolated-box.yaml", "panel-under-pressure.yaml", "strut-pushed.yaml", "wheel-out-of-balance.yaml"}) {
    SCOPED_TRACE(name);
    const std::string file = folder.write(name, example(name));
    std::vector<std::vector<double>> all;
    for (const int threads : {1, 2}) {
      AnalysisRequest request;
      request.threads = threads;
      request.figures = false;
      request.audit = 0;
      const Analysis analysis = analyse(test::load_shared(file, request), request, {}, {});
      std::vector<double>& values = all.emplace_back();
      for (const CaseResults& outcome : analysis.outcomes()) {
        const std::vector<bool> is_real = real_answers(outcome, analysis.watched());
        for (std::size_t i = 0; i < is_real.size(); ++i)
          if (is_real[i]) values.push_back(outcome.headline(i));
      }
      for (const LimitResult& limit : analysis.assessment.limits) values.push_back(1 + limit.margin);
      values.push_back(1 + static_cast<double>(analysis.report.warnings.size()));
      std::replace_if(
          values.begin(), values.end(), [](double value) { return std::isnan(value); }, -1.0);
    }
    EXPECT_THAT(all[0], testing::SizeIs(testing::Gt(3U)));
    ASSERT_EQ(all[0].size(), all[1].size());
    for (std::size_t i = 0; i < all[0].size(); ++i) EXPECT_NEAR(all[1][i] / all[0][i], 1, 1e-9) << i;
  }
}

}  // namespace
}  // namespace avrenk
