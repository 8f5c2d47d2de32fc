#include "core/response/cross_spectrum.h"

#include <fmt/format.h>

#include "core/error.h"
#include "core/response/explanation.h"

namespace avrenk {

using Eigen::Index;
using Eigen::MatrixXcd;

double CrossSpectrum::coherence(std::size_t point) const {
  return std::norm(cross[point]) / (psd[0][point] * psd[1][point]);
}

CrossSpectrum cross_spectrum(const CrossRequest& request, const CaseResponse& excited,
                             const std::vector<Output>& watched, const CaseResults& outcome) {
  CrossSpectrum spectrum{&request, excited.excitation, {}, outcome.grid(), {}, {}, 0};
  const Transfer& transfer = *excited.transfer;
  MatrixXcd rows(2, transfer.layout().size());
  for (std::size_t k = 0; k < 2; ++k) {
    const Output* const what = find_output(watched, request.of[k]);
    if (!what || !what->is_gaussian() || !outcome.has(*what))
      throw_input_error("cross spectrum " + request.name,
                        fmt::format("\"{}\" is no single number under a random input", request.of[k]),
                        "name a component, as in tip.acceleration.z");
    const RandomRow& row = outcome.random()->rows[static_cast<std::size_t>(what - watched.data())];
    rows.row(static_cast<Index>(k)) = what->measure(first_largest(row.candidate_rms)).rows;
    spectrum.kinds[k] = what->quantity->kind;
  }
  const SpectralRoots roots = excited.covariance->input.roots(spectrum.grid);
  const MatrixXcd w = StateTable(transfer, roots.frequencies, roots.columns).times(rows);
  for (std::size_t p = 0; p < spectrum.grid.size(); ++p) {
    const auto own = w.middleCols(roots.first[p], roots.first[p + 1] - roots.first[p]);
    spectrum.psd[0].push_back(own.row(0).squaredNorm());
    spectrum.psd[1].push_back(own.row(1).squaredNorm());
    spectrum.cross.push_back(own.row(0).conjugate().cwiseProduct(own.row(1)).sum());
  }
  // At one instant by the points of the integration, not by those of the curve.
  const MatrixXcd at_rule = excited.covariance->states.times(rows);
  const double sizes = at_rule.row(0).norm() * at_rule.row(1).norm();
  spectrum.correlation = sizes > 0 ? at_rule.row(0).conjugate().cwiseProduct(at_rule.row(1)).real().sum() / sizes : 0;
  return spectrum;
}

}  // namespace avrenk
