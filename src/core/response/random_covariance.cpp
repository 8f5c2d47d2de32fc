#include "core/response/random.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <boost/math/quadrature/gauss.hpp>
#include <cmath>

#include "core/dense.h"
#include "core/error.h"
#include "core/excitation/frequency_grid.h"
#include "core/modes/damping.h"
#include "core/parallel.h"
#include "core/quantity/quantity.h"

namespace avrenk {
namespace {

using Eigen::Index;
using Eigen::MatrixXcd;
using Eigen::MatrixXd;
using Eigen::VectorXcd;
using Eigen::VectorXd;

constexpr int most_halvings = 12;
constexpr double nothing = 1e-13;  // of the largest coordinate, times the condition of all: what rounding makes
constexpr double nothing_beside_springs = 1e-10;  // the same where a system of equations is solved at each frequency
constexpr double core_reach = 4;   // half-bandwidths around a resonance in which the phase is the variable
constexpr double widest_step = 2;  // of frequency, over one panel far from all resonances

using Panel = IntegrationPanel;

double frequency_on(const Panel& panel, double t) {
  return panel.ratio > 0 ? panel.resonance * (1 + panel.ratio * std::tan(t)) : std::exp(t);
}
double stretch_on(const Panel& panel, double t) {  // df/dt
  return panel.ratio > 0 ? panel.resonance * panel.ratio / std::pow(std::cos(t), 2) : std::exp(t);
}
std::pair<Panel, Panel> halves_of(const Panel& panel) {
  Panel first = panel, second = panel;
  first.to = second.from = 0.5 * (panel.from + panel.to);
  first.halvings = second.halvings = panel.halvings + 1;
  return {first, second};
}

void add_log_panels(std::vector<Panel>& panels, double from, double to, double centre, double half_width,
                    double inside) {
  // Panels from `from` to `to`, each at most as long as three times its distance from the resonance at `centre`.
  const double sign = to > from ? 1 : -1;
  double at = from;
  while (sign * (to - at) > 1e-12 * from) {
    const double reach = std::max(std::abs(at - centre), half_width);
    double next = at + sign * 3 * reach;
    next = std::clamp(next, at / widest_step, at * widest_step);
    if (sign * (to - next) < 0.3 * sign * (next - at)) next = to;
    panels.push_back({std::log(std::min(at, next)), std::log(std::max(at, next)), 0, 0, inside});
    at = next;
  }
}

// The part of one stretch that is nearest to one resonance.
void add_panels(std::vector<Panel>& panels, double from, double to, double resonance, double ratio, double inside) {
  const double half_width = core_reach * ratio * resonance;
  // Far below, where the base's own motion grows, ln f is the variable however wide the resonance is.
  const double low = std::clamp(std::max(resonance - half_width, resonance / widest_step), from, to),
               high = std::clamp(resonance + half_width, from, to);
  if (high > low) {
    const auto phase = [&](double f) { return std::atan((f / resonance - 1) / ratio); };
    const double middle = std::clamp(resonance, low, high);
    for (const auto& [a, b] : {std::pair{low, middle}, {middle, high}})
      if (b > a * (1 + 1e-13)) panels.push_back({phase(a), phase(b), resonance, ratio, inside});
  }
  if (low > from) add_log_panels(panels, low, from, resonance, half_width, inside);
  if (high < to) add_log_panels(panels, high, to, resonance, half_width, inside);
}

std::vector<Panel> first_panels(const Transfer& transfer, const SpectralMatrix& input,
                                const std::vector<double>& cuts) {
  std::vector<std::pair<double, double>> all = resonances(transfer.basis(), transfer.damping());
  std::erase_if(all, [&](const auto& r) { return !(r.second > 0) || r.first > 4 * input.to(); });
  std::vector<Panel> panels;
  std::vector<double> edges = input.edges();
  edges.insert(edges.end(), cuts.begin(), cuts.end());
  if (const auto& springs = transfer.damping().springs)
    for (const double f : springs->breakpoints()) edges.push_back(f);
  edges = once_inside(std::move(edges), input.from(), input.to());
  for (std::size_t k = 0; k + 1 < edges.size(); ++k) {
    double from = edges[k];
    const double last = edges[k + 1], inside = 0.5 * (from + last);
    for (std::size_t r = 0; r < all.size(); ++r) {
      const double end = r + 1 < all.size() ? 0.5 * (all[r].first + all[r + 1].first) : last;
      const double to = std::min(end, last);
      if (to <= from * (1 + 1e-13)) continue;
      add_panels(panels, from, to, all[r].first, std::min(all[r].second, 0.5), inside);
      from = to;
    }
    if (last > from * (1 + 1e-13)) add_log_panels(panels, from, last, 0, from, inside);
  }
  return panels;
}

// Eight Gauss–Legendre points, ascending, and their weights.
void append_points(const Panel& panel, IntegrationRule& rule) {
  using Rule = boost::math::quadrature::gauss<double, 8>;
  const double middle = 0.5 * (panel.from + panel.to), half = 0.5 * (panel.to - panel.from);
  const std::size_t points = Rule::abscissa().size();  // of the upper half
  const auto append = [&](double side, std::size_t g) {
    const double t = middle + side * half * Rule::abscissa()[g];
    rule.frequency.push_back(frequency_on(panel, t));
    rule.weight.push_back(half * Rule::weights()[g] * stretch_on(panel, t));
  };
  for (std::size_t g = points; g-- > 0;) append(-1, g);
  for (std::size_t g = 0; g < points; ++g) append(1, g);
}

// What says whether panels are fine enough: mean squares of the damped coordinates with ω^0, ω^2, ω^4, of the base's
// own motion, and of the loads as they are applied.
VectorXd mean_squares(const Transfer& transfer, const SpectralMatrix& input, const Panel& panel) {
  IntegrationRule rule;
  append_points(panel, rule);
  const InputColumns& inputs = transfer.inputs();
  VectorXd points;
  for (std::size_t k = 0; k < rule.frequency.size(); ++k) {
    const double omega2 = std::pow(2 * pi * rule.frequency[k], 2), weight = rule.weight[k];
    const MatrixXcd root = input.root(rule.frequency[k], panel.inside);
    const VectorXd square = (weight * transfer.squares(rule.frequency[k], root)).matrix();
    const double base = weight * (inputs.base * root).squaredNorm();
    const Index m = square.size();
    if (k == 0) points = VectorXd::Zero(3 * m + 4);
    points.head(m) += square;
    points.segment(m, m) += omega2 * square;
    points.segment(2 * m, m) += omega2 * omega2 * square;
    points.segment<3>(3 * m) += base * Vector3(1 / (omega2 * omega2), 1 / omega2, 1);
    points[3 * m + 3] += weight * inputs.applied(root).squaredNorm();
  }
  return points;
}

// i^power
Complex turn(int power) {
  constexpr Complex turns[] = {{1, 0}, {0, 1}, {-1, 0}, {0, -1}};
  return turns[((power % 4) + 4) % 4];
}

// G_k = ∫ ω^k q qᴴ, k = 0..4, in real arithmetic: with q = a + ib: G = aaᵀ + bbᵀ + i(baᵀ − abᵀ). In stretches that do
// not depend on the number of threads, each a few columns at a time, that all powers are taken of while they are near.
std::array<MatrixXcd, 5> moments_of(const StateTable& states, const Eigen::RowVectorXd& omega, int threads) {
  constexpr std::size_t stretches = 8;
  constexpr Index columns_at_once = 256;
  const MatrixXd& sides = states.coordinates_side_by_side();  // a, then b
  const Index m = sides.rows(), columns = omega.size();
  struct Sums {
    std::array<MatrixXd, 5> real, cross;  // lower half; b aᵀ
  };
  std::vector<Sums> sums(stretches);
  run_jobs(stretches, threads, [&](std::size_t stretch) {
    Sums& of_stretch = sums[stretch];
    of_stretch.real.fill(MatrixXd::Zero(m, m));
    of_stretch.cross.fill(MatrixXd::Zero(m, m));
    const auto border = [&](std::size_t k) { return columns * static_cast<Index>(k) / static_cast<Index>(stretches); };
    for (Index first = border(stretch), end = border(stretch + 1); first < end; first += columns_at_once) {
      const Index count = std::min(columns_at_once, end - first);
      MatrixXd weighted(m, 2 * count);  // times ω^{power/2}
      weighted << sides.middleCols(first, count), sides.middleCols(columns + first, count);
      const Eigen::RowVectorXd roots = omega.segment(first, count).cwiseSqrt().replicate(1, 2);
      for (std::size_t power = 0; power < of_stretch.real.size(); ++power) {
        if (power > 0) weighted.array().rowwise() *= roots.array();
        add_self_product(of_stretch.real[power], weighted);
        of_stretch.cross[power].noalias() += weighted.rightCols(count) * weighted.leftCols(count).transpose();
      }
    }
  });
  std::array<MatrixXcd, 5> moments;
  for (std::size_t power = 0; power < moments.size(); ++power) {
    MatrixXd real = MatrixXd::Zero(m, m), cross = real;
    for (const Sums& own : sums) {
      real += own.real[power];
      cross += own.cross[power];
    }
    moments[power].resize(m, m);
    mirror_lower(real);
    moments[power].real() = real;
    moments[power].imag() = cross - cross.transpose();
  }
  return moments;
}

// Γ: block (d, e) of the modal part is i^d (−i)^e G_{d+e}. `states` holds the columns times the roots of the weights,
// as does `roots`.
MatrixXcd assemble_gamma(const Transfer& transfer, const SpectralRoots& roots, const StateTable& states, int threads) {
  const StateLayout& layout = transfer.layout();
  const Index m = layout.modes, n = layout.motions, loads = layout.loads, columns = roots.columns.cols();
  const Eigen::RowVectorXd omega = 2 * pi * Eigen::Map<const Eigen::RowVectorXd>(roots.frequencies.data(), columns);
  const MatrixXcd q = states.coordinates(), applied = states.loads();
  MatrixXcd gamma = MatrixXcd::Zero(layout.size(), layout.size());
  const std::array<MatrixXcd, 5> moments = moments_of(states, omega, threads);
  for (int d = 0; d < 3; ++d)
    for (int e = 0; e < 3; ++e)
      gamma.block(layout.modal(d), layout.modal(e), m, m) = turn(d - e) * moments[static_cast<std::size_t>(d + e)];
  std::array<Eigen::RowVectorXd, 9> powers;  // ω^-4 to ω^4
  powers[4] = Eigen::RowVectorXd::Ones(columns);
  for (std::size_t p = 1; p < 5; ++p) {
    powers[4 + p] = powers[3 + p].cwiseProduct(omega);
    powers[4 - p] = powers[5 - p].cwiseQuotient(omega);
  }
  // Σ i^j (−i)^k ω^{j+k} left rightᴴ: block of what goes with (iω)^j and (iω)^k.
  const auto sum = [&](const MatrixXcd& left, int j, const MatrixXcd& right, int k) -> MatrixXcd {
    // The right side has few rows.
    const MatrixXcd scaled = right * powers[static_cast<std::size_t>(4 + j + k)].cast<Complex>().asDiagonal();
    return turn(j - k) * (left * scaled.adjoint());
  };
  const auto put = [&](Index row, Index column, const MatrixXcd& block) {
    gamma.block(row, column, block.rows(), block.cols()) = block;
    gamma.block(column, row, block.cols(), block.rows()) = block.adjoint();
  };
  // The bases' motion is (iω)^{e−2} times their acceleration.
  if (const MatrixXcd base = transfer.inputs().base * roots.columns; n > 0 && !base.isZero(0))
    for (int d = 0; d < 3; ++d)
      for (int e = 0; e < 3; ++e) {
        put(layout.modal(d), layout.base(e), sum(q, d, base, e - 2));
        gamma.block(layout.base(d), layout.base(e), n, n) = sum(base, d - 2, base, e - 2);
        if (d == 0 && loads > 0) put(layout.base(e), layout.load(), sum(base, e - 2, applied, 0));
      }
  if (loads > 0 && !applied.isZero(0)) {
    for (int d = 0; d < 3; ++d) put(layout.modal(d), layout.load(), sum(q, d, applied, 0));
    gamma.block(layout.load(), layout.load(), loads, loads) = sum(applied, 0, applied, 0);
  }
  return gamma;
}

// Rule, states and Γ of the panels.
void assemble(const Transfer& transfer, ModalCovariance& result, int threads) {
  result.rule = {};
  SpectralRoots roots;
  std::vector<MatrixXcd> blocks;
  for (const Panel& panel : result.panels) {
    const std::size_t begin = result.rule.frequency.size();
    append_points(panel, result.rule);
    for (std::size_t k = begin; k < result.rule.frequency.size(); ++k) {
      const double f = result.rule.frequency[k];
      blocks.push_back(std::sqrt(result.rule.weight[k]) * result.input.root(f, panel.inside));
      roots.first.push_back(static_cast<Index>(roots.frequencies.size()));
      roots.frequencies.insert(roots.frequencies.end(), static_cast<std::size_t>(blocks.back().cols()), f);
    }
  }
  roots.first.push_back(static_cast<Index>(roots.frequencies.size()));
  roots.columns.resize(result.input.size(), roots.first.back());
  for (std::size_t k = 0; k < blocks.size(); ++k)
    roots.columns.middleCols(roots.first[k], blocks[k].cols()) = blocks[k];
  result.states = StateTable(transfer, roots.frequencies, roots.columns);
  result.gamma = assemble_gamma(transfer, roots, result.states, threads);
  result.roots = std::move(roots);
}

}  // namespace

ModalCovariance integrate_covariance(const Transfer& transfer, const SpectralMatrix& input,
                                     const std::vector<double>& cuts, int threads) {
  // Panels are as narrow as a turn of the phase: more of them take minutes and gigabytes.
  constexpr double most_turns = 1e5;
  if (const double turns = input.turns(); turns > most_turns)
    throw NumericalError(fmt::format(
        "inputs come so much later than others that their phases turn {:.3g} times over the band, and {:.0e} "
        "times can be integrated; look at the speed of the wave",
        turns, most_turns));
  // Mean squares cost little: they say which panels are fine enough before the whole matrix is assembled once.
  std::vector<Panel> open = first_panels(transfer, input, cuts), done;
  const auto mean_squares_of = [&](const std::vector<Panel>& panels) {
    std::vector<VectorXd> all(panels.size());
    run_jobs(panels.size(), threads, [&](std::size_t i) { all[i] = mean_squares(transfer, input, panels[i]); });
    return all;
  };
  std::vector<VectorXd> coarse = mean_squares_of(open);
  VectorXd total = coarse.front();
  for (std::size_t i = 1; i < coarse.size(); ++i) total += coarse[i];
  ModalCovariance result;
  result.input = input;
  VectorXd change = VectorXd::Zero(total.size());
  const double allowed = 0.1 * covariance_tolerance / std::sqrt(static_cast<double>(open.size()));
  // A coordinate that nothing drives is what rounding leaves of the others: noise that no panel resolves. What a row
  // makes of those that cancel is judged by itself, in run_random.
  const double rounding = std::pow(
      (transfer.damping().springs ? nothing_beside_springs : nothing) * transfer.damping().modes.condition(), 2);
  // What roots leave out makes noise of this size, beside which a weak coordinate cannot settle by itself.
  const double noise = input.left_out() / (0.1 * covariance_tolerance);
  const auto relative = [&](const VectorXd& part) {
    const Index m = (total.size() - 4) / 3;
    double worst = 0;
    const auto compare = [&](Index first, Index count, double floor) {
      const double largest = total.segment(first, count).maxCoeff();
      for (Index i = first; i < first + count; ++i)
        if (total[i] > floor * largest)
          worst = std::max(worst, std::abs(part[i]) / std::max(total[i], noise * largest));
    };
    for (Index first = 0; m > 0 && first < 3 * m; first += m) compare(first, m, rounding);
    for (Index own = 3 * m; own < 3 * m + 4; ++own) compare(own, 1, 0);  // the base's own motion, and the loads
    return worst;
  };
  while (!open.empty()) {
    std::vector<Panel> halves;
    for (const Panel& panel : open) {
      const auto [first, second] = halves_of(panel);
      halves.insert(halves.end(), {first, second});
    }
    const std::vector<VectorXd> of_halves = mean_squares_of(halves);
    std::vector<Panel> next;
    std::vector<VectorXd> of_next;
    for (std::size_t i = 0; i < open.size(); ++i) {
      const VectorXd difference = of_halves[2 * i] + of_halves[2 * i + 1] - coarse[i];
      if (relative(difference) <= allowed || open[i].halvings == most_halvings) {
        change += difference;
        done.push_back(open[i]);
        continue;
      }
      total += difference;
      for (const std::size_t half : {2 * i, 2 * i + 1}) {
        next.push_back(halves[half]);
        of_next.push_back(of_halves[half]);
      }
    }
    open = std::move(next);
    coarse = std::move(of_next);
  }
  result.error = relative(change);
  if (result.error > covariance_tolerance)
    throw NumericalError(
        fmt::format("the RMS integral did not settle: a change of {:.1e} is left where {:.0e} is asked for",
                    result.error, covariance_tolerance));
  std::sort(done.begin(), done.end(),
            [](const Panel& a, const Panel& b) { return frequency_on(a, a.from) < frequency_on(b, b.from); });
  result.panels = std::move(done);
  assemble(transfer, result, threads);
  return result;
}

std::vector<double> squares_of_points(const MatrixXcd& w, const std::vector<Index>& first) {
  std::vector<double> squares(first.size() - 1);
  for (std::size_t k = 0; k < squares.size(); ++k)
    squares[k] = w.middleCols(first[k], first[k + 1] - first[k]).squaredNorm();
  return squares;
}

void refine(const Transfer& transfer, const std::vector<bool>& panels, ModalCovariance& covariance, int threads) {
  std::vector<Panel> finer;
  for (std::size_t i = 0; i < panels.size(); ++i) {
    const Panel& panel = covariance.panels[i];
    if (!panels[i]) {
      finer.push_back(panel);
      continue;
    }
    const auto [first, second] = halves_of(panel);
    finer.insert(finer.end(), {first, second});
  }
  covariance.panels = std::move(finer);
  assemble(transfer, covariance, threads);
}

}  // namespace avrenk
