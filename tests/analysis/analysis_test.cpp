// The pipeline from a plan to findings, without a terminal: stages told, warnings and notes as values, the same answers
// whatever was kept.
#include "analysis/analysis.h"

#include <gmock/gmock.h>

#include "analysis/summaries.h"
#include "core/error.h"
#include "files/modes_file.h"
#include "support/temporary.h"

namespace avrenk {
namespace {

using test::TemporaryFolder;
using testing::Contains;
using testing::HasSubstr;

std::string example(const std::string& name) {
  return test::read_all(std::string(AVRENK_SOURCE_DIR) + "/examples/" + name);
}

struct Answered {
  Analysis analysis;
  std::vector<std::string> stages;
};
std::unique_ptr<Answered> answer(const std::string& file, const AnalysisRequest& request,
                                 const std::vector<std::filesystem::path>& kept = {}) {
  auto all = std::make_unique<Answered>();
  const Progress progress = [&](const Step& step) { all->stages.push_back(step.stage); };
  load(all->analysis, file, request);
  solve(all->analysis, kept, progress);
  excite(all->analysis, std::nullopt, {}, request, progress);
  assess(all->analysis);
  audit_truncation(all->analysis, request, progress);
  return all;
}

TEST(Analysis, GoesFromAPlanToFindingsWithoutATerminal) {
  const TemporaryFolder folder;
  const std::string file = folder.write("pump.yaml", example("pump-on-bench.yaml"));
  AnalysisRequest request;
  request.figures = false;
  request.audit = 1;
  const auto fresh = answer(file, request);
  const Analysis& analysis = fresh->analysis;
  EXPECT_THAT(fresh->stages, Contains("assembling"));
  EXPECT_THAT(fresh->stages, Contains("running.cold"));
  EXPECT_THAT(fresh->stages, Contains(HasSubstr("audit: the full equations")));
  ASSERT_EQ(analysis.outcomes.size(), 3U);
  EXPECT_TRUE(analysis.outcomes[0].at_rest());
  EXPECT_EQ(analysis.outcomes[2].name(), "running.warm");
  EXPECT_EQ(analysis.limits.size(), 3U);
  EXPECT_FALSE(analysis.audit.empty());
  EXPECT_THAT(proof_in_words(analysis), HasSubstr("complete by inertia count"));
  EXPECT_THAT(heading_of(analysis), HasSubstr("damping ratio 1.2 %"));
  EXPECT_THAT(analysis.log, Contains(HasSubstr("damping:")));
  ASSERT_FALSE(analysis.driven[1].empty());
  // Modes that were kept give the same answers to the last digits.
  const std::filesystem::path kept = folder / "results.h5";
  write_modes(kept, analysis.plan.assembly, analysis.system, analysis.basis, analysis.model, analysis.plan.modes);
  const auto again = answer(file, request, {kept});
  EXPECT_EQ(again->analysis.modes_from, kept);
  for (std::size_t i = 0; i < analysis.watched.size(); ++i)
    EXPECT_EQ(again->analysis.outcomes[1].sine()->rows[i].peak.value, analysis.outcomes[1].sine()->rows[i].peak.value);
  EXPECT_THROW(excite(again->analysis, Environment::Type::random, {}, request), InputError);
}

}  // namespace
}  // namespace avrenk
