#include "analysis/updates.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/identify/curve_comparison.h"
#include "core/spelling.h"

namespace avrenk {
namespace {

// A curve over its input.
std::vector<ResponsePeak> peaks_in(const CurveFile& file, const FileCurve& curve) {
  const auto refuse_curve = [&](const char* wrong, const char* remedy) {
    throw InputError(Problem{fmt::format("\"{}\"", curve.name), wrong, remedy, Place{file.file, 0, 0}});
  };
  if (!is_ratio(curve) && !file.input)
    refuse_curve("it is not over its input, which is not known",
                 "add a column \"input (g)\" with the amplitude at each frequency");
  const std::vector<double> input = is_ratio(curve) ? std::vector<double>{} : file.input->magnitude;
  const auto is_number = [](double value) { return std::isfinite(value); };
  if (!std::all_of(curve.magnitude.begin(), curve.magnitude.end(), is_number) ||
      !std::all_of(input.begin(), input.end(), [](double value) { return std::isfinite(value) && value > 0; }))
    refuse_curve("some of its numbers are missing", "leave those lines out");
  return response_peaks({file.grid, curve.magnitude, curve.response, is_psd(curve)}, input);
}

struct Pair {
  double strength = 0;
  std::size_t measured = 0;
  int mode = 0;
};

}  // namespace

UpdateStudy update_from_curves(LoadedPlan loaded, const AnalysisRequest& request, const CurveFile& measured, int axis,
                               const std::vector<std::filesystem::path>& kept, const Progress& progress) {
  const std::vector<OutputRequest> all_watched = loaded.plan.watch;
  JudgedModel before = judge_as_it_is(std::move(loaded), request, kept, progress);
  const DampedModel& model = before.model();
  if (model.damping->springs)
    throw InputError(Problem{"",
                             "springs of the plan depend on frequency or amplitude, and measured frequencies cannot "
                             "be given to modes that move with them",
                             "give these springs the one stiffness that they had in the test",
                             Place{model.plan().file, 0, 0}});
  report_progress(progress, "fitting the curves");
  const ModalBasis& basis = model.basis();
  const Channels channels(model.assembly(), model.system(), basis, *model.damping);
  const StateLayout layout = layout_of(basis);
  std::vector<MeasuredMode> found;
  std::vector<Pair> pairs;
  for (const FileCurve& curve : measured.curves) {
    const OutputRequest* const output_request = find_request(all_watched, curve.name);
    if (!output_request || output_request->quantity->of_nodes)
      throw InputError(Problem{fmt::format("\"{}\"", curve.name), "it is not watched as a motion or a force",
                               suggest_name(curve.name, watched_names(all_watched)), Place{measured.file, 0, 0}});
    const std::vector<Output> watched = watch(model.assembly(), channels, {*output_request});
    const Output& what = *find_output(watched, curve.name);
    const Eigen::MatrixXcd rows = what.measure(0).rows;
    for (const ResponsePeak& peak : peaks_in(measured, curve)) {
      const CurveMode& mode = peak.mode;
      if (!mode.is_fitted || !(mode.frequency > 0) || !(mode.damping > 0)) continue;
      constexpr double farthest = 0.2, usual = 0.07;  // of a frequency: how far, and what model and piece differ by
      for (int r = 0; r < basis.modes; ++r) {
        const double off = std::log(basis.frequency(r) / mode.frequency);
        if (std::abs(off) > farthest) continue;
        double strength = 0;
        for (int derivative = 0; derivative < 3; ++derivative)
          strength += std::pow(basis.omega[r], derivative) * rows.col(layout.modal(derivative) + r).norm();
        strength *= std::abs(basis.rigid_participation(r, axis)) / std::pow(basis.omega[r], 2);
        pairs.push_back({strength * std::exp(-std::pow(off / usual, 2)), found.size(), r});
      }
      found.push_back(
          {-1, curve.name, 0, mode.frequency, mode.frequency_error, 0, mode.damping, mode.damping_error, mode.misfit});
    }
  }
  if (found.empty())
    throw InputError(Problem{"", "no curve shows a mode", "measure with more points around the resonances",
                             Place{measured.file, 0, 0}});
  std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.strength > b.strength; });
  for (const Pair& pair : pairs) {
    MeasuredMode& measured_mode = found[pair.measured];
    // A curve shows a mode once; several curves may show the same.
    const bool taken = std::any_of(found.begin(), found.end(), [&](const MeasuredMode& each) {
      return each.mode == pair.mode && each.from == measured_mode.from;
    });
    if (measured_mode.mode < 0 && !taken && pair.strength > 0) measured_mode.mode = pair.mode;
  }
  std::vector<double> strangers;
  for (const MeasuredMode& each : found)
    if (each.mode < 0) strangers.push_back(each.frequency);
  std::erase_if(found, [](const MeasuredMode& each) { return each.mode < 0; });
  // Of several curves the one that knows it best.
  std::stable_sort(found.begin(), found.end(), [](const MeasuredMode& a, const MeasuredMode& b) {
    return std::pair(a.mode, a.frequency_error) < std::pair(b.mode, b.frequency_error);
  });
  found.erase(std::unique(found.begin(), found.end(),
                          [](const MeasuredMode& a, const MeasuredMode& b) { return a.mode == b.mode; }),
              found.end());

  ModalBasis measured_basis = basis;
  LoadedPlan measured_plan = keep_what_is_judged(load(model.plan().file, request));
  for (MeasuredMode& measured_mode : found) {
    measured_mode.frequency_before = basis.frequency(measured_mode.mode);
    measured_mode.damping_before = model.damping->effective_ratio(measured_mode.mode);
    measured_basis.omega[measured_mode.mode] = 2 * pi * measured_mode.frequency;
    constexpr double alone = 1e-7;  // of a frequency: this mode and no other
    std::vector<NearDamping>& near = measured_plan.plan.damping.near;
    near.insert(near.begin(), {measured_mode.frequency, alone, measured_mode.damping, 0});
  }
  const auto shared = std::make_shared<const LoadedPlan>(std::move(measured_plan));
  const auto modal = std::make_shared<const ModalModel>(
      with_basis(bring_to_rest(shared), std::move(measured_basis), judged_environments(shared->plan)));
  report_progress(progress, "margins with what was measured");
  JudgedModel updated = judge(damp_model(shared, modal), request);
  return {std::move(found), std::move(strangers), std::move(before), std::move(updated)};
}

}  // namespace avrenk
