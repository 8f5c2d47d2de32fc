#include "core/modes/normal_modes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "core/clock.h"
#include "core/error.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

constexpr int one_slice = 400;        // up to so many modes from one shift: a further factorisation gains nothing
constexpr int modes_per_slice = 200;  // of a wider band

double hertz(double value) { return std::sqrt(std::max(0.0, value)) / (2 * pi); }

}  // namespace

NormalModes::NormalModes(const SparseMatrix& stiffness, const SparseMatrix& mass, const EliminationOrder& order,
                         int threads, Progress progress)
    : shapes(mass.rows(), 0),
      stiffness_(stiffness),
      mass_(mass),
      order_(order),
      product_(mass, threads),
      progress_(std::move(progress)) {}

Factorisation NormalModes::factorise(double shift) {
  report_progress(progress_, fmt::format("counting the modes below {:.6g} Hz", hertz(shift)), -1,
                  factor_seconds_ > 0 ? factor_seconds_ : -1);
  const StopWatch watch;
  Factorisation shifted(stiffness_ - shift * mass_, order_);
  factor_seconds_ = watch.seconds();
  count_seconds += factor_seconds_;
  slices.push_back({shift, shifted.negative_pivots(), 0, factor_seconds_});
  return shifted;
}

int NormalModes::count_below(double value) { return factorise(value).negative_pivots(); }

int NormalModes::found_below(double value) const {
  return static_cast<int>(std::lower_bound(values.begin(), values.end(), value) - values.begin());
}

int NormalModes::wanted() const { return range_.count ? *range_.count : counted_below; }

void NormalModes::search(const Factorisation& shifted, double shift, int expected, const Judge& judge) {
  const StopWatch watch;
  const int before = static_cast<int>(values.size()), all = std::max(wanted(), before + expected);
  LanczosRequest request;
  request.shift = shift;
  request.expected = expected;
  request.known = before > 0 ? &shapes : nullptr;
  int now = before;
  request.judge = [&](std::span<const double> found) {
    now = std::min(all, before + static_cast<int>(found.size()));
    return judge(found);
  };
  // About as many columns are needed as this: 200 to 280 for 60 modes, 590 to 820, in wider blocks, for 200.
  const double needed = (expected > 100 ? 3 : 2.3) * expected + 100;
  request.grown = [&](int columns) {
    const double later = range_.count ? factor_seconds_ : 0;  // the count at the upper end
    const double rest = watch.seconds() * std::max(0.05, needed / columns - 1);
    report_progress(progress_, fmt::format("modes: {} of {} converged", now, all), std::min(0.99, columns / needed),
                    rest + later);
  };
  EigenPairs pairs = modes_near_shift(shifted, product_, request);
  exhausted = exhausted || pairs.exhausted;
  cost += pairs.cost;
  if (!slices.empty() && slices.back().shift == shift) slices.back().found = static_cast<int>(pairs.values.size());
  add(std::move(pairs));
  search_seconds += watch.seconds();
}

void NormalModes::add(EigenPairs&& pairs) {
  const Index before = values.size(), more = pairs.values.size();
  VectorXd more_values(before + more);
  more_values << values, pairs.values;
  values = more_values;
  std::sort(values.begin(), values.end());
  if (before == 0 && values == pairs.values) {  // as a rule; large shapes are not copied then
    shapes = std::move(pairs.vectors);
    return;
  }
  std::vector<Index> order(static_cast<std::size_t>(more_values.size()));
  std::iota(order.begin(), order.end(), Index{0});
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return more_values[a] < more_values[b]; });
  MatrixXd sorted(shapes.rows(), before + more);
  for (Index j = 0; j < before + more; ++j) {
    const Index from = order[static_cast<std::size_t>(j)];
    sorted.col(j) = from < before ? shapes.col(from) : pairs.vectors.col(from - before);
  }
  shapes = std::move(sorted);
}

void NormalModes::keep(Index first, Index count) {
  if (first == 0 && count == values.size()) return;
  values = values.segment(first, count).eval();
  shapes = shapes.middleCols(first, count).eval();
}

void NormalModes::begin(const Factorisation& shifted, double shift, const ModeRange& range) {
  range_ = range;
  least_count_ = free_motion_part * std::max(0.0, -shift);
  if (range.below) {
    proven_below = *range.below;
    counted_below = slices.back().below;
    if (counted_below == 0) range_ = {std::nullopt, 1};  // the first mode is shown though it lies above
  }
  const int count = wanted();
  const int target = count <= one_slice ? count : modes_per_slice;
  search(shifted, shift, target, [&](std::span<const double> found) {
    const auto inside = range_.below
                            ? std::count_if(found.begin(), found.end(), [&](double v) { return v < *range_.below; })
                            : static_cast<std::ptrdiff_t>(found.size());
    if (inside >= target) return Search::enough;
    return inside < static_cast<std::ptrdiff_t>(found.size()) ? Search::look_again : Search::go_on;
  });
  // The nearest modes are the lowest: those further up are kept as far as they are wanted.
  keep(0, std::min<Index>(values.size(), range_.below ? found_below(*range_.below) : target));
}

double NormalModes::next_shift() const {
  const auto last = values.size() - 1, back = std::max<Index>(0, last - modes_per_slice / 2);
  const double highest = std::sqrt(values[last]);
  const double spacing =
      (highest - std::sqrt(std::max(0.0, values[back]))) / static_cast<double>(std::max<Index>(1, last - back));
  const int left = wanted() - static_cast<int>(values.size());
  double ahead = 0.5 * std::min(left, modes_per_slice) * spacing;
  if (range_.below) ahead = std::min(ahead, 0.5 * (std::sqrt(*range_.below) - highest));
  return std::pow(highest + std::max(ahead, 1e-6 * highest), 2);
}

