#include "core/response/history.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/random/mersenne_twister.hpp>
#include <boost/random/normal_distribution.hpp>
#include <cmath>
#include <unsupported/Eigen/FFT>

#include "core/error.h"
#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/parallel.h"
#include "core/response/explanation.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

// The next number without prime factors above 5, even: its transform is fast.
std::size_t smooth_size(std::size_t least) {
  for (std::size_t size = least + least % 2;; size += 2) {
    std::size_t rest = size;
    for (const std::size_t prime : {2U, 3U, 5U})
      while (rest % prime == 0) rest /= prime;
    if (rest == 1) return size;
  }
}

// Signals of one input: what forces the modes, and its acceleration, velocity and displacement (of a load: itself
// first).
struct Signals {
  VectorXd forcing, plain, velocity, displacement;
};

// Σ Re a_k e^{2πi k n/N}. @param lines  a_k from k = 0 on
VectorXd signal_of(const VectorXcd& lines, std::size_t size) {
  Eigen::FFT<double> transform;
  transform.SetFlag(Eigen::FFT<double>::HalfSpectrum);
  VectorXcd half = 0.5 * static_cast<double>(size) * lines;
  VectorXd values(static_cast<Index>(size));
  transform.inv(values.data(), half.data(), static_cast<Index>(size));
  return values;
}

class Recorder {
 public:
  Recorder(const HistoryRequest& request, const CaseResponse& excited, int threads)
      : request_(request),
        transfer_(*excited.transfer),
        input_(excited.covariance->input),
        threads_(threads),
        rate_(rate_of(request, excited)),
        samples_(static_cast<std::size_t>(std::llround(request.duration * rate_))),
        size_(smooth_size(samples_)) {}

  [[nodiscard]] static double rate_of(const HistoryRequest& request, const CaseResponse& excited) {
    return request.rate > 0 ? request.rate : samples_per_cycle * excited.covariance->input.to();
  }
  [[nodiscard]] double rate() const { return rate_; }
  [[nodiscard]] std::size_t samples() const { return samples_; }

  void synthesise() {
    const double step = rate_ / static_cast<double>(size_);
    const Index inputs = input_.size(), lines = static_cast<Index>(size_ / 2 + 1);
    MatrixXcd amplitudes = MatrixXcd::Zero(lines, inputs);
    boost::random::mt19937_64 numbers(request_.seed);
    boost::random::normal_distribution<double> gaussian;
    for (Index k = 1; k + 1 < lines; ++k) {
      const double f = static_cast<double>(k) * step;
      if (f < input_.from() || f > input_.to()) continue;
      const MatrixXcd root = input_.root(f);
      VectorXcd g(root.cols());
      for (Complex& each : g) {
        const double real = gaussian(numbers);
        each = {real, gaussian(numbers)};
      }
      amplitudes.row(k) = (std::sqrt(step) * (root * g)).transpose();
    }
    signals_.resize(static_cast<std::size_t>(inputs));
    run_jobs(signals_.size(), threads_, [&](std::size_t i) {
      const VectorXcd amplitude = amplitudes.col(static_cast<Index>(i));
      VectorXcd forcing = amplitude, velocity = amplitude, displacement = amplitude;
      for (Index k = 1; k < lines; ++k) {
        const double f = static_cast<double>(k) * step, omega = 2 * pi * f, x = pi * f / rate_;
        forcing[k] /= std::pow(std::sin(x) / x, 2);
        velocity[k] /= imaginary * omega;
        displacement[k] /= -omega * omega;
      }
      signals_[i] = {signal_of(forcing, size_), signal_of(amplitude, size_), signal_of(velocity, size_),
                     signal_of(displacement, size_)};
    });
  }

