#include "core/identify/curve_fit.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numeric>

#include "core/dense.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Complex = std::complex<double>;

// What is looked for of one mode: logarithms, as both are positive. Angular frequencies count in those of the peak.
struct Pole {
  double log_frequency = 0, log_damping = 0;
  [[nodiscard]] double frequency() const { return std::exp(log_frequency); }
  [[nodiscard]] double damping() const { return std::exp(log_damping); }
  [[nodiscard]] Complex denominator(double w) const {
    const double w0 = frequency();
    return {w0 * w0 - w * w, 2 * damping() * w0 * w};
  }
  // Its derivatives by the two logarithms.
  [[nodiscard]] std::array<Complex, 2> derivatives(double w) const {
    const double w0 = frequency();
    const Complex cross{0, 2 * damping() * w0 * w};
    return {Complex{2 * w0 * w0, 0} + cross, cross};
  }
};

// A model that is linear but for its poles, over some points.
struct Separable {
  Eigen::VectorXd data;
  Eigen::MatrixXd basis;                     // a row a number of the data
  std::vector<Eigen::MatrixXd> derivatives;  // of the basis, by each parameter
};

struct Projected {
  Eigen::VectorXd residual;
  Eigen::MatrixXd jacobian;
  Eigen::VectorXd weights;  // of the basis
  Eigen::Index unknowns = 0;
};

Projected project(Separable model) {
  const Eigen::VectorXd lengths = model.basis.colwise().norm().cwiseMax(std::numeric_limits<double>::min());
  model.basis.array().rowwise() /= lengths.transpose().array();
  const Eigen::VectorXd weights = least_squares(model.basis, model.data);
  Projected projected;
  projected.weights = weights.cwiseQuotient(lengths);
  projected.residual = model.basis * weights - model.data;
  projected.jacobian.resize(model.data.size(), static_cast<Eigen::Index>(model.derivatives.size()));
  for (std::size_t p = 0; p < model.derivatives.size(); ++p) {
    const Eigen::VectorXd slope = model.derivatives[p] * projected.weights;
    projected.jacobian.col(static_cast<Eigen::Index>(p)) = slope - model.basis * least_squares(model.basis, slope);
  }
  projected.unknowns = model.basis.cols() + projected.jacobian.cols();
  return projected;
}

// Poles of one window, found by Levenberg–Marquardt. @return  what is left at the end
template <typename Model>
Projected improve(std::vector<Pole>& poles, const Model& model) {
  Projected now = project(model(poles));
  double damper = 1e-3;
  constexpr int most_steps = 200;
  for (int step = 0; step < most_steps; ++step) {
    const Eigen::MatrixXd normal = now.jacobian.transpose() * now.jacobian;
    const Eigen::VectorXd gradient = now.jacobian.transpose() * now.residual;
    Eigen::MatrixXd damped = normal;
    damped.diagonal() *= 1 + damper;
    damped.diagonal().array() += std::numeric_limits<double>::min();
    const Eigen::VectorXd change = -solve_symmetric(damped, gradient);
    if (!change.allFinite()) break;
    std::vector<Pole> trial = poles;
    constexpr double longest = 1;  // of a step, in logarithms
    const double shorter = std::min(1.0, longest / std::max(change.cwiseAbs().maxCoeff(), 1e-300));
    for (std::size_t r = 0; r < poles.size(); ++r) {
      const auto at = static_cast<Eigen::Index>(2 * r);
      trial[r].log_frequency += shorter * change(at);
      trial[r].log_damping += shorter * change(at + 1);
    }
    Projected next = project(model(trial));
    const bool better = next.residual.squaredNorm() < now.residual.squaredNorm();
    constexpr double least_change = 1e-13;
    const bool settled = change.cwiseAbs().maxCoeff() < least_change;
    if (better) {
      poles = std::move(trial);
      now = std::move(next);
      damper = std::max(damper / 10, 1e-15);
    } else {
      damper *= 10;
    }
    if (settled || damper > 1e12) break;
  }
  return now;
}

