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

// What a curve must be for modes to be fitted to it.
void refuse_unfit(const CurveFile& file, const FileCurve& curve) {
  const auto refuse_curve = [&](const char* wrong, const char* remedy) {
    throw InputError(Problem{fmt::format("\"{}\"", curve.name), wrong, remedy, Place{file.file, 0, 0}});
  };
  if (!is_ratio(curve) && !file.input)
    refuse_curve("it is not over its input, which is not known",
                 "add a column \"input (g)\" with the amplitude at each frequency");
  const std::vector<double> input = is_ratio(curve) ? std::vector<double>{} : file.input->magnitude;
  const auto is_number = [](double value) { return std::isfinite(value); };
  if (!std::all_of(curve.magnitude.begin(), curve.magnitude.end(), is_number) ||
      !std::all_of(curve.response.begin(), curve.response.end(),
                   [&](const auto& value) { return is_number(value.real()) && is_number(value.imag()); }) ||
      !std::all_of(input.begin(), input.end(), [](double value) { return std::isfinite(value) && value > 0; }))
    refuse_curve("some of its numbers are missing", "leave those lines out");
  constexpr double clearly = 0.5;  // rad
  if (!curve.response.empty() && rise_through_peak(curve.response, curve.magnitude) > clearly)
    refuse_curve("its phase rises through its highest peak, where that of a response falls",
                 "give the phases with the other sign: a lag is negative");
}

// Modes of a curve over its input that are fitted and can be a structure's.
std::vector<CurveMode> modes_in(const CurveFile& file, const FileCurve& curve, std::span<const StartingMode> under) {
  const std::vector<double> input = is_ratio(curve) ? std::vector<double>{} : file.input->magnitude;
  std::vector<CurveMode> modes;
  for (const auto& [frequency, height, mode] :
       response_peaks({file.grid, curve.magnitude, curve.response, is_psd(curve)}, input, under)) {
    constexpr double most_damping = 0.5;  // more makes no peak of its own
    if (mode.is_fitted && mode.frequency > 0 && mode.damping > 0 && mode.damping <= most_damping) modes.push_back(mode);
  }
  return modes;
}

// Rounding beside what other curves of the file in its unit show: a direction in which nothing moves.
bool is_nothing(const CurveFile& file, const FileCurve& curve) {
  const auto highest = [](const FileCurve& of) {
    double top = 0;
    for (const double value : of.magnitude) top = std::max(top, std::isfinite(value) ? value : 0);
    return is_psd(of) ? std::sqrt(top) : top;
  };
  double most = 0;
  for (const FileCurve& each : file.curves)
    if (each.unit == curve.unit) most = std::max(most, highest(each));
  constexpr double least = 1e-8;
  return highest(curve) <= least * most;
}

// How strongly a mode shows in some rows near its frequency when the base moves along an axis.
double strength_of(const ModalBasis& basis, const Eigen::MatrixXcd& rows, const StateLayout& layout, int mode,
                   int axis) {
  double strength = 0;
  for (int derivative = 0; derivative < 3; ++derivative)
    strength += std::pow(basis.omega[mode], derivative) * rows.col(layout.modal(derivative) + mode).norm();
  return strength * std::abs(basis.rigid_participation(mode, axis)) / std::pow(basis.omega[mode], 2);
}

constexpr double most_misfit = 0.05;  // of one mode to a curve around its peak

// What a curve shows of the modes of a model.
class CurveView {
 public:
  CurveView(const DampedModel& model, const Eigen::MatrixXcd& rows, int axis) : model_(model) {
    const StateLayout layout = layout_of(model.basis());
    for (int r = 0; r < model.basis().modes; ++r)
      strengths_.push_back(strength_of(model.basis(), rows, layout, r, axis));
  }

  [[nodiscard]] double strength(int mode) const { return strengths_[static_cast<std::size_t>(mode)]; }

  // Modes as strong as a tenth of one, so near that both make one peak: within some sum of both halves of the
  // half-power widths.
  [[nodiscard]] std::vector<int> beside(int mode, double widths) const {
    const ModalBasis& basis = model_.basis();
    const auto half_width = [&](int each) { return model_.damping->effective_ratio(each) * basis.frequency(each); };
    std::vector<int> near;
    for (int other = 0; other < basis.modes; ++other)
      if (other != mode && strength(other) > 0.1 * strength(mode) &&
          std::abs(basis.frequency(other) - basis.frequency(mode)) < widths * (half_width(other) + half_width(mode)))
        near.push_back(other);
    return near;
  }