  // Time series of some rows, rows x samples.
  [[nodiscard]] MatrixXd record(const MatrixXcd& rows) const {
    const ModalBasis& basis = transfer_.basis();
    const StateLayout& layout = transfer_.layout();
    const MatrixXd forces = transfer_.modal_force(1).real();  // rigid bases: the same at all frequencies
    const auto count = static_cast<Index>(samples_);
    // Sums of their own for some modes each, as many as memory bears and not as there are threads: the digits do not
    // depend on these.
    constexpr double most_lanes = 8;
    const auto lanes = static_cast<std::size_t>(
        std::clamp(most_history_values / static_cast<double>(rows.rows() * count), 1.0, most_lanes));
    std::vector<MatrixXd> sums(lanes, MatrixXd::Zero(rows.rows(), count));
    const std::size_t lead = lead_in();
    run_jobs(lanes, threads_, [&](std::size_t lane) {
      VectorXd force(static_cast<Index>(size_));
      for (auto r = static_cast<Index>(lane); r < layout.modes; r += static_cast<Index>(lanes)) {
        force.setZero();
        for (std::size_t i = 0; i < signals_.size(); ++i)
          force += forces(r, static_cast<Index>(i)) * signals_[i].forcing;
        MatrixXd& sum = sums[lane];
        const VectorXcd on_q = rows.col(layout.modal(0) + r);
        const VectorXd on_v = rows.col(layout.modal(1) + r).real(), on_a = rows.col(layout.modal(2) + r).real();
        if (r >= basis.with_mass()) {  // without mass it follows its force
          sum += on_q.real() * force.head(count).transpose();
          continue;
        }
        const double omega = basis.omega[r];
        ModalRecursion mode(omega, ratio(r), 1 / rate_);
        const VectorXd turned = on_v + on_q.imag() / omega;  // a loss factor as a dashpot
        const auto size = static_cast<Index>(size_);
        Index now = size - static_cast<Index>(lead);
        for (; now < size; ++now) mode.advance(force[now], force[(now + 1) % size]);
        for (Index n = 0; n < count; ++n) {
          sum.col(n) += on_q.real() * mode.position() + turned * mode.velocity() + on_a * mode.acceleration(force[n]);
          mode.advance(force[n], force[(n + 1) % size]);
        }
      }
    });
    for (std::size_t lane = 1; lane < lanes; ++lane) sums[0] += sums[lane];
    const InputColumns& inputs = transfer_.inputs();
    const auto add = [&](Index first, const MatrixXcd& columns, auto&& signal) {
      if (columns.rows() == 0) return;
      const MatrixXd direct = (rows.middleCols(first, columns.rows()) * columns).real();
      if (direct.isZero(0)) return;
      for (std::size_t i = 0; i < signals_.size(); ++i)
        sums[0] += direct.col(static_cast<Index>(i)) * signal(signals_[i]).head(count).transpose();
    };
    add(layout.base(0), inputs.base, [](const Signals& s) -> const VectorXd& { return s.displacement; });
    add(layout.base(1), inputs.base, [](const Signals& s) -> const VectorXd& { return s.velocity; });
    add(layout.base(2), inputs.base, [](const Signals& s) -> const VectorXd& { return s.plain; });
    add(layout.load(), inputs.loads, [](const Signals& s) -> const VectorXd& { return s.plain; });
    return std::move(sums[0]);
  }

  [[nodiscard]] VectorXd input(std::size_t i) const { return signals_[i].plain.head(static_cast<Index>(samples_)); }

 private:
  // Residual vectors lie above the band and may be undamped: what they would ring with is none of theirs.
  [[nodiscard]] double ratio(Index r) const {
    constexpr double least_of_residual = 1e-3;
    const double own = transfer_.damping().effective_ratio(static_cast<int>(r));
    return r < transfer_.basis().modes ? own : std::max(own, least_of_residual);
  }
  // Samples after which a start at rest has died away to a millionth.
  [[nodiscard]] std::size_t lead_in() const {
    double slowest = HUGE_VAL;  // 1/s
    for (Index r = 0; r < transfer_.basis().with_mass(); ++r)
      if (transfer_.basis().omega[r] < 4 * pi * input_.to())
        slowest = std::min(slowest, ratio(r) * transfer_.basis().omega[r]);
    const double wanted = std::log(1e6) / slowest * rate_;
    return static_cast<std::size_t>(std::min(wanted, static_cast<double>(size_)));
  }

  const HistoryRequest& request_;
  const Transfer& transfer_;
  const SpectralMatrix& input_;
  int threads_;
  double rate_;
  std::size_t samples_, size_;
  std::vector<Signals> signals_;
};

