#include "core/response/place_envelope.h"

#include <algorithm>
#include <iterator>

namespace avrenk {

std::vector<double> envelope_of_place(const CaseResponse& load, const Output& watched, const std::vector<double>& grid,
                                      std::vector<std::size_t>* leaders) {
  constexpr double rounding = 1e-9;
  const Candidates& candidates = *watched.candidates;
  std::vector<double> largest(grid.size(), 0);
  std::vector<std::size_t> followed(leaders ? grid.size() : 0, 0);  // at each point
  const std::size_t preferred = leaders && !leaders->empty() ? leaders->front() : 0;
  std::size_t candidate = preferred;
  const auto take = [&](std::size_t k, double value) {
    if (leaders && value > largest[k] * (followed[k] == preferred ? 1 + rounding : 1)) followed[k] = candidate;
    largest[k] = std::max(largest[k], value);
  };
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
  for (std::size_t turn = 0; turn < candidates.items.size(); ++turn) {  // the preferred one first
    candidate = turn == 0 ? preferred : turn - (turn <= preferred ? 1 : 0);
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
  if (leaders) {
    leaders->assign(1, preferred);
    std::sort(followed.begin(), followed.end());
    followed.erase(std::unique(followed.begin(), followed.end()), followed.end());
    std::copy_if(followed.begin(), followed.end(), std::back_inserter(*leaders),
                 [&](std::size_t each) { return each != preferred; });
  }
  return largest;
}

void draw_place(const CaseResponse& load, const Output& watched, std::size_t row, CaseResults& results) {
  const auto draw = [&](auto& own) {
    if (!own.of_place.empty() || watched.candidates->items.size() < 2 || watched.quantity->is_reciprocal) return;
    own.leaders.assign(1, own.candidate);
    own.of_place = envelope_of_place(load, watched, results.grid(), &own.leaders);
  };
  if (auto* const random = std::get_if<RandomAnswers>(&results.answers)) {
    if (!watched.quantity->per_input()) draw(random->rows[row]);
  } else if (auto* const sine = std::get_if<SineAnswers>(&results.answers)) {
    if (watched.quantity->has_meaning(load.excitation->kind)) draw(sine->rows[row]);
  }
}

}  // namespace avrenk
