#include "core/response/damping_rest.h"

#include "core/modes/damping.h"

namespace avrenk {

DampingRest rest_of_damping(const CaseResponse& response, const Output& watched, const CaseResults& results,
                            std::size_t row) {
  const ModalDamping& damping = response.transfer->damping();
  const OutputQuantity& quantity = *watched.quantity;
  const bool is_of_elements = (quantity.subject == Subject::spring || quantity.subject == Subject::joint ||
                               quantity.subject == Subject::part) &&
                              quantity.kind != &kind::length && quantity.kind != &kind::angle;
  if (!is_of_elements || !watched.is_headline() || (damping.rest_viscous.size() == 0 && damping.rest_loss.size() == 0))
    return {};
  double frequency = 0;
  Eigen::MatrixXcd state;
  std::size_t candidate = 0;
  if (const SineAnswers* const sine = results.sine()) {
    candidate = sine->rows[row].candidate;
    frequency = sine->rows[row].peak.frequency;
    state = response.sine->state(watched.measure(candidate), frequency);
  } else {
    const RandomRow& random = results.random()->rows[row];
    if (random.bands.empty()) return {};
    candidate = random.candidate;
    frequency = random.bands.front().frequency;
    state = response.transfer->state(frequency) * response.excitation->spectrum.root(frequency);
  }
  const Eigen::MatrixXcd rows = watched.measure(candidate).rows;
  const StateLayout& layout = response.transfer->layout();
  const auto of = [&](int derivative) { return state.middleRows(layout.modal(derivative), layout.modes); };
  Eigen::MatrixXcd rest = Eigen::MatrixXcd::Zero(layout.modes, state.cols());
  if (damping.rest_viscous.size() > 0) rest += damping.rest_viscous * of(1);
  if (damping.rest_loss.size() > 0) rest += imaginary * (damping.rest_loss * of(0));
  const double whole = (rows * state).norm();
  // The real part of rows on q is the elastic force, which is what a static load makes of the rest.
  const double part = (rows.middleCols(layout.modal(0), layout.modes).real() * rest).norm();
  return {whole > 0 ? part / whole : 0, frequency};
}

}  // namespace avrenk
