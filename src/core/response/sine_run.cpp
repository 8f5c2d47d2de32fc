#include "core/response/sine_run.h"

#include <algorithm>
#include <cmath>

#include "core/response/explanation.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

// What explains one peak.
class Reasons {
 public:
  Reasons(const Transfer& transfer, const SineResponse& response, const Environment& environment)
      : transfer_(transfer), coupled_(transfer), response_(response), environment_(environment) {}

  /// @param coupling  whether to solve the coupled system at the peak too
  void explain(const Measure& measure, bool coupling, SineRow& row) {
    explain_shares(measure, row);
    row.amplification = row.peak.value / (response_.level(measure, row.peak.frequency) * static_answer(measure));
    if (!(row.amplification > 0 && row.amplification < 1e6)) row.amplification = std::nan("");  // it has none
    row.half_power = response_.half_power(measure, row.peak, row.curve);
    explain_sweep(measure, row);
    if (!coupled_.differ()) return;
    row.coupling = std::nan("");
    if (!coupling) return;
    const VectorXcd together =
        measure.rows * (response_.level(measure, row.peak.frequency) * coupled_.at(row.peak.frequency));
    row.coupling = largest_over_phase(together) / row.peak.value - 1;
  }

 private:
  void explain_shares(const Measure& measure, SineRow& row) const {
    const StateLayout& layout = transfer_.layout();
    const VectorXcd z = response_.level(measure, row.peak.frequency) * transfer_.state(row.peak.frequency).col(0);
    const Complex turn = std::polar(1.0, -row.peak.phase);
    const VectorXd largest = ((measure.rows * z) * turn).real();
    const double square = largest.squaredNorm();
    if (!(square > 0)) return;
    VectorXd shares = VectorXd::Zero(layout.modes + 1);
    const VectorXcd turned = turn * z;
    for (int derivative = 0; derivative < 3; ++derivative) {
      const auto part = [&](int first, int count) -> VectorXd {
        const MatrixXcd each = measure.rows.middleCols(first, count) * turned.segment(first, count).asDiagonal();
        return each.real().transpose() * largest / square;
      };
      shares.head(layout.modes) += part(layout.modal(derivative), layout.modes);
      shares[layout.modes] += part(layout.base(derivative), layout.motions).sum();
    }
    row.shares = largest_shares(shares);
  }

  // Per unit acceleration of the input, at 0 Hz without damping; infinite where the base's own displacement counts, 0
  // of a velocity.
  [[nodiscard]] double static_answer(const Measure& measure) const {
    const StateLayout& layout = transfer_.layout();
    if (!measure.rows.middleCols(layout.base(0), 2L * layout.motions).isZero(0)) return HUGE_VAL;
    const VectorXcd q =
        (transfer_.basis().stiffness().cwiseInverse().asDiagonal() * transfer_.inputs().acceleration).col(0);
    const VectorXcd w = measure.rows.middleCols(layout.modal(0), layout.modes).real() * q +
                        measure.rows.middleCols(layout.base(2), layout.motions).real() * transfer_.inputs().base.col(0);
    return largest_over_phase(w);
  }

  void explain_sweep(const Measure& measure, SineRow& row) {
    row.sweep_parameter = std::nan("");
    if (!environment_.sweep_rate) return;
    const auto main = std::find_if(row.shares.begin(), row.shares.end(), [](const auto& s) { return s.first >= 0; });
    if (main == row.shares.end() || main->second < 0.1 || main->first >= transfer_.basis().with_mass()) return;
    const ModalDamping& damping = transfer_.damping();
    row.sweep_parameter = sweep_parameter(*environment_.sweep_rate, damping.amplification(main->first),
                                          transfer_.basis().frequency(main->first));
    if (row.sweep_parameter <= slow_sweep) return;
    if (!swept_)
      swept_.emplace(transfer_, response_.amplitude(), *environment_.sweep_rate, environment_.grid.from,
                     environment_.grid.to);
    row.swept = swept_->peak(measure, main->first);
  }

  const Transfer& transfer_;
  CoupledStates coupled_;
  const SineResponse& response_;
  const Environment& environment_;
  std::optional<SweptResponse> swept_;
};

bool contains(const std::vector<std::string>& list, const std::string& name) {
  return std::find(list.begin(), list.end(), name) != list.end();
}

WithStatic worst_with_static(const Environment& environment, const SineResponse& response, const Watched& watched,
                             SineResponse::Curves& curves, const StaticRow& still) {
  WithStatic result;
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

void run_sine(const Excited& excited, const std::vector<Watched>& watched, const Outcome* after, Outcome& outcome) {
  const Environment& environment = excited.environment;
  const SineResponse& response = *excited.sine;
  Reasons reasons(*excited.transfer, response, environment);
  std::optional<SineResponse::Curves> curves;  // of one request, which several quantities share
  for (std::size_t i = 0; i < watched.size(); ++i) {
    const Watched& each = watched[i];
    if (!curves || &curves->candidates() != each.candidates.get()) curves.emplace(response, *each.candidates);
    const auto [index, peak] = response.worst({*curves, each.first, each.count, each.quantity->per_input, {}, 1});
    const Measure worst = each.measure(index);
    SineRow row;
    row.peak = peak;
    row.where = worst.label;
    row.curve = curves->of(index).middleRows(each.first, each.count);
    if (worst.per_input)
      for (Index k = 0; k < row.curve.cols(); ++k)
        row.curve.col(k) /= environment.input.at(outcome.grid[static_cast<std::size_t>(k)]);
    reasons.explain(worst, each.is_headline(), row);
    if (after && contains(environment.with_static, each.name))
      row.with_static = worst_with_static(environment, response, each, *curves, after->steady[i]);
    outcome.sine.push_back(std::move(row));
  }
}

}  // namespace avrenk
