// Modes solved for, kept, kept and damaged: the same model, or a reason why not.
#include "analysis/damped_model.h"

#include <gmock/gmock.h>

#include <fstream>

#include "core/error.h"
#include "files/modes_file.h"
#include "support/analyses.h"

namespace avrenk {
namespace {

using test::every_environment;
using test::example;
using test::load_shared;
using test::replaced;
using test::solved;
using test::TemporaryFolder;
using testing::Contains;
using testing::HasSubstr;
using testing::IsEmpty;

// The folder of a run, with its modes and products.
void keep(const DampedModel& model, const TemporaryFolder& folder) {
  write_modes(folder / "results.h5", model.assembly(), model.system(), model.basis(), model.modal->print,
              model.plan().modes);
  Eigen::Index columns = 0;
  for (const Load& load : model.assembly().loads)
    if (!load.is_pattern) columns += std::ssize(load.columns);
  write_products(folder / "products.h5", folder / "results.h5", "digest", model.basis(), model.damping->products,
                 columns);
}

void flip_a_byte(const std::filesystem::path& file) {
  std::fstream bytes(file, std::ios::in | std::ios::out | std::ios::binary);
  bytes.seekg(-200, std::ios::end);
  const auto old = static_cast<char>(bytes.peek());
  bytes.seekp(-200, std::ios::end);
  bytes.put(static_cast<char>(old ^ 0x55));
}

TEST(DampedModel, IsTheSameFromWhatARunKept) {
  const TemporaryFolder folder;
  const std::string file = folder.write("pump.yaml", example("pump-on-bench.yaml"));
  const DampedModel fresh = solved(file);
  EXPECT_TRUE(fresh.modal->modes_from.empty());
  EXPECT_EQ(fresh.modal->contents.size(), static_cast<std::size_t>(fresh.basis().modes));
  keep(fresh, folder);
  const auto loaded = load_shared(file);
  const std::filesystem::path run = (folder / "x").parent_path();
  const auto expect_same = [&](const DampedModel& kept) {
    EXPECT_EQ(kept.basis().omega, fresh.basis().omega);
    EXPECT_EQ(kept.basis().load_participation, fresh.basis().load_participation);
    EXPECT_LE((kept.damping->zeta - fresh.damping->zeta).cwiseAbs().maxCoeff(), 1e-14);
    EXPECT_LE((kept.damping->eta - fresh.damping->eta).cwiseAbs().maxCoeff(), 1e-14);
  };
  // With its products nothing is assembled.
  const DampedModel quick = take_kept_model(loaded, run, "digest", every_environment);
  EXPECT_EQ(quick.system().stiffness.ff.nonZeros(), 0);
  expect_same(quick);
  // Of another plan, or damaged, the products are made anew from the matrices.
  const DampedModel other = take_kept_model(loaded, run, "another", every_environment);
  EXPECT_GT(other.system().stiffness.ff.nonZeros(), 0);
  expect_same(other);
  flip_a_byte(folder / "products.h5");
  const DampedModel mended = take_kept_model(loaded, run, "digest", every_environment);
  EXPECT_GT(mended.system().stiffness.ff.nonZeros(), 0);
  expect_same(mended);
  // Without its modes there is nothing to answer from.
  flip_a_byte(folder / "results.h5");
  EXPECT_THROW((void)take_kept_model(loaded, run, "digest", every_environment), FileError);
}

// A run looks at several folders, and says why it took none.
TEST(DampedModel, SaysWhyModesWereComputedAnew) {
  const TemporaryFolder folder;
  const std::string plan = example("pump-on-bench.yaml");
  const DampedModel fresh = solved(folder.write("pump.yaml", plan));
  keep(fresh, folder);
  const std::filesystem::path kept = folder / "results.h5";
  const auto stiffer = load_shared(folder.write("stiffer.yaml", replaced(plan, "E: 71 GPa", "E: 72 GPa")));
  const DampedModel other = solve(stiffer, {folder / "nowhere.h5", kept}, every_environment);
  EXPECT_TRUE(other.modal->modes_from.empty());
  EXPECT_THAT(other.modal->modes_note, HasSubstr("material bench-alloy changed"));
  EXPECT_GT(other.basis().frequency(0), fresh.basis().frequency(0));
  // Another damping is no other model; a load that is new makes its static shapes.
  const auto damped = load_shared(folder.write("damped.yaml", replaced(plan, "loss factor: 1 %", "loss factor: 3 %")));
  const DampedModel softer = solve(damped, {kept}, every_environment);
  EXPECT_EQ(softer.modal->modes_from, kept);
  EXPECT_FALSE(softer.modal->more_than_file);
  EXPECT_NEAR(softer.damping->eta[0] / fresh.damping->eta[0], 3, 1e-9);
  const auto loaded = load_shared(folder.write(
      "loaded.yaml", replaced(plan, "  sway:   {force", "  yaw: {force: {at: pump, direction: y}}\n  sway:   {force")));
  const DampedModel more = solve(loaded, {kept}, every_environment);
  EXPECT_EQ(more.modal->modes_from, kept);
  EXPECT_TRUE(more.modal->more_than_file);
  EXPECT_THAT(more.modal->modes_note, HasSubstr("load yaw is new"));
}

// Patterns of pressure are made for what is applied, in the model: the plan has no acceptances and no further load.
TEST(ModalModel, MakesPressureFieldsOfWhatIsApplied) {
  const TemporaryFolder folder;
  const auto loaded = load_shared(folder.write("panel.yaml", example("panel-under-pressure.yaml")));
  const auto fields_of = [](const std::vector<Environment>& environments) {
    std::vector<std::string> names;
    for (const Environment& environment : environments)
      for (const LoadCase& loads : environment.load_cases)
        for (const DrivenLoad& driven : loads.loads)
          if (driven.acceptances) names.push_back(environment.name);
    return names;
  };
  const std::size_t declared = loaded->plan.assembly.loads.size();
  const DampedModel none = solve(loaded, {}, no_environment);
  EXPECT_THAT(fields_of(none.modal->environments), IsEmpty());
  EXPECT_EQ(none.assembly().loads.size(), declared);
  const DampedModel one =
      solve(loaded, {}, [](const Environment& environment) { return environment.name == "chamber"; });
  EXPECT_THAT(fields_of(one.modal->environments), testing::ElementsAre("chamber"));
  EXPECT_EQ(one.assembly().loads.size(), declared + 1);
  EXPECT_THAT(one.modal->report.notes, Contains(HasSubstr("environment chamber: the diffuse field")));
  EXPECT_THAT(fields_of(loaded->plan.environments), IsEmpty());
  EXPECT_EQ(loaded->plan.assembly.loads.size(), declared);
}

}  // namespace
}  // namespace avrenk
