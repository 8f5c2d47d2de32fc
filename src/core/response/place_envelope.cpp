#include "core/response/place_envelope.h"

#include <algorithm>
#include <iterator>

namespace avrenk {
CurveStates::CurveStates(const CaseResponse& response, std::vector<double> frequencies)
    : load(response), grid(std::move(frequencies)) {
  if (grid.empty()) return;
  if (load.covariance) {
    roots = load.covariance->input.roots(grid);
    states = StateTable(*load.transfer, roots.frequencies, roots.columns);
    return;
  }
  states = StateTable(*load.transfer, grid, load.sine->drive().at(grid));
  levels = load.sine->drive().references(grid);
}

std::vector<double> envelope_of_place(const CurveStates& at, const Output& watched, std::vector<std::size_t>* leaders,
                                      const std::vector<std::size_t>& among) {
  const std::vector<double>& grid = at.grid;
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
  // Many candidates at once: what takes time is to read the states.
  constexpr std::size_t at_once = 64;
  std::vector<std::size_t> order{preferred};
  const auto follow = [&](std::size_t k) {
    if (k != preferred) order.push_back(k);
  };
  std::for_each(among.begin(), among.end(), follow);
  for (std::size_t k = 0; among.empty() && k < candidates.items.size(); ++k) follow(k);
  for (std::size_t first = 0; first < order.size(); first += at_once) {
    const std::size_t count = std::min(at_once, order.size() - first);
    Eigen::MatrixXcd rows(static_cast<Eigen::Index>(count) * watched.count, candidates.rows.cols());
    const auto own_rows = [&](auto& matrix, std::size_t k) {
      return matrix.middleRows(static_cast<Eigen::Index>(k) * watched.count, watched.count);
    };
    for (std::size_t k = 0; k < count; ++k)
      own_rows(rows, k) = candidates.of(candidates.rows, order[first + k]).middleRows(watched.first, watched.count);
    const Eigen::MatrixXcd all = at.states.times(rows);
    for (std::size_t k = 0; k < count; ++k) {
      candidate = order[first + k];
      if (at.load.covariance) {
        const std::vector<double> squares = squares_of_points(own_rows(all, k), at.roots.first);
        for (std::size_t p = 0; p < grid.size(); ++p) take(p, squares[p]);
        continue;
      }
      const auto w = own_rows(all, k);
      for (std::size_t p = 0; p < grid.size(); ++p) {
        const double value = largest_over_phase(w.col(static_cast<Eigen::Index>(p)));
        if (!watched.quantity->per_input())
          take(p, value);
        else if (at.levels[p] > 0)
          take(p, value / at.levels[p]);
      }
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

std::vector<double> envelope_of_place(const CaseResponse& load, const Output& watched,
                                      const std::vector<double>& grid) {
  return envelope_of_place(CurveStates(load, grid), watched);
}

namespace {

std::vector<double> every_fourth(const std::vector<double>& grid) {
  constexpr std::size_t step = 4;
  std::vector<double> some;
  for (std::size_t k = 0; k < grid.size(); k += step) some.push_back(grid[k]);
  return some;
}

}  // namespace

void PlaceDrawer::draw(const Output& watched, std::size_t row, bool exact) {
  constexpr std::size_t many = 100;
  const auto draw = [&](auto& own) {
    if (!own.of_place.empty() || watched.candidates->items.size() < 2 || watched.quantity->is_reciprocal) return;
    own.leaders.assign(1, own.candidate);
    std::vector<std::size_t> among;
    if (!exact && watched.candidates->items.size() > many) {
      if (!some_) some_.emplace(load_, every_fourth(results_.grid()));
      among = own.leaders;
      (void)envelope_of_place(*some_, watched, &among);
    }
    if (!whole_) whole_.emplace(load_, results_.grid());
    own.of_place = envelope_of_place(*whole_, watched, &own.leaders, among);
  };
  if (auto* const random = std::get_if<RandomAnswers>(&results_.answers)) {
    if (!watched.quantity->per_input()) draw(random->rows[row]);
  } else if (auto* const sine = std::get_if<SineAnswers>(&results_.answers)) {
    if (watched.quantity->has_meaning(load_.excitation->kind)) draw(sine->rows[row]);
  }
}

}  // namespace avrenk