// Size of the noise of a curve: what is left of it in third differences, most of which a smooth curve has none of. The
// middle one counts: at peaks of few points they are large. Of a normal distribution the median of |x| is 0.6745 σ.
double noise_of(std::span<const double> magnitude) {
  constexpr std::size_t least_points = 100;  // in fewer every second one may belong to a peak
  if (magnitude.size() < least_points) return 0;
  std::vector<double> differences(magnitude.size() - 3);
  for (std::size_t k = 0; k < differences.size(); ++k)
    differences[k] = std::abs(magnitude[k + 3] - magnitude[k] - 3 * (magnitude[k + 2] - magnitude[k + 1]));
  const auto middle = differences.begin() + static_cast<std::ptrdiff_t>(differences.size() / 2);
  std::nth_element(differences.begin(), middle, differences.end());
  return *middle / (0.6745 * std::sqrt(20.0));
}

// Of each point the lowest value between it and the next higher point before it, itself included.
std::vector<double> lowest_behind(std::span<const double> magnitude, bool backwards) {
  struct Top {
    double height, low;
  };
  std::vector<Top> tops;  // falling
  std::vector<double> lowest(magnitude.size());
  for (std::size_t i = 0; i < magnitude.size(); ++i) {
    const std::size_t k = backwards ? magnitude.size() - 1 - i : i;
    double low = magnitude[k];
    for (; !tops.empty() && tops.back().height <= magnitude[k]; tops.pop_back()) low = std::min(low, tops.back().low);
    tops.push_back({magnitude[k], low});
    lowest[k] = low;
  }
  return lowest;
}

// Peaks that are fitted together, and the points around them.
struct Window {
  std::vector<std::size_t> peaks;  // in the list of peaks
  std::size_t from = 0, to = 0;    // points, both included
};

// The lowest point between two.
std::size_t valley(std::span<const double> magnitude, std::size_t from, std::size_t to) {
  return static_cast<std::size_t>(std::min_element(magnitude.begin() + static_cast<std::ptrdiff_t>(from),
                                                   magnitude.begin() + static_cast<std::ptrdiff_t>(to) + 1) -
                                  magnitude.begin());
}

constexpr double window_share = 0.2;  // of a peak: what is above it is fitted

// Points down to that, no farther than the valleys, but so many that the fit has something to leave.
std::vector<Window> windows_of(std::span<const double> magnitude, const std::vector<CurvePeak>& peaks,
                               std::size_t (*least_points)(std::size_t modes)) {
  std::vector<Window> windows;
  for (std::size_t p = 0; p < peaks.size(); ++p) {
    const auto joined = [&] {
      if (windows.empty()) return false;
      const std::size_t before = peaks[p - 1].index, now = peaks[p].index;
      return magnitude[valley(magnitude, before, now)] > window_share * std::min(magnitude[before], magnitude[now]);
    };
    if (joined())
      windows.back().peaks.push_back(p);
    else
      windows.push_back({{p}});
  }
  for (Window& window : windows) {
    const std::size_t first = window.peaks.front(), last = window.peaks.back();
    const std::size_t low = first > 0 ? valley(magnitude, peaks[first - 1].index, peaks[first].index) : 0,
                      high = last + 1 < peaks.size() ? valley(magnitude, peaks[last].index, peaks[last + 1].index)
                                                     : magnitude.size() - 1;
    const std::size_t least = least_points(window.peaks.size());
    window.from = peaks[first].index;
    window.to = peaks[last].index;
    while (window.from > low && magnitude[window.from - 1] > window_share * magnitude[peaks[first].index])
      --window.from;
    while (window.to < high && magnitude[window.to + 1] > window_share * magnitude[peaks[last].index]) ++window.to;
    while (window.to - window.from + 1 < least && (window.from > 0 || window.to + 1 < magnitude.size())) {
      if (window.from > 0) --window.from;
      if (window.to + 1 < magnitude.size()) ++window.to;
    }
  }
  return windows;
}

