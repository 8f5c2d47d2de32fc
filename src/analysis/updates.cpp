#include "analysis/updates.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <map>
#include <set>

#include "core/identify/curve_comparison.h"
#include "core/spelling.h"
#include "files/table.h"

namespace avrenk {
namespace {

// By how much the phase of a curve rises through its highest peak, rad: what responds lags more and more there.
double rise_through_peak(const std::vector<std::complex<double>>& response, const std::vector<double>& magnitude) {
  const auto top = std::max_element(magnitude.begin(), magnitude.end());
  const auto is_high = [&](std::ptrdiff_t k) {
    return k >= 0 && k < std::ssize(magnitude) && magnitude[static_cast<std::size_t>(k)] > 0.5 * *top;
  };
  std::ptrdiff_t first = top - magnitude.begin();
  while (is_high(first - 1)) --first;
  double rise = 0;
  for (std::ptrdiff_t k = first; is_high(k + 1); ++k)
    rise += std::arg(response[static_cast<std::size_t>(k + 1)] / response[static_cast<std::size_t>(k)]);
  return rise;
}

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
  constexpr double clearly = 0.5;  // rad
  if (!curve.response.empty() && rise_through_peak(curve.response, curve.magnitude) > clearly)
    refuse_curve("its phase rises through its highest peak, where that of a response falls",
                 "give the phases with the other sign: a lag is negative");
  return response_peaks({file.grid, curve.magnitude, curve.response, is_psd(curve)}, input);
}

// How strongly a mode shows in some rows near its frequency when the base moves along an axis.
double strength_of(const ModalBasis& basis, const Eigen::MatrixXcd& rows, const StateLayout& layout, int mode,
                   int axis) {
  double strength = 0;
  for (int derivative = 0; derivative < 3; ++derivative)
    strength += std::pow(basis.omega[mode], derivative) * rows.col(layout.modal(derivative) + mode).norm();
  return strength * std::abs(basis.rigid_participation(mode, axis)) / std::pow(basis.omega[mode], 2);
}

// What makes margins that are met no reason to go on, once measured modes have been given to those of the model.
class Doubts {
 public:
  Doubts(const JudgedModel& before, const JudgedModel& updated, const std::vector<MeasuredMode>& modes,
         const std::map<std::string, std::vector<double>>& strengths)
      : before_(before), updated_(updated), modes_(modes), strengths_(strengths) {}

  [[nodiscard]] std::vector<std::string> find(const std::vector<double>& strangers) const {
    std::vector<std::string> doubts;
    doubts.reserve(strangers.size());
    for (const double stranger : strangers)
      doubts.push_back(
          fmt::format("what was measured at {} is no mode of the model within a fifth of it", in_hertz(stranger)));
    constexpr double most_misfit = 0.05;
    for (const MeasuredMode& measured : modes_) {
      if (measured.misfit > most_misfit)
        doubts.push_back(
            fmt::format("the fit of mode {} leaves {:.2g} % of the curve around its peak, more than {:g} %: "
                        "one mode alone does not make it",
                        measured.mode + 1, 100 * measured.misfit, 100 * most_misfit));
      if (const int other = hidden_beside(measured); other >= 0)
        doubts.push_back(
            fmt::format("modes {} and {} of the model lie within a half-power width, and the peak at {} was "
                        "fitted as one mode",
                        measured.mode + 1, other + 1, in_hertz(measured.frequency)));
    }
    for (const LimitResult& result : updated_.limits()) {
      const int mode = governing_mode(result);
      if (mode >= 0 && !is_measured(mode))
        doubts.push_back(fmt::format("limit {} is governed by mode {} at {}, which no curve shows", result.limit->name,
                                     mode + 1, in_hertz(updated_.model().basis().frequency(mode))));
    }
    return doubts;
  }