  // For each that was fitted the mode of the model that it is taken for; −1: none. A curve shows a mode once.
  [[nodiscard]] std::vector<int> modes_of(const std::vector<CurveMode>& fits) const {
    struct Pair {
      double strength;
      std::size_t fit;
      int mode;
    };
    std::vector<Pair> pairs;
    for (std::size_t i = 0; i < fits.size(); ++i)
      for (int r = 0; r < model_.basis().modes; ++r) {
        constexpr double farthest = 0.2, usual = 0.07;  // of a frequency: how far, and what model and piece differ by
        const double off = std::log(model_.basis().frequency(r) / fits[i].frequency);
        if (std::abs(off) <= farthest && strength(r) > 0)
          pairs.push_back({strength(r) * std::exp(-std::pow(off / usual, 2)), i, r});
      }
    std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.strength > b.strength; });
    std::vector<int> modes(fits.size(), -1);
    for (const auto& [strength, fit, mode] : pairs)
      if (modes[fit] < 0 && std::find(modes.begin(), modes.end(), mode) == modes.end()) modes[fit] = mode;
    return modes;
  }

 private:
  const DampedModel& model_;
  std::vector<double> strengths_;
};

// A mode that was fitted to a curve, and that of the model for which it is taken; −1: none.
struct ShownMode {
  CurveMode fit;
  int mode = -1;
  double share = 1, share_before = 1;  // of the strengths of all under its peak, measured and in the model
};

// Modes of the model that make one peak together, by frequency, and where their fit begins.
struct SharedPeak {
  std::size_t peak = 0;
  std::vector<int> modes;
  std::vector<StartingMode> starts;
};

// Those under one peak, by frequency.
std::vector<CurveMode> under_peak(const std::vector<CurveMode>& fits, std::size_t peak) {
  std::vector<CurveMode> all;
  std::copy_if(fits.begin(), fits.end(), std::back_inserter(all),
               [&](const CurveMode& fit) { return fit.peak == peak; });
  return all;
}

// Whether the curve tells those under one peak apart: each known much better than how far the next is from it, and none
// a mere correction of another.
bool are_told_apart(const std::vector<CurveMode>& fits) {
  double strongest = 0;
  for (const CurveMode& fit : fits) strongest = std::max(strongest, fit.strength);
  for (std::size_t i = 0; i < fits.size(); ++i) {
    if (!(fits[i].strength > 0.02 * strongest) || !(fits[i].damping_error < 0.25 * fits[i].damping)) return false;
    if (i > 0 && !(4 * std::hypot(fits[i].frequency_error, fits[i - 1].frequency_error) <
                   fits[i].frequency - fits[i - 1].frequency))
      return false;
  }
  return true;
}

// What modes of the model make together with one that was fitted alone and is taken for one of them.
std::vector<SharedPeak> shared_peaks(const std::vector<ShownMode>& alone, const CurveView& view,
                                     const DampedModel& model) {
  const ModalBasis& basis = model.basis();
  std::set<int> taken;
  for (const ShownMode& each : alone) taken.insert(each.mode);
  std::vector<SharedPeak> all;
  for (const ShownMode& each_alone : alone) {
    const CurveMode& fit = each_alone.fit;
    const int mode = each_alone.mode;
    if (mode < 0) continue;
    SharedPeak shared{fit.peak, {mode}, {}};
    for (const int other : view.beside(mode, fit.misfit > most_misfit ? 3 : 1))
      if (taken.insert(other).second) shared.modes.push_back(other);
    if (shared.modes.size() == 1) continue;
    std::sort(shared.modes.begin(), shared.modes.end(), [&](int a, int b) { return basis.omega[a] < basis.omega[b]; });
    for (const int each : shared.modes)
      shared.starts.push_back({fit.peak, basis.frequency(each) * fit.frequency / basis.frequency(mode),
                               model.damping->effective_ratio(each)});
    all.push_back(std::move(shared));
  }
  return all;
}

// What a curve shows. Where several modes of the model make one peak, or one alone leaves too much of it, as many are
// fitted under it, if the curve tells them apart, and taken for those of the model in the order of their frequencies.
std::vector<ShownMode> read_modes(const CurveFile& file, const FileCurve& curve, const CurveView& view,
                                  const DampedModel& model) {
  std::vector<CurveMode> fits = modes_in(file, curve, {});
  const std::vector<int> modes = view.modes_of(fits);
  std::vector<ShownMode> alone;
  for (std::size_t i = 0; i < fits.size(); ++i) alone.push_back({fits[i], modes[i]});
  std::vector<SharedPeak> shared;
  if (!curve.response.empty()) shared = shared_peaks(alone, view, model);
  for (std::size_t before = 0; before != shared.size();) {
    before = shared.size();
    std::vector<StartingMode> under;
    for (const SharedPeak& each : shared) under.insert(under.end(), each.starts.begin(), each.starts.end());
    fits = modes_in(file, curve, under);
    std::erase_if(shared, [&](const SharedPeak& each) {
      const std::vector<CurveMode> together = under_peak(fits, each.peak);
      return together.size() != each.modes.size() || !are_told_apart(together);
    });
  }
  if (shared.empty()) return alone;
  std::vector<ShownMode> shown;
  for (const ShownMode& each : alone) {
    const std::vector<CurveMode> own = under_peak(fits, each.fit.peak);
    const auto together = std::find_if(shared.begin(), shared.end(),
                                       [&](const SharedPeak& other) { return other.peak == each.fit.peak; });
    if (together == shared.end()) {
      for (const CurveMode& fit : own) shown.push_back({fit, each.mode});
      continue;
    }
    double measured = 0, modelled = 0;
    for (std::size_t i = 0; i < own.size(); ++i) {
      measured += own[i].strength;
      modelled += view.strength(together->modes[i]);
    }
    for (std::size_t i = 0; i < own.size(); ++i) {
      const int mode = together->modes[i];
      shown.push_back({own[i], mode, own[i].strength / measured, view.strength(mode) / modelled});
    }
  }
  return shown;
}