// Half the width at 1/√2 of the peak over its frequency.
double half_power_damping(std::span<const double> frequency, std::span<const double> magnitude, std::size_t peak) {
  const double level = magnitude[peak] / std::sqrt(2.0), f = frequency[peak];
  const auto crossing = [&](int step) {
    for (std::size_t k = peak; step > 0 ? k + 1 < magnitude.size() : k > 0;) {
      const std::size_t next = step > 0 ? k + 1 : k - 1;
      if (magnitude[next] <= level) {
        const double t = (magnitude[k] - level) / (magnitude[k] - magnitude[next]);
        return std::abs(frequency[k] + t * (frequency[next] - frequency[k]) - f);
      }
      k = next;
    }
    return HUGE_VAL;
  };
  const double width = 2 * std::min(crossing(-1), crossing(+1));
  return std::isfinite(width) ? std::clamp(0.5 * width / f, 1e-6, 0.5) : 0.05;
}

// A window with its poles, in units of its middle peak.
class Fit {
 public:
  Fit(std::span<const double> frequency, std::span<const double> magnitude, const std::vector<CurvePeak>& peaks,
      Window window, std::span<const StartingMode> under = {})
      : window_(std::move(window)) {
    for (const std::size_t p : window_.peaks) {
      const std::size_t peak = peaks[p].index;
      const std::size_t before = poles_.size();
      for (const StartingMode& mode : under)
        if (mode.peak == peak) add(peak, mode.frequency, mode.damping);
      if (poles_.size() == before) add(peak, frequency[peak], half_power_damping(frequency, magnitude, peak));
    }
  }

  template <typename Model>
  void run(const Model& model) {
    left_ = improve(poles_, model);
  }

  [[nodiscard]] const Window& window() const { return window_; }
  [[nodiscard]] const std::vector<Pole>& poles() const { return poles_; }

  // @param numerators  the weights of the basis begin with a and b of each pole
  void write(double rms, bool numerators, std::vector<CurveMode>& modes) const {
    const auto points = static_cast<double>(left_.residual.size());
    const double freedom = points - static_cast<double>(left_.unknowns);
    const double variance = left_.residual.squaredNorm() / std::max(freedom, 1.0);
    const Eigen::Index n = left_.jacobian.cols();
    const Eigen::MatrixXd covariance =
        variance * solve_symmetric(left_.jacobian.transpose() * left_.jacobian, Eigen::MatrixXd::Identity(n, n));
    for (std::size_t r = 0; r < poles_.size(); ++r) {
      const auto at = static_cast<Eigen::Index>(2 * r);
      const double w0 = poles_[r].frequency(), damping = poles_[r].damping();
      modes.push_back(
          {peaks_[r], w0, damping, w0 * std::sqrt(covariance(at, at)), damping * std::sqrt(covariance(at + 1, at + 1)),
           std::sqrt(left_.residual.squaredNorm() / points) / rms, true,
           numerators ? std::hypot(left_.weights[at], w0 * left_.weights[at + 1]) / (w0 * w0) : std::nan("")});
    }
  }

 private:
  void add(std::size_t peak, double frequency, double damping) {
    peaks_.push_back(peak);
    poles_.push_back({std::log(frequency), std::log(damping)});
  }

  Window window_;
  std::vector<std::size_t> peaks_;  // of each pole the maximum under which it stands
  std::vector<Pole> poles_;
  Projected left_;
};

constexpr std::size_t smooth_terms = 6;  // c₀, c₁, c₂, complex