void measure(HistoryColumn& column) {
  double squares = 0;
  for (const double value : column.values) {
    squares += value * value;
    column.largest = std::max(column.largest, std::abs(value));
  }
  column.rms = std::sqrt(squares / static_cast<double>(column.values.size()));
}

// Half of the 95 % interval of an RMS over a duration, as a part of it: the variance of a variance is ∫ S² df / T
// (Bendat & Piersol, Random Data, 1971).
double interval_of(std::span<const double> grid, std::span<const double> psd, double duration) {
  double area = 0, squares = 0;
  for (std::size_t k = 0; k + 1 < grid.size(); ++k) {
    const double df = grid[k + 1] - grid[k];
    area += 0.5 * (psd[k] + psd[k + 1]) * df;
    squares += 0.5 * (psd[k] * psd[k] + psd[k + 1] * psd[k + 1]) * df;
  }
  constexpr double sigmas = 1.96;
  return area > 0 ? 0.5 * sigmas * std::sqrt(squares / duration) / area : 0;
}

}  // namespace

ModalRecursion::ModalRecursion(double omega, double zeta, double step) : omega_(omega), zeta_(zeta), step_(step) {
  // e^{At} of the free motion: c and s/ω_d are cos and sin, their hyperbolic likes, or 1 and t.
  const double decay = zeta * omega, square = omega * omega * (1 - zeta * zeta) * step * step;
  double even = 0, odd = 0;  // e^{−ζωt} times c, and times s/ω_d
  if (std::abs(square) < 1e-12) {
    even = std::exp(-decay * step);
    odd = step * even;
  } else if (square > 0) {
    const double x = std::sqrt(square);
    even = std::exp(-decay * step) * std::cos(x);
    odd = std::exp(-decay * step) * std::sin(x) * step / x;
  } else {  // in one exponential each, so that none grows beyond numbers
    const double x = std::sqrt(-square), slow = std::exp(x - decay * step), fast = std::exp(-x - decay * step);
    even = 0.5 * (slow + fast);
    odd = 0.5 * (slow - fast) * step / x;
  }
  qq_ = even + decay * odd;
  qv_ = odd;
  vq_ = -omega * omega * odd;
  vv_ = even - decay * odd;
}

void ModalRecursion::advance(double p0, double p1) {
  // A motion a + bt goes with a straight force; the rest is free.
  const double slope = (p1 - p0) / step_, w2 = omega_ * omega_, b = slope / w2, a = (p0 - 2 * zeta_ * omega_ * b) / w2;
  const double q = q_ - a, v = v_ - b;
  q_ = qq_ * q + qv_ * v + a + b * step_;
  v_ = vq_ * q + vv_ * v + b;
}

