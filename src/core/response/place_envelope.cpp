#include "core/response/place_envelope.h"

#include <algorithm>

namespace avrenk {

std::vector<double> envelope_of_place(const CaseResponse& load, const Output& watched,
                                      const std::vector<double>& grid) {
  const Candidates& candidates = *watched.candidates;
  std::vector<double> largest(grid.size(), 0);
  const auto take = [&](std::size_t k, double value) { largest[k] = std::max(largest[k], value); };
  SpectralRoots roots;
  StateTable random_states;
  if (load.covariance) {
    roots = load.covariance->input.roots(grid);
    random_states = StateTable(*load.transfer, roots.frequencies, roots.columns);
  }
  for (std::size_t candidate = 0; candidate < candidates.items.size(); ++candidate) {
    const Eigen::MatrixXcd rows = candidates.of(candidates.rows, candidate).middleRows(watched.first, watched.count);
    if (load.covariance) {
      const std::vector<double> squares = squares_of_points(random_states.times(rows), roots.first);
      for (std::size_t k = 0; k < grid.size(); ++k) take(k, squares[k]);
      continue;
    }
    Eigen::MatrixXcd w = load.sine->curves(rows);
    if (watched.quantity->per_input()) load.sine->to_ratios(w);
    for (std::size_t k = 0; k < grid.size(); ++k) take(k, largest_over_phase(w.col(static_cast<Eigen::Index>(k))));
  }
  return largest;
}

}  // namespace avrenk
