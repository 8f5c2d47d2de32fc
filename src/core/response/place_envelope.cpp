#include "core/response/place_envelope.h"

#include <algorithm>

namespace avrenk {

std::vector<double> envelope_of_place(const CaseResponse& load, const Output& watched,
                                      const std::vector<double>& grid) {
  const Candidates& candidates = *watched.candidates;
  std::vector<double> largest(grid.size(), 0);
  const auto take = [&](std::size_t k, double value) { largest[k] = std::max(largest[k], value); };
  if (grid.empty()) return largest;
  SpectralRoots roots;
  StateTable states;
  if (load.covariance) {
    roots = load.covariance->input.roots(grid);
    states = StateTable(*load.transfer, roots.frequencies, roots.columns);
  } else if (grid != load.grid) {
    states = StateTable(*load.transfer, grid, load.sine->drive().at(grid));
  }
  const std::vector<double> levels = load.sine ? load.sine->drive().references(grid) : std::vector<double>();
  for (std::size_t candidate = 0; candidate < candidates.items.size(); ++candidate) {
    const Eigen::MatrixXcd rows = candidates.of(candidates.rows, candidate).middleRows(watched.first, watched.count);
    if (load.covariance) {
      const std::vector<double> squares = squares_of_points(states.times(rows), roots.first);
      for (std::size_t k = 0; k < grid.size(); ++k) take(k, squares[k]);
      continue;
    }
    const Eigen::MatrixXcd w = grid == load.grid ? load.sine->curves(rows) : states.times(rows);
    for (std::size_t k = 0; k < grid.size(); ++k) {
      const double value = largest_over_phase(w.col(static_cast<Eigen::Index>(k)));
      if (!watched.quantity->per_input())
        take(k, value);
      else if (levels[k] > 0)
        take(k, value / levels[k]);
    }
  }
  return largest;
}

}  // namespace avrenk