// The transfer function over a window: its own poles free, others fixed.
Separable response_model(std::span<const double> frequency, std::span<const Complex> response, const Window& window,
                         const std::vector<Pole>& free, const std::vector<Pole>& fixed) {
  const auto points = static_cast<Eigen::Index>(window.to - window.from + 1);
  const auto poles = static_cast<Eigen::Index>(free.size()), others = static_cast<Eigen::Index>(fixed.size());
  const Eigen::Index columns = 2 * (poles + others) + static_cast<Eigen::Index>(smooth_terms);
  Separable model{Eigen::VectorXd(2 * points), Eigen::MatrixXd::Zero(2 * points, columns), {}};
  model.derivatives.assign(2 * free.size(), Eigen::MatrixXd::Zero(2 * points, columns));
  const double middle = 0.5 * (frequency[window.from] + frequency[window.to]),
               half = 0.5 * (frequency[window.to] - frequency[window.from]);
  for (Eigen::Index k = 0; k < points; ++k) {
    const std::size_t at = window.from + static_cast<std::size_t>(k);
    const double w = frequency[at];
    const auto put = [&](Eigen::MatrixXd& matrix, Eigen::Index column, Complex value) {
      matrix(2 * k, column) = value.real();
      matrix(2 * k + 1, column) = value.imag();
    };
    model.data(2 * k) = response[at].real();
    model.data(2 * k + 1) = response[at].imag();
    const Complex iw(0, w);
    for (Eigen::Index r = 0; r < poles + others; ++r) {
      const Pole& pole = r < poles ? free[static_cast<std::size_t>(r)] : fixed[static_cast<std::size_t>(r - poles)];
      const Complex inverse = 1.0 / pole.denominator(w);
      put(model.basis, 2 * r, inverse);
      put(model.basis, 2 * r + 1, iw * inverse);
      if (r >= poles) continue;
      const auto slopes = pole.derivatives(w);
      for (std::size_t p = 0; p < 2; ++p) {
        Eigen::MatrixXd& derivative = model.derivatives[2 * static_cast<std::size_t>(r) + p];
        const Complex slope = -slopes[p] * inverse * inverse;
        put(derivative, 2 * r, slope);
        put(derivative, 2 * r + 1, iw * slope);
      }
    }
    const double x = (w - middle) / half;
    double term = 1;
    for (Eigen::Index column = 2 * (poles + others); column < columns; column += 2) {
      put(model.basis, column, {term, 0});
      put(model.basis, column + 1, {0, term});
      term *= x;
    }
  }
  return model;
}

// |H|²/(2|H|) over a window, so that what is left is that of |H|.
Separable magnitude_model(std::span<const double> frequency, std::span<const double> magnitude, const Window& window,
                          const std::vector<Pole>& poles) {
  const auto points = static_cast<Eigen::Index>(window.to - window.from + 1);
  const auto columns = static_cast<Eigen::Index>(2 * poles.size() + 1);
  Separable model{Eigen::VectorXd(points), Eigen::MatrixXd(points, columns), {}};
  model.derivatives.assign(2 * poles.size(), Eigen::MatrixXd(points, columns));
  const auto square = [](double value) { return value * value; };
  const double low = square(frequency[window.from]), high = square(frequency[window.to]);
  for (Eigen::Index k = 0; k < points; ++k) {
    const std::size_t at = window.from + static_cast<std::size_t>(k);
    const double w = frequency[at], weight = 0.5 / magnitude[at];
    model.data(k) = 0.5 * magnitude[at];
    double factor = weight;
    for (const Pole& pole : poles) factor /= std::norm(pole.denominator(w));
    const double x = (2 * w * w - low - high) / (high - low);
    double term = 1;
    for (Eigen::Index c = 0; c < columns; ++c) {
      model.basis(k, c) = term * factor;
      term *= x;
    }
    for (std::size_t r = 0; r < poles.size(); ++r) {
      const Complex denominator = poles[r].denominator(w);
      const auto slopes = poles[r].derivatives(w);
      for (std::size_t p = 0; p < 2; ++p)
        model.derivatives[2 * r + p].row(k) =
            model.basis.row(k) * (-2 * (std::conj(denominator) * slopes[p]).real() / std::norm(denominator));
    }
  }
  return model;
}

