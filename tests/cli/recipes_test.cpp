// docs/recipes.md: every plan in it is found right by check, runs, and answers what the page says.
#include <gmock/gmock.h>

#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/program.h"

namespace avrenk {
namespace {

using test::Ran;
using test::run_program;
using test::TemporaryFolder;
using testing::HasSubstr;

// The plan under each heading.
std::map<std::string, std::string> recipes() {
  std::map<std::string, std::string> all;
  std::istringstream page(test::read_all(std::string(AVRENK_SOURCE_DIR) + "/docs/recipes.md"));
  std::string heading;
  bool in_plan = false;
  for (std::string line; std::getline(page, line);) {
    if (line.starts_with("## ")) heading = line.substr(3);
    if (line.starts_with("```"))
      in_plan = line == "```yaml";
    else if (in_plan)
      all[heading] += line + "\n";
  }
  return all;
}

double first_frequency(const TemporaryFolder& folder) {
  const auto summary = nlohmann::json::parse(test::read_all(folder / "plan-results/summary.json"));
  const auto& table = summary["tables"]["modes"];
  for (std::size_t c = 0; c < table["columns"].size(); ++c)
    if (table["columns"][c]["name"] == "frequency") return table["rows"][0][c].get<double>();
  return 0;
}

TEST(Recipes, AreRightAndAnswer) {
  const auto all = recipes();
  ASSERT_EQ(all.size(), 5U);
  for (const auto& [heading, plan] : all) {
    SCOPED_TRACE(heading);
    const TemporaryFolder folder;
    (void)folder.write("plan.yaml", plan);
    const Ran checked = run_program(folder, "check plan.yaml --full --no-figures");
    EXPECT_EQ(checked.status, 0) << checked.err;
    EXPECT_THAT(checked.out, HasSubstr("nothing found")) << checked.out;
    const Ran ran = run_program(folder, "run plan.yaml --full --no-figures");
    EXPECT_EQ(ran.status, 0) << ran.err;
    EXPECT_EQ(run_program(folder, "explain \"" + heading + "\"").status, 0);
    if (heading == "A simply supported edge") {
      // f = π/2 (1/a² + 1/b²) √(D/ρh) of a thin plate; linear shells of this density are within 1 %.
      const double stiffness = 71e9 * std::pow(2e-3, 3) / (12 * (1 - 0.33 * 0.33));
      const double exact = M_PI / 2 * (1 / 0.09 + 1 / 0.04) * std::sqrt(stiffness / (2810 * 2e-3));
      EXPECT_NEAR(exact, 174.4, 0.05);
      EXPECT_NEAR(first_frequency(folder) / exact, 1, 0.01);
      // The frequency asked for is printed, with the phase: far below resonance the plate moves with its edges.
      EXPECT_THAT(ran.out, HasSubstr("at the frequencies asked for"));
      EXPECT_THAT(test::read_all(folder / "plan-results/tables/sine.z.asked.csv"),
                  HasSubstr("\n60,middle.acceleration,"));
    }
    if (heading == "Two feet that move apart") {
      // Ends that move ±δ without turning: M = 12EIδ/L² at each end at rest, to 1 % at 5 Hz; shear adds its part to
      // 1/M.
      const double second = M_PI / 64 * (std::pow(22e-3, 4) - std::pow(18e-3, 4));
      const double moment = 12 * 71e9 * second * 0.5e-3 / (0.4 * 0.4);
      const std::string peaks = test::read_all(folder / "plan-results/tables/apart.z.peaks.csv");
      const std::size_t at = peaks.find("\nstrut.bending moment,");
      ASSERT_NE(at, std::string::npos) << peaks;
      EXPECT_NEAR(std::stod(peaks.substr(peaks.find(',', at + 1) + 1)) / moment, 1, 0.03);
    }
  }
}

}  // namespace
}  // namespace avrenk