// A factor on the λ of a mode that takes it past what rounding may shift it by: the 4ε φᵀDφ of frequency_rounding() and
// as much again for the factor, three times.
double NormalModes::just_above(Index mode) const {
  constexpr double least = 2e-6, epsilon = std::numeric_limits<double>::epsilon();
  const double size = shapes.col(mode).cwiseAbs2().dot(stiffness_.diagonal().cwiseAbs());
  return 1 + std::max(least, values[mode] == 0 ? 0 : 24 * epsilon * size / std::abs(values[mode]));
}

// All modes below the shift, and at least `above` more.
void NormalModes::close(double shift, int above) {
  const Factorisation shifted = factorise(shift);
  const int below = slices.back().below, missing = below - found_below(shift);
  if (missing < 0)
    throw NumericalError(fmt::format("{} modes are found below {:.6g} Hz, and the pivots count {}", found_below(shift),
                                     hertz(shift), below));
  if (missing > 0 || above > 0) {
    const double top = range_.below.value_or(std::numeric_limits<double>::infinity());
    search(shifted, shift, missing + above, [&](std::span<const double> found) {
      const auto lower = std::count_if(found.begin(), found.end(), [&](double v) { return v < shift; });
      const auto upper = std::count_if(found.begin(), found.end(), [&](double v) { return v >= shift && v < top; });
      if (lower >= missing && upper >= above) return Search::enough;
      const double reach = found.empty() ? 0 : std::abs(found.back() - shift);
      const bool passed_lower = lower < missing && reach > shift - complete_below_;
      const bool passed_upper = upper < above && reach > top - shift;
      return passed_lower || passed_upper ? Search::look_again : Search::go_on;
    });
  }
  if (found_below(shift) != below)
    throw NumericalError(fmt::format("the pivots count {} modes below {:.6g} Hz, and {} are found", below, hertz(shift),
                                     found_below(shift)));
  complete_below_ = shift;
  if (range_.below) {
    keep(0, found_below(*range_.below));
  } else {
    proven_below = shift;
    counted_below = below;
  }
}

void NormalModes::complete() {
  constexpr int most_slices = 1000;
  for (int slice = 0; slice < most_slices; ++slice) {
    const int found = static_cast<int>(values.size());
    if (range_.below && found >= counted_below) {
      if (found > counted_below)
        throw NumericalError(fmt::format("{} modes are found below {:.6g} Hz, and the pivots count {}", found,
                                         hertz(*range_.below), counted_below));
      return;
    }
    if (exhausted || (range_.count && found >= *range_.count)) {
      if (range_.count) keep(0, std::min<Index>(values.size(), *range_.count));
      if (values.size() == 0) return;
      const Index last = values.size() - 1;
      close(std::max(values[last] * just_above(last), least_count_), 0);
      return keep(0, counted_below);
    }
    close(next_shift(), std::min(wanted() - found, modes_per_slice) / 2);
  }
  throw NumericalError("the band of modes needs too many slices");
}

void NormalModes::find_nearest(double value, int count) {
  range_ = {};
  {
    const Factorisation shifted = factorise(value);
    // The search goes by λ: all within a distance of ω are there once the reach in λ covers it above.
    const double middle = std::sqrt(value);
    const auto within = [&](std::span<const double> found, double distance) {
      return std::count_if(found.begin(), found.end(),
                           [&](double v) { return std::abs(std::sqrt(std::max(0.0, v)) - middle) <= distance; });
    };
    search(shifted, value, count, [&](std::span<const double> found) {
      if (found.empty()) return Search::go_on;
      const double reach = std::sqrt(value + std::abs(found.back() - value)) - middle;
      return within(found, reach) >= count ? Search::enough : Search::go_on;
    });
    if (values.size() == 0) return;
    std::vector<double> distances;
    for (const double v : values) distances.push_back(std::abs(std::sqrt(std::max(0.0, v)) - middle));
    std::sort(distances.begin(), distances.end());
    const double farthest = distances[std::min(distances.size(), static_cast<std::size_t>(count)) - 1];
    const double wider = just_above(0);  // the softest: of the others rounding is less
    const Index first = found_below(std::pow(std::max(0.0, middle - farthest), 2) / wider);
    keep(first, found_below(std::pow(middle + farthest, 2) * wider) - first);
  }
  // Those of one frequency cut apart at either end are told by the pivots there.
  for (int round = 0; round < 8; ++round) {
    const Index last = values.size() - 1;
    const double low = values[0] / just_above(0), high = values[last] * just_above(last);
    const int below = count_below(low), upto = count_below(high);
    const int missing = upto - below - static_cast<int>(values.size());
    if (missing < 0) throw NumericalError("more modes are found than the pivots count");
    missing_below = below;
    proven_below = high;
    counted_below = upto;
    if (missing == 0) return;
    const Factorisation shifted = factorise(value);
    search(shifted, value, missing, [&](std::span<const double> found) {
      const auto inside = std::count_if(found.begin(), found.end(), [&](double v) { return v >= low && v <= high; });
      return inside >= missing                                      ? Search::enough
             : found.size() > static_cast<std::size_t>(2 * missing) ? Search::look_again
                                                                    : Search::go_on;
    });
    const Index first = found_below(low), end = found_below(high);
    keep(first, end - first);
  }
  throw NumericalError("the pivot count shows a mode that the eigen-solver does not find");
}

}  // namespace avrenk
