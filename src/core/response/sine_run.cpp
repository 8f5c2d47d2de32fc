#include "core/response/sine_run.h"

#include <algorithm>
#include <cmath>

#include "core/modes/damping.h"
#include "core/modes/modal_basis.h"
#include "core/response/explanation.h"
#include "core/response/sweep.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

// What explains one peak.
class Reasons {
 public:
  Reasons(const Transfer& transfer, const SineResponse& response, const Excitation& excitation)
      : transfer_(transfer),
        coupled_(transfer),
        response_(response),
        environment_(*excitation.environment),
        grid_(excitation.grid) {}

  /// @param coupling  whether to solve the coupled system at the peak too
  void explain(const Measure& measure, bool coupling, SineRow& row) {
    explain_shares(measure, row);
    row.amplification = row.peak.value / static_answer(measure, row.peak.frequency);
    if (!(row.amplification > 0 && row.amplification < 1e6)) row.amplification = std::nan("");  // it has none
    row.half_power = response_.half_power(measure, row.peak, row.curve);
    explain_sweep(measure, row);
    if (!coupled_.differ()) return;
    row.coupling = std::nan("");
    if (!coupling) return;
    const VectorXcd together =
        measure.rows * (coupled_.at(row.peak.frequency) * response_.amplitudes(measure, row.peak.frequency));
    row.coupling = largest_over_phase(together) / row.peak.value - 1;
  }

 private:
  void explain_shares(const Measure& measure, SineRow& row) const {
    const StateLayout& layout = transfer_.layout();
    const VectorXcd z = response_.state(measure, row.peak.frequency);
    const Complex turn = std::polar(1.0, -row.peak.phase);
    const VectorXd largest = ((measure.rows * z) * turn).real();
    const double square = largest.squaredNorm();
    if (!(square > 0)) return;
    const MatrixXcd of_state = measure.rows * VectorXcd(turn * z).asDiagonal();
    const VectorXd parts = of_state.real().transpose() * largest / square;
    row.shares = largest_shares(layout.by_cause(parts));
  }

  // Under the same inputs at 0 Hz without damping; infinite where the base's own displacement counts, 0 of a velocity.
  [[nodiscard]] double static_answer(const Measure& measure, double frequency) const {
    const StateLayout& layout = transfer_.layout();
    const InputColumns& inputs = transfer_.inputs();
    const VectorXcd a = response_.amplitudes(measure, frequency), base = inputs.base * a, loads = inputs.applied(a);
    const bool moves = !base.isZero(0);
    if (moves && !measure.rows.middleCols(layout.base(0), 2L * layout.motions).isZero(0)) return HUGE_VAL;
    const ModalBasis& basis = transfer_.basis();
    VectorXcd q =
        basis.stiffness().cwiseInverse().asDiagonal() * (basis.load_participation * loads - basis.participation * base);
    MatrixXcd all_loads = loads;
    if (const auto& springs = transfer_.damping().springs) {
      const VectorXd still = VectorXd::Zero(springs->size());  // bases that move are left out above
      const VectorXcd unstressed =
          springs->at_rest(basis, q.real(), still) + imaginary * springs->at_rest(basis, q.imag(), still);
      q += basis.stiffness().cwiseInverse().asDiagonal() * (springs->forces() * unstressed);
      springs->put(unstressed, all_loads);
    }
    const VectorXcd w = measure.rows.middleCols(layout.modal(0), layout.modes).real() * q +
                        measure.rows.middleCols(layout.base(2), layout.motions).real() * base +
                        measure.rows.middleCols(layout.load(), layout.loads).real() * all_loads.col(0);
    return largest_over_phase(w);
  }

