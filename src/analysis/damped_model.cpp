#include "analysis/damped_model.h"

#include <fmt/format.h>

#include <algorithm>

#include "analysis/summaries.h"
#include "core/blas_threads.h"
#include "core/clock.h"
#include "files/modes_file.h"

namespace avrenk {
namespace {

// Where a value given near a frequency found no mode.
void warn_about_damping(DampedModel& model) {
  for (const NearDamping& near : model.plan().damping.near) {
    bool found = false;
    for (int r = 0; r < model.basis().modes; ++r) found = found || near.covers(model.basis().frequency(r));
    if (!found)
      model.report.warnings.push_back(
          fmt::format("damping near {:.5g} Hz: no mode lies within {:.3g} % of it", near.frequency, 100 * near.within));
  }
}

DampedModel damp_products(std::shared_ptr<const LoadedPlan> loaded, std::shared_ptr<const ModalModel> modal,
                          DampingProducts products, const StopWatch& start) {
  DampedModel model{std::move(loaded), std::move(modal), nullptr};
  model.damping = std::make_shared<const ModalDamping>(
      with_plan_springs(model.plan(), model.assembly(), model.system(), model.basis(),
                        damp(std::move(products), model.basis(), model.plan().damping)));
  model.report.times.push_back({"damping", start.seconds()});
  model.report.log.push_back(damping_in_words(*model.damping));
  warn_about_damping(model);
  return model;
}

// Whether responses take products with the matrices that no file keeps: of chosen modes, of patterns of pressure, of
// the full equations, of a preload.
bool needs_matrices(const Plan& plan, const EnvironmentChoice& applied) {
  if (has_static_state(plan)) return true;
  const auto has_field = [](const LoadCase& each) {
    return std::any_of(each.loads.begin(), each.loads.end(), [](const DrivenLoad& load) { return load.field; });
  };
  return std::any_of(plan.environments.begin(), plan.environments.end(), [&](const Environment& each) {
    return applied(each) &&
           (each.is_direct() || each.modes || std::any_of(each.load_cases.begin(), each.load_cases.end(), has_field));
  });
}

// What was kept with its products: nothing is assembled. Absent where there is no such thing.
std::optional<DampedModel> take_kept_products(const std::shared_ptr<const LoadedPlan>& loaded,
                                              const std::filesystem::path& run, const std::string& plan,
                                              const EnvironmentChoice& applied) {
  if (needs_matrices(loaded->plan, applied)) return std::nullopt;
  ModelAtRest numbered = numbered_only(loaded);
  StopWatch start;
  auto kept =
      read_modes_and_products(run / "results.h5", run / "products.h5", plan, numbered.system, loaded->plan.modes);
  if (!kept) return std::nullopt;
  ModalModel modal = with_basis(std::move(numbered), std::move(kept->first), no_environment);
  modal.modes_from = run / "results.h5";
  modal.report.times.push_back({"reading the modes", start.seconds()});
  start = StopWatch();
  return damp_products(loaded, std::make_shared<const ModalModel>(std::move(modal)), std::move(kept->second), start);
}

}  // namespace

double DampedModel::natural_frequency(int mode) const {
  return damping->springs ? damping->with_springs[static_cast<std::size_t>(mode)].frequency : basis().frequency(mode);
}

ModalDamping with_plan_springs(const Plan& plan, const Assembly& assembly, const System& system,
                               const ModalBasis& basis, ModalDamping damping) {
  if (plan.modes.free_motions || basis.missing_below > 0) return damping;  // there is no response
  std::vector<VaryingSpring> springs = varying_springs(assembly, plan.variant);
  if (springs.empty()) return damping;
  return with_springs(std::move(damping), basis,
                      std::make_shared<const SpringVariation>(std::move(springs), system, basis));
}

DampedModel damp_model(std::shared_ptr<const LoadedPlan> loaded, std::shared_ptr<const ModalModel> modal) {
  const System& system = modal->at_rest.system;
  const OneBlasThread held(system.free < small_model);
  const StopWatch start;
  DampingProducts products = damping_products(system, modal->basis);
  return damp_products(std::move(loaded), std::move(modal), std::move(products), start);
}

DampedModel with_springs_of(std::shared_ptr<const LoadedPlan> loaded, const DampedModel& model) {
  DampedModel other{std::move(loaded), model.modal, nullptr};
  other.damping = std::make_shared<const ModalDamping>(
      with_plan_springs(other.plan(), other.assembly(), other.system(), other.basis(),
                        with_springs(*model.damping, model.basis(), nullptr)));
  return other;
}

DampedModel take_kept_model(std::shared_ptr<const LoadedPlan> loaded, const std::filesystem::path& run,
                            const std::string& plan, const EnvironmentChoice& applied) {
  if (auto kept = take_kept_products(loaded, run, plan, applied)) return std::move(*kept);
  const std::filesystem::path file = run / "results.h5";
  ModelAtRest at_rest = bring_to_rest(loaded);
  const OneBlasThread held(at_rest.system.free < small_model);
  const StopWatch start;
  ModelPrint print = print_of(at_rest.assembly, at_rest.system);
  KeptModes found = read_modes(file, at_rest.system, print, loaded->plan.modes);
  if (!found.basis || !found.loads_missing.empty())
    throw FileError(fmt::format("{}: its modes are not those of the plan beside it: {}; run the plan again",
                                file.string(), found.basis ? found.loads_missing : found.why_not));
  const double seconds = start.seconds();
  ModalModel modal = with_basis(std::move(at_rest), std::move(*found.basis), applied);
  modal.print = std::move(print);
  modal.modes_from = file;
  modal.report.times.push_back({"reading the modes", seconds});
  return damp_model(std::move(loaded), std::make_shared<const ModalModel>(std::move(modal)));
}

}  // namespace avrenk