// Poles of the windows beside one, the nearest first, as many as its points can tell apart.
std::vector<Pole> neighbours_of(const std::vector<Fit>& fits, std::size_t i) {
  const Window& window = fits[i].window();
  const std::size_t numbers = 2 * (window.to - window.from + 1);
  std::vector<Pole> poles;
  constexpr std::size_t farthest = 2;
  for (std::size_t away = 1; away <= farthest; ++away)
    for (const std::size_t j : {i - away, i + away}) {  // below the first they wrap to no window
      if (j >= fits.size()) continue;
      const std::vector<Pole>& own = fits[j].poles();
      const std::size_t unknowns = 4 * fits[i].poles().size() + 2 * (poles.size() + own.size()) + smooth_terms;
      if (numbers >= 2 * unknowns) poles.insert(poles.end(), own.begin(), own.end());
    }
  return poles;
}

std::size_t least_response_points(std::size_t modes) { return 4 * modes + smooth_terms; }  // twice the unknowns
std::size_t least_magnitude_points(std::size_t modes) { return 2 * (4 * modes + 1); }

std::vector<double> scaled(std::span<const double> values, double by) {
  std::vector<double> all(values.begin(), values.end());
  for (double& each : all) each *= by;
  return all;
}

double rms_of(std::span<const double> magnitude, const Window& window) {
  double sum = 0;
  for (std::size_t k = window.from; k <= window.to; ++k) sum += magnitude[k] * magnitude[k];
  return std::sqrt(sum / static_cast<double>(window.to - window.from + 1));
}

// Those of every peak, with one of which no fit was made where there is none; frequencies and strengths brought back to
// their units.
std::vector<CurveMode> of_every_peak(const std::vector<CurvePeak>& peaks, const std::vector<CurveMode>& fitted,
                                     double unit, double size) {
  const double none = std::nan("");
  std::vector<CurveMode> curve_modes;
  for (const CurvePeak& peak : peaks) {
    const std::size_t before = curve_modes.size();
    for (CurveMode mode : fitted) {
      if (mode.peak != peak.index || !std::isfinite(mode.frequency) || !std::isfinite(mode.damping)) continue;
      mode.frequency *= unit;
      mode.frequency_error *= unit;
      mode.strength *= size;
      curve_modes.push_back(mode);
    }
    std::sort(curve_modes.begin() + static_cast<std::ptrdiff_t>(before), curve_modes.end(),
              [](const CurveMode& x, const CurveMode& y) { return x.frequency < y.frequency; });
    if (curve_modes.size() == before) curve_modes.push_back({peak.index, none, none, none, none, none, false, none});
  }
  return curve_modes;
}

bool has_points(const Window& window, std::size_t least) { return window.to - window.from + 1 >= least; }

}  // namespace

std::vector<CurvePeak> peaks_of(std::span<const double> magnitude) {
  std::vector<CurvePeak> peaks;
  if (magnitude.size() < 3) return peaks;
  const double highest = *std::max_element(magnitude.begin(), magnitude.end()), noise = noise_of(magnitude);
  const std::vector<double> left = lowest_behind(magnitude, false), right = lowest_behind(magnitude, true);
  for (std::size_t k = 1; k + 1 < magnitude.size(); ++k) {
    std::size_t end = k;  // of a flat top
    while (end + 1 < magnitude.size() && magnitude[end + 1] == magnitude[k]) ++end;
    const bool top = magnitude[k] > magnitude[k - 1] && end + 1 < magnitude.size() && magnitude[end + 1] < magnitude[k];
    if (top && magnitude[k] >= least_height * highest) {
      const double valley = std::max(left[k], right[end]),
                   prominence = magnitude[k] / std::max(valley, std::numeric_limits<double>::min());
      const bool is_above_noise = magnitude[k] - valley > least_noises * noise;
      if (prominence >= least_prominence && is_above_noise) peaks.push_back({k, prominence});
    }
    k = end;
  }
  return peaks;
}

