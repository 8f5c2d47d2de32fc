#include "core/response/on_random.h"

#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>

#include "core/excitation/drawn_curve.h"
#include "core/response/length_distribution.h"
#include "core/response/tone_distribution.h"

namespace avrenk {
namespace {

const double none = std::nan("");

// The level at which the logarithm of a probability is that of p.
template <typename Logarithm>
double level_of(const Logarithm& logarithm, double p, double low, double high) {
  std::uintmax_t most = 60;
  const auto bracket =
      boost::math::tools::toms748_solve([&](double level) { return std::max(logarithm(level), -1e3) - std::log(p); },
                                        low, high, boost::math::tools::eps_tolerance<double>(24), most);
  return 0.5 * (bracket.first + bracket.second);
}

// Stretches of time with the tone amplitude that holds there.
struct Dwell {
  double seconds = 0, amplitude = 0, frequency = 0;
};

// What the largest of all half cycles stays below: each half cycle's top is the envelope there.
void add_largest(const std::vector<Dwell>& dwells, const std::vector<double>& others, double sigma, double crossings,
                 OnRandomRow& row) {
  double top = 0;
  for (const Dwell& dwell : dwells) top = std::max(top, dwell.amplitude);
  for (const double each : others) top += each;
  if (!(sigma > 1e-4 * top)) {  // nothing but the tones
    row.largest = row.largest_high = top;
    return;
  }
  constexpr double worth_it = 0.3;  // of the largest amplitude: below, the noise alone counts
  double quiet = 0;
  std::vector<Dwell> loud;
  for (const Dwell& dwell : dwells) {
    if (dwell.amplitude > worth_it * top)
      loud.push_back(dwell);
    else
      quiet += dwell.seconds;
  }
  const auto logarithm = [&](double level) {
    double sum = -2 * crossings * quiet * std::exp(-0.5 * std::pow(level / sigma, 2));
    for (const Dwell& dwell : loud) {
      std::vector<double> amplitudes = others;
      if (amplitudes.empty()) amplitudes.push_back(dwell.amplitude);
      const TonesOnNoise x{amplitudes, sigma};
      double moving = std::pow(sigma * crossings, 2), all = sigma * sigma;  // Rice's rate of both
      for (const double each : amplitudes) {
        moving += 0.5 * std::pow(each * dwell.frequency, 2);
        all += 0.5 * each * each;
      }
      const double rate = std::sqrt(moving / all);
      sum += 2 * rate * dwell.seconds * std::log(std::max(envelope_below(x, level), 1e-300));
    }
    return sum;
  };
  const double low = 0.5 * std::max(top, sigma), high = top + 9 * sigma;
  row.largest = level_of(logarithm, 0.5, low, high);
  row.largest_high = level_of(logarithm, 0.95, low, high);
}

double amplitude_at(const SineRow& row, const std::vector<double>& grid, double f) {
  const auto k =
      static_cast<std::size_t>(std::min_element(grid.begin(), grid.end(),
                                                [&](double a, double b) { return std::abs(a - f) < std::abs(b - f); }) -
                               grid.begin());
  return largest_over_phase(row.curve.col(static_cast<Eigen::Index>(k)));
}

OnRandomRow tone_row(const CaseResults& acting, std::size_t index, const RandomRow& random, bool gaussian,
                     const std::optional<double>& duration) {
  const Environment& environment = acting.environment();
  const SineRow& sine = acting.sine()->rows[index];
  const std::vector<double>& grid = acting.grid();
  OnRandomRow row{random.rms, 0, none, 0, {}, none, none, none};
  std::vector<double> amplitudes;
  if (environment.sine().tones.empty()) {
    amplitudes = {sine.peak.value};
    row.frequency = sine.peak.frequency;
  } else {
    for (const double f : environment.sine().tones) amplitudes.push_back(amplitude_at(sine, grid, f));
    if (environment.sine().tones.size() == 1) row.frequency = environment.sine().tones.front();
  }
  const TonesOnNoise x{amplitudes, random.rms};
  row.acting = x.highest();
  row.rms = x.rms();
  for (int k = 0; k < 3; ++k) {
    const auto i = static_cast<std::size_t>(k);
    row.within[i] = gaussian ? level_within(x, probability_within(k + 1)) : row.acting + random.within[i];
  }
  const double crossings = random.rms > 0 ? random.moments.zero_crossings() : 0;
  std::vector<Dwell> dwells;
  if (environment.sine().tones.empty()) {
    if (!environment.sine().sweep_rate) return row;
    row.cycles = sweep_cycles(grid.front(), grid.back(), *environment.sine().sweep_rate);
    for (std::size_t k = 0; k + 1 < grid.size(); ++k)
      dwells.push_back({60 * std::log2(grid[k + 1] / grid[k]) / *environment.sine().sweep_rate,
                        std::max(largest_over_phase(sine.curve.col(static_cast<Eigen::Index>(k))),
                                 largest_over_phase(sine.curve.col(static_cast<Eigen::Index>(k + 1)))),
                        std::sqrt(grid[k] * grid[k + 1])});
    if (gaussian) add_largest(dwells, {}, random.rms, crossings, row);
    return row;
  }
  if (!duration) return row;
  if (environment.sine().tones.size() == 1) row.cycles = *duration * environment.sine().tones.front();
  double squares = 0, moving = 0;  // mean frequency of the tones by what they move
  for (std::size_t k = 0; k < amplitudes.size(); ++k) {
    squares += amplitudes[k] * amplitudes[k];
    moving += std::pow(amplitudes[k] * environment.sine().tones[k], 2);
  }
  dwells = {{*duration, row.acting, squares > 0 ? std::sqrt(moving / squares) : 0}};
  if (gaussian) add_largest(dwells, amplitudes, random.rms, crossings, row);
  return row;
}

// Where a window of some width over a response PSD holds most.
OnRandomRow band_row(const CaseResults& acting, std::size_t index, const RandomRow& random, bool gaussian,
                     const std::optional<double>& duration) {
  const RandomRow& narrow = acting.random()->rows[index];
  const std::vector<double>& grid = acting.grid();
  const double width = *acting.environment().random().band_width;
  OnRandomRow row{random.rms, 0, none, 0, {}, none, none, none};
  const DrawnCurve curve(grid, narrow.psd);
  double best = 0, at = 0.5 * (grid.front() + std::min(grid.front() + width, grid.back()));
  const auto look = [&](double from) {
    from = std::clamp(from, grid.front(), std::max(grid.front(), grid.back() - width));
    if (const double square = curve.area_to(from + width) - curve.area_to(from); square > best) {
      best = square;
      at = std::min(from + 0.5 * width, 0.5 * (from + grid.back()));
    }
  };
  for (const double f : grid) {  // a window whose edge or middle is at a point
    look(f);
    look(f - 0.5 * width);
    look(f - width);
  }
  row.acting = std::sqrt(best);
  row.frequency = at;
  row.rms = std::sqrt(random.rms * random.rms + best);
  for (int k = 0; k < 3; ++k) {
    const auto i = static_cast<std::size_t>(k);
    row.within[i] = gaussian ? (k + 1) * row.rms : narrow.within[i] + random.within[i];
  }
  if (!duration || !gaussian || !(row.rms > 0)) return row;
  const double crossings = random.rms > 0 ? random.moments.zero_crossings() : 0;
  const double rate = std::sqrt(std::pow(random.rms * crossings, 2) + best * at * at) / row.rms;  // Rice's rate of both
  row.cycles = *duration * at;
  row.largest = row.rms * largest_below(rate, *duration, 0.5);
  row.largest_high = row.rms * largest_below(rate, *duration, 0.95);
  return row;
}

}  // namespace

const CaseResults* acts_on(const CaseResults& acting, const std::vector<CaseResults>& outcomes) {
  const std::string& name = acting.environment().superposed_on;
  const CaseResults* only = nullptr;
  int count = 0;
  for (const CaseResults& case_results : outcomes) {
    if (!case_results.random() || case_results.is_combined() || case_results.environment().name != name) continue;
    if (case_results.excitation->along == acting.excitation->along) return &case_results;
    only = &case_results;
    ++count;
  }
  return count == 1 ? only : nullptr;
}

OnRandom act_on_random(const CaseResults& acting, const CaseResults& random, const std::vector<Output>& watched) {
  OnRandom both{acting.excitation, random.excitation, {}};
  const std::optional<double>& duration =
      acting.environment().duration ? acting.environment().duration : random.environment().duration;
  for (std::size_t i = 0; i < watched.size(); ++i) {
    if (watched[i].quantity->per_input()) {
      both.rows.push_back({none, none, none, none, {none, none, none}, none, none, none});
      continue;
    }
    const RandomRow& broad = random.random()->rows[i];
    both.rows.push_back(acting.sine() ? tone_row(acting, i, broad, watched[i].is_gaussian(), duration)
                                      : band_row(acting, i, broad, watched[i].is_gaussian(), duration));
  }
  return both;
}

}  // namespace avrenk
