#include "core/response/place_envelope.h"

#include <algorithm>

namespace avrenk {

std::vector<double> envelope_of_place(const Excited& load, const Watched& watched, const std::vector<double>& grid) {
  const Transfer& transfer = *load.transfer;
  const Candidates& all = *watched.candidates;
  std::vector<double> largest(grid.size(), 0);
  const auto take = [&](std::size_t k, double value) { largest[k] = std::max(largest[k], value); };
  SpectralRoots roots;
  if (load.covariance) {
    roots = load.covariance->input.roots(grid);
  } else {
    roots.frequencies = grid;
    roots.columns.resize(load.excitation->drive.at(grid.front()).size(), static_cast<Eigen::Index>(grid.size()));
    for (std::size_t k = 0; k < grid.size(); ++k)
      roots.columns.col(static_cast<Eigen::Index>(k)) = load.excitation->drive.at(grid[k]);
  }
  const StateTable states(transfer, roots.frequencies, roots.columns);
  for (std::size_t candidate = 0; candidate < all.items.size(); ++candidate) {
    const Eigen::MatrixXcd w = states.times(all.of(all.rows, candidate).middleRows(watched.first, watched.count));
    if (load.covariance) {
      const std::vector<double> squares = squares_of_points(w, roots.first);
      for (std::size_t k = 0; k < grid.size(); ++k) take(k, squares[k]);
      continue;
    }
    for (std::size_t k = 0; k < grid.size(); ++k) take(k, largest_over_phase(w.col(static_cast<Eigen::Index>(k))));
  }
  if (watched.quantity->per_input())
    for (std::size_t k = 0; k < grid.size(); ++k) largest[k] /= load.excitation->reference(grid[k]);
  return largest;
}

}  // namespace avrenk