// What makes margins that are met no reason to go on, once measured modes have been given to those of the model.
class Doubts {
 public:
  Doubts(const JudgedModel& before, const JudgedModel& updated, const std::vector<MeasuredMode>& modes,
         const std::map<std::string, CurveView>& views)
      : before_(before), updated_(updated), modes_(modes), views_(views) {}

  [[nodiscard]] std::vector<std::string> find(const std::vector<double>& strangers) const {
    std::vector<std::string> doubts;
    doubts.reserve(strangers.size());
    for (const double stranger : strangers)
      doubts.push_back(
          fmt::format("what was measured at {} is no mode of the model within a fifth of it", in_hertz(stranger)));
    for (const MeasuredMode& measured : modes_) {
      if (measured.misfit > most_misfit)
        doubts.push_back(
            fmt::format("the fit of mode {} leaves {:.2g} % of the curve around its peak, more than {:g} %: "
                        "the modes that were fitted do not make it alone",
                        measured.mode + 1, 100 * measured.misfit, 100 * most_misfit));
      if (const int other = hidden_beside(measured); other >= 0)
        doubts.push_back(
            fmt::format("modes {} and {} of the model lie within a half-power width, and the curve does not tell them "
                        "apart at {}",
                        measured.mode + 1, other + 1, in_hertz(measured.frequency)));
      constexpr double most_apart = 1.5;
      if (std::abs(std::log(measured.share / measured.share_before)) > std::log(most_apart))
        doubts.push_back(fmt::format(
            "mode {} makes {:.0f} % of the peak that it shares at {}, and {:.0f} % in the model: its shape "
            "is another",
            measured.mode + 1, 100 * measured.share, in_hertz(measured.frequency), 100 * measured.share_before));
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
  // A mode that makes the peak of one that was fitted alone too; −1: none.
  [[nodiscard]] int hidden_beside(const MeasuredMode& measured) const {
    for (const int other : views_.at(measured.from).beside(measured.mode, 1))
      if (!is_measured(other)) return other;
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
  const std::map<std::string, CurveView>& views_;
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
  std::vector<MeasuredMode> found;
  std::vector<double> strangers;
  std::map<std::string, CurveView> views;  // by curve
  for (const FileCurve& curve : measured.curves) {
    // A run writes, of a place with several nodes, the largest of them, which is the curve of none, and that of the
    // worst.
    const auto is_worst_of = [&](const FileCurve& each) { return each.name.starts_with(curve.name + " at "); };
    if (std::any_of(measured.curves.begin(), measured.curves.end(), is_worst_of) || is_nothing(measured, curve))
      continue;
    const std::string name = curve.name.substr(0, curve.name.find(" at "));
    const OutputRequest* const output_request = find_request(all_watched, name);
    if (!output_request || output_request->quantity->of_nodes)
      throw InputError(Problem{fmt::format("\"{}\"", curve.name), "it is not watched as a motion or a force",
                               suggest_name(curve.name, watched_names(all_watched)), Place{measured.file, 0, 0}});
    const std::vector<Output> watched = watch(model.assembly(), channels, {*output_request});
    const Output& what = *find_output(watched, name);
    refuse_unfit(measured, curve);
    const CurveView& view = views.try_emplace(curve.name, model, what.measure(0).rows, axis).first->second;
    for (const auto& [fit, mode, share, share_before] : read_modes(measured, curve, view, model)) {
      if (mode < 0)
        strangers.push_back(fit.frequency);
      else
        found.push_back({mode, curve.name, 0, fit.frequency, fit.frequency_error, 0, fit.damping, fit.damping_error,
                         fit.misfit, share, share_before});
    }
  }
  if (found.empty() && strangers.empty())
    throw InputError(Problem{"", "no curve shows a mode", "measure with more points around the resonances",
                             Place{measured.file, 0, 0}});
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
  updated.require_answered();
  std::vector<std::string> doubts = Doubts(before, updated, found, views).find(strangers);
  return {std::move(found), std::move(doubts), std::move(before), std::move(updated)};
}

}  // namespace avrenk