  void explain_sweep(const Measure& measure, SineRow& row) {
    row.sweep_parameter = std::nan("");
    if (!environment_.sine().sweep_rate) return;
    const auto main = std::find_if(row.shares.begin(), row.shares.end(), [](const auto& s) { return s.first >= 0; });
    if (main == row.shares.end() || main->second < 0.1 || main->first >= transfer_.basis().with_mass()) return;
    const ModalDamping& damping = transfer_.damping();
    if (damping.springs) {  // of the nearest mode as the springs are there; nothing in time is made of them
      const SpringMode* nearest = &damping.with_springs.front();
      for (const SpringMode& each : damping.with_springs)
        if (std::abs(each.frequency - row.peak.frequency) < std::abs(nearest->frequency - row.peak.frequency))
          nearest = &each;
      row.sweep_parameter = sweep_parameter(*environment_.sine().sweep_rate, 0.5 / nearest->ratio, nearest->frequency);
      return;
    }
    row.sweep_parameter = sweep_parameter(*environment_.sine().sweep_rate, damping.amplification(main->first),
                                          transfer_.basis().frequency(main->first));
    if (row.sweep_parameter <= slow_sweep) return;
    if (!swept_) swept_.emplace(transfer_, response_.drive(), *environment_.sine().sweep_rate, grid_.from, grid_.to);
    row.swept = swept_->peak(measure, main->first);
  }

  const Transfer& transfer_;
  CoupledStates coupled_;
  const SineResponse& response_;
  const Environment& environment_;
  const GridRequest& grid_;
  std::optional<SweptResponse> swept_;
};

// The input over the response, where it does respond.
void turn_over(SineRow& row) {
  const auto turned = [](SinePeak& peak) {
    peak.value = 1 / peak.value;
    peak.phase = -peak.phase;
  };
  turned(row.peak);
  if (row.swept) turned(*row.swept);
  row.curve = row.curve.unaryExpr([](Complex h) { return h == 0.0 ? Complex(std::nan("")) : 1.0 / h; });
}

WithStatic worst_with_static(const Environment& environment, const SineResponse& response, const Output& watched,
                             SineResponse::Curves& curves, const StaticSum& sum) {
  const StaticRow& still = sum.at_rest->at_rest()->rows[sum.watched];
  WithStatic result;
  result.at_rest = sum.at_rest->environment().name;
  for (const double scale : {environment.upper, 1.0}) {
    const auto [index, peak] = response.worst({curves, watched.first, watched.count, false, still.rows, scale});
    if (scale == environment.upper) result.upper_value = peak.value;
    if (scale != 1.0) continue;
    result.value = peak.value;
    result.where = watched.candidates->label(index);
  }
  return result;
}

}  // namespace

SineAnswers run_sine(const CaseResponse& excited, const std::vector<Output>& watched, std::span<const StaticSum> sums) {
  SineAnswers answers{excited.grid, {}};
  const Environment& environment = excited.environment();
  const SineResponse& response = *excited.sine;
  Reasons reasons(*excited.transfer, response, *excited.excitation);
  std::optional<SineResponse::Curves> curves;  // of one request, which several quantities share
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const Output& output = watched[i];
    if (!output.quantity->has_meaning(excited.excitation->kind)) {  // a ratio to what does not act
      SineRow none;
      none.peak.value = none.amplification = none.sweep_parameter = std::nan("");
      none.curve = MatrixXcd::Constant(output.count, static_cast<Index>(excited.grid.size()), std::nan(""));
      answers.rows.push_back(std::move(none));
      continue;
    }
    if (!curves || &curves->candidates() != output.candidates.get()) curves.emplace(response, *output.candidates);
    const auto [index, peak] =
        response.worst({*curves, output.first, output.count, output.quantity->per_input(), {}, 1});
    const Measure worst = output.measure(index);
    SineRow row;
    row.peak = peak;
    row.where = worst.label;
    row.candidate = index;
    row.curve = curves->of(index).middleRows(output.first, output.count);
    if (worst.per_input) response.to_ratios(row.curve);
    reasons.explain(worst, output.is_headline(), row);
    for (const StaticSum& sum : sums)
      if (sum.watched == i) row.with_static.push_back(worst_with_static(environment, response, output, *curves, sum));
    if (output.quantity->is_reciprocal) turn_over(row);
    answers.rows.push_back(std::move(row));
  }
  return answers;
}

}  // namespace avrenk