 private:
  [[nodiscard]] std::string in_hertz(double frequency) const {
    return value_text(frequency, before_.model().plan().show.unit(kind::frequency), 5);
  }
  [[nodiscard]] bool is_measured(int mode) const {
    return std::any_of(modes_.begin(), modes_.end(), [&](const MeasuredMode& each) { return each.mode == mode; });
  }
  // A mode as strong as a tenth of one that was fitted alone, so near that both make one peak; −1: none.
  [[nodiscard]] int hidden_beside(const MeasuredMode& measured) const {
    const ModalBasis& basis = before_.model().basis();
    const std::vector<double>& strengths = strengths_.at(measured.from);
    const auto half_width = [&](int mode) {
      return before_.model().damping->effective_ratio(mode) * basis.frequency(mode);
    };
    for (int other = 0; other < basis.modes; ++other) {
      if (other == measured.mode || is_measured(other)) continue;
      const double apart = std::abs(basis.frequency(other) - basis.frequency(measured.mode));
      if (apart < half_width(other) + half_width(measured.mode) &&
          strengths[static_cast<std::size_t>(other)] > 0.1 * strengths[static_cast<std::size_t>(measured.mode)])
        return other;
    }
    return -1;
  }
  // The mode with the largest share in the strongest case that a limit judges, where that is half or more; of a limit
  // on a frequency that whose frequency it is; −1: none.
  [[nodiscard]] int governing_mode(const LimitResult& result) const {
    if (const auto* const wanted = std::get_if<FrequencyLimit>(&result.limit->kind))
      return limited_mode(*wanted, updated_.model().basis());
    const ResponseLimit* const response = result.limit->response();
    if (!response) return -1;
    const std::vector<Output>& watched = updated_.responses.watched;
    const Output* const output = find_output(watched, response->of);
    if (!output) return -1;
    const auto index = static_cast<std::size_t>(output - watched.data());
    const CaseResults* strongest = nullptr;
    for (const CaseResults& outcome : updated_.responses.outcomes)
      if (!outcome.at_rest() && covers(*result.limit, *outcome.excitation) &&
          (!strongest || outcome.headline(index) > strongest->headline(index)))
        strongest = &outcome;
    if (!strongest || strongest->shares(index).empty()) return -1;
    const auto& [mode, share] = strongest->shares(index).front();
    return share >= 0.5 ? mode : -1;
  }

  const JudgedModel &before_, &updated_;
  const std::vector<MeasuredMode>& modes_;
  const std::map<std::string, std::vector<double>>& strengths_;
};

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
  std::map<std::string, std::vector<double>> strengths;  // of each curve, of every mode
  for (const FileCurve& curve : measured.curves) {
    // A run writes, of a place with several nodes, the largest of them, which is the curve of none, and that of the
    // worst.
    const auto is_worst_of = [&](const FileCurve& each) { return each.name.starts_with(curve.name + " at "); };
    if (std::any_of(measured.curves.begin(), measured.curves.end(), is_worst_of)) continue;
    const std::string name = curve.name.substr(0, curve.name.find(" at "));
    const OutputRequest* const output_request = find_request(all_watched, name);
    if (!output_request || output_request->quantity->of_nodes)
      throw InputError(Problem{fmt::format("\"{}\"", curve.name), "it is not watched as a motion or a force",
                               suggest_name(curve.name, watched_names(all_watched)), Place{measured.file, 0, 0}});
    const std::vector<Output> watched = watch(model.assembly(), channels, {*output_request});
    const Output& what = *find_output(watched, name);
    const Eigen::MatrixXcd rows = what.measure(0).rows;
    std::vector<double>& shown = strengths[curve.name];
    for (int r = 0; r < basis.modes; ++r) shown.push_back(strength_of(basis, rows, layout, r, axis));
    for (const ResponsePeak& peak : peaks_in(measured, curve)) {
      const CurveMode& mode = peak.mode;
      constexpr double most_damping = 0.5;  // more makes no peak of its own
      if (!mode.is_fitted || !(mode.frequency > 0) || !(mode.damping > 0) || mode.damping > most_damping) continue;
      constexpr double farthest = 0.2, usual = 0.07;  // of a frequency: how far, and what model and piece differ by
      for (int r = 0; r < basis.modes; ++r) {
        const double off = std::log(basis.frequency(r) / mode.frequency);
        if (std::abs(off) > farthest) continue;
        pairs.push_back({shown[static_cast<std::size_t>(r)] * std::exp(-std::pow(off / usual, 2)), found.size(), r});
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
  std::vector<std::string> doubts = Doubts(before, updated, found, strengths).find(strangers);
  return {std::move(found), std::move(doubts), std::move(before), std::move(updated)};
}

}  // namespace avrenk