History make_history(const HistoryRequest& request, const CaseResponse& excited, const std::vector<Output>& watched,
                     const CaseResults& outcome, int threads) {
  const std::string subject = "history " + request.name;
  const Transfer& transfer = *excited.transfer;
  // One base that no ground holds strains nothing where it does not turn, whatever a preload does to what turns.
  const StaticSolution& statics = transfer.basis().statics;
  const bool translates =
      !statics.grounded && statics.influence.cols() == 6 && transfer.inputs().base.bottomRows(3).isZero(0);
  if (!statics.moves_rigidly && !translates)
    throw_input_error(subject, "the model stands on bases that strain it when they move by themselves",
                      "a record in time is made for one base, or for loads");
  if (transfer.damping().springs)
    throw_input_error(
        subject,
        "springs of the model depend on frequency or amplitude, and a record in time is made for constant ones",
        "give them one stiffness and loss factor, or leave the record out");
  const InputColumns& inputs = transfer.inputs();
  if (!inputs.base.imag().isZero(0) || !inputs.loads.imag().isZero(0))
    throw_input_error(subject, "an input has a phase of its own, which a record in time does not have",
                      "leave phase out of its motion");
  const RandomAnswers& answers = *outcome.random();
  const double rate = Recorder::rate_of(request, excited);
  if (rate < fewest_samples_per_cycle * excited.covariance->input.to())
    throw_input_error(
        subject, fmt::format("{:g} samples a second are too few for {:g} Hz", rate, excited.covariance->input.to()),
        fmt::format("write a rate of {:g} Hz or more", fewest_samples_per_cycle * excited.covariance->input.to()));
  const Excitation& excitation = *excited.excitation;
  const std::vector<Index>& first = excited.covariance->input.first_inputs();
  MatrixXcd rows(0, transfer.layout().size());
  std::vector<std::pair<std::size_t, Index>> chosen;  // watched, and its first row
  for (const std::string& name : request.of) {
    const Output* const what = find_output(watched, name);
    if (!what || !outcome.has(*what))
      throw_input_error(subject, fmt::format("\"{}\" has no response to record here", name), "");
    const auto index = static_cast<std::size_t>(what - watched.data());
    const Measure worst = what->measure(first_largest(answers.rows[index].candidate_rms));
    chosen.emplace_back(index, rows.rows());
    rows.conservativeResize(rows.rows() + worst.rows.rows(), Eigen::NoChange);
    rows.bottomRows(worst.rows.rows()) = worst.rows;
  }
  const double samples = std::round(request.duration * rate),
               values = samples * static_cast<double>(rows.rows() + 4 * first.back());
  if (samples < 2 || values > most_history_values)
    throw_input_error(subject,
                      fmt::format("{:g} s at {:g} samples a second make {:.3g} values", request.duration, rate, values),
                      samples < 2 ? "write a longer duration" : "write a shorter duration, or record less");
  Recorder recorder(request, excited, threads);
  recorder.synthesise();
  const MatrixXd series = recorder.record(rows);
  History history{&request, excited.excitation, recorder.rate(), transfer.damping().coupled(), {}};
  const double duration = static_cast<double>(recorder.samples()) / recorder.rate();
  for (std::size_t source = 0; source + 1 < first.size(); ++source) {
    if (first[source + 1] - first[source] != 1) continue;  // of a pressure field there is no single input
    HistoryColumn column{"input " + excitation.names[source], excitation.kinds[source], true, {}};
    const VectorXd wave = recorder.input(static_cast<std::size_t>(first[source]));
    column.values.assign(wave.begin(), wave.end());
    const LogLogTable& level = excited.covariance->input.levels()[source];
    column.spectral = std::sqrt(level.area());
    const std::vector<double>& grid = outcome.grid();
    column.interval = interval_of(grid, level.levels(grid), duration);
    column.expected = column.expected_low = column.expected_high = std::nan("");
    measure(column);
    history.columns.push_back(std::move(column));
  }
  const std::vector<bool> is_real = real_answers(outcome, watched);
  for (const auto& [index, row] : chosen) {
    const Output& what = watched[index];
    const RandomRow& answer = answers.rows[index];
    HistoryColumn column{what.name, what.quantity->kind, false, {}};
    column.values.resize(recorder.samples());
    const bool is_above_input = std::all_of(history.columns.begin(), history.columns.end(), [&](const auto& other) {
      return !other.is_input || other.kind != column.kind || answer.rms > rounding_of_answers * other.spectral;
    });
    if (!is_real[index] || !is_above_input) {  // rounding of what is zero
      history.columns.push_back(std::move(column));
      continue;
    }
    for (std::size_t n = 0; n < column.values.size(); ++n) {
      const auto own = series.col(static_cast<Index>(n)).segment(row, what.count);
      column.values[n] = what.is_gaussian() ? own[0] : own.norm();
    }
    column.spectral = answer.rms;
    column.interval = interval_of(outcome.grid(), answer.psd, duration);
    column.expected = column.expected_low = column.expected_high = std::nan("");
    if (what.is_gaussian()) {
      const double crossings = answer.moments.zero_crossings();
      column.expected = answer.rms * expected_largest(crossings, duration);
      column.expected_low = answer.rms * largest_below(crossings, duration, 0.05);
      column.expected_high = answer.rms * largest_below(crossings, duration, 0.95);
    }
    measure(column);
    history.columns.push_back(std::move(column));
  }
  return history;
}

}  // namespace avrenk