std::vector<CurveMode> fit_response(std::span<const double> frequency, std::span<const Complex> response,
                                    std::span<const StartingMode> under) {
  std::vector<double> magnitude(response.size());
  std::transform(response.begin(), response.end(), magnitude.begin(), [](Complex value) { return std::abs(value); });
  const std::vector<CurvePeak> peaks = peaks_of(magnitude);
  if (peaks.empty()) return {};
  const double unit = frequency[peaks[peaks.size() / 2].index],
               size = *std::max_element(magnitude.begin(), magnitude.end());
  const std::vector<double> grid = scaled(frequency, 1 / unit), sizes = scaled(magnitude, 1 / size);
  std::vector<Complex> values(response.begin(), response.end());
  for (Complex& each : values) each /= size;

  std::vector<StartingMode> starts(under.begin(), under.end());
  for (StartingMode& mode : starts) mode.frequency /= unit;

  std::vector<Fit> fits;
  for (const Window& window : windows_of(sizes, peaks, least_response_points)) {
    Fit fit(grid, sizes, peaks, window, starts);
    if (has_points(window, least_response_points(fit.poles().size()))) fits.push_back(std::move(fit));
  }
  constexpr int most_rounds = 30;
  for (int round = 0; round < most_rounds; ++round) {
    double change = 0;
    for (std::size_t i = 0; i < fits.size(); ++i) {
      const std::vector<Pole> others = round > 0 ? neighbours_of(fits, i) : std::vector<Pole>{};
      const std::vector<Pole> before = fits[i].poles();
      fits[i].run([&](const std::vector<Pole>& poles) {
        return response_model(grid, values, fits[i].window(), poles, others);
      });
      for (std::size_t r = 0; r < before.size(); ++r)
        change = std::max({change, std::abs(fits[i].poles()[r].log_frequency - before[r].log_frequency),
                           std::abs(fits[i].poles()[r].log_damping - before[r].log_damping)});
    }
    constexpr double settled = 1e-11;
    if (change < settled) break;
  }
  std::vector<CurveMode> modes;
  // A number of the residual is a real or an imaginary part: their RMS is that of a complex one over √2.
  for (const Fit& fit : fits) fit.write(rms_of(sizes, fit.window()) / std::sqrt(2.0), true, modes);
  return of_every_peak(peaks, modes, unit, size);
}

std::vector<CurveMode> fit_magnitude(std::span<const double> frequency, std::span<const double> magnitude) {
  const std::vector<CurvePeak> peaks = peaks_of(magnitude);
  if (peaks.empty()) return {};
  const double unit = frequency[peaks[peaks.size() / 2].index],
               size = *std::max_element(magnitude.begin(), magnitude.end());
  const std::vector<double> grid = scaled(frequency, 1 / unit), sizes = scaled(magnitude, 1 / size);
  std::vector<CurveMode> modes;
  for (const Window& window : windows_of(sizes, peaks, least_magnitude_points)) {
    const bool is_positive =
        std::all_of(sizes.begin() + static_cast<std::ptrdiff_t>(window.from),
                    sizes.begin() + static_cast<std::ptrdiff_t>(window.to) + 1, [](double each) { return each > 0; });
    if (!is_positive || !has_points(window, least_magnitude_points(window.peaks.size()))) continue;
    Fit fit(grid, sizes, peaks, window);
    fit.run([&](const std::vector<Pole>& poles) { return magnitude_model(grid, sizes, window, poles); });
    fit.write(rms_of(sizes, window), false, modes);
  }
  return of_every_peak(peaks, modes, unit, size);
}

}  // namespace avrenk
