#include "core/response/random.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <boost/math/quadrature/gauss.hpp>
#include <cmath>

#include "core/error.h"
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
                    const PowerLaw* input) {
  // Panels from `from` to `to`, each at most as long as three times its distance from the resonance at `centre`.
  const double sign = to > from ? 1 : -1;
  double at = from;
  while (sign * (to - at) > 1e-12 * from) {
    const double reach = std::max(std::abs(at - centre), half_width);
    double next = at + sign * 3 * reach;
    next = std::clamp(next, at / widest_step, at * widest_step);
    if (sign * (to - next) < 0.3 * sign * (next - at)) next = to;
    panels.push_back({std::log(std::min(at, next)), std::log(std::max(at, next)), 0, 0, input});
    at = next;
  }
}

// The part of one stretch that is nearest to one resonance.
void add_panels(std::vector<Panel>& panels, double from, double to, double resonance, double ratio,
                const PowerLaw* input) {
  const double half_width = core_reach * ratio * resonance;
  // Far below, where the base's own motion grows, ln f is the variable however wide the resonance is.
  const double low = std::clamp(std::max(resonance - half_width, resonance / widest_step), from, to),
               high = std::clamp(resonance + half_width, from, to);
  if (high > low) {
    const auto phase = [&](double f) { return std::atan((f / resonance - 1) / ratio); };
    const double middle = std::clamp(resonance, low, high);
    for (const auto& [a, b] : {std::pair{low, middle}, {middle, high}})
      if (b > a * (1 + 1e-13)) panels.push_back({phase(a), phase(b), resonance, ratio, input});
  }
  if (low > from) add_log_panels(panels, low, from, resonance, half_width, input);
  if (high < to) add_log_panels(panels, high, to, resonance, half_width, input);
}

std::vector<Panel> first_panels(const Transfer& transfer, const LogLogTable& input) {
  std::vector<std::pair<double, double>> all = resonances(transfer.basis(), transfer.damping());
  std::erase_if(all, [&](const auto& r) { return !(r.second > 0) || r.first > 4 * input.to(); });
  std::vector<Panel> panels;
  for (const PowerLaw& stretch : input.stretches()) {
    double from = stretch.f1;
    for (std::size_t r = 0; r < all.size(); ++r) {
      const double end = r + 1 < all.size() ? 0.5 * (all[r].first + all[r + 1].first) : stretch.f2;
      const double to = std::min(end, stretch.f2);
      if (to <= from * (1 + 1e-13)) continue;
      add_panels(panels, from, to, all[r].first, std::min(all[r].second, 0.5), &stretch);
      from = to;
    }
    if (stretch.f2 > from * (1 + 1e-13)) add_log_panels(panels, from, stretch.f2, 0, from, &stretch);
  }
  return panels;
}

// Eight Gauss–Legendre points, ascending, and their weights, S included.
void append_points(const Panel& panel, IntegrationRule& rule) {
  using Rule = boost::math::quadrature::gauss<double, 8>;
  const double middle = 0.5 * (panel.from + panel.to), half = 0.5 * (panel.to - panel.from);
  const std::size_t points = Rule::abscissa().size();  // of the upper half
  const auto append = [&](double side, std::size_t g) {
    const double t = middle + side * half * Rule::abscissa()[g], f = frequency_on(panel, t);
    rule.frequency.push_back(f);
    rule.weight.push_back(half * Rule::weights()[g] * stretch_on(panel, t) * panel.input->at(f));
  };
  for (std::size_t g = points; g-- > 0;) append(-1, g);
  for (std::size_t g = 0; g < points; ++g) append(1, g);
}

// What says whether panels are fine enough: mean squares of the damped coordinates with ω^0, ω^2, ω^4, and of the
// base's own motion.
VectorXd mean_squares(const Transfer& transfer, const Panel& panel) {
  IntegrationRule rule;
  append_points(panel, rule);
  VectorXd all;
  for (std::size_t k = 0; k < rule.frequency.size(); ++k) {
    const double omega2 = std::pow(2 * pi * rule.frequency[k], 2), weight = rule.weight[k];
    const VectorXd square = (weight * transfer.squares(rule.frequency[k])).matrix();
    const Index m = square.size();
    if (k == 0) all = VectorXd::Zero(3 * m + 3);
    all.head(m) += square;
    all.segment(m, m) += omega2 * square;
    all.segment(2 * m, m) += omega2 * omega2 * square;
    all.tail<3>() += weight * Vector3(1 / (omega2 * omega2), 1 / omega2, 1);
  }
  return all;
}

// i^power
Complex turn(int power) {
  constexpr Complex turns[] = {{1, 0}, {0, 1}, {-1, 0}, {0, -1}};
  return turns[((power % 4) + 4) % 4];
}

// Γ from G_k = ∫ ω^k q qᴴ S, k = 0..4: block (d, e) of the modal part is i^d (−i)^e G_{d+e}. In real arithmetic, with
// q = a + ib: G = aaᵀ + bbᵀ + i(baᵀ − abᵀ).
// `states` holds the states times the roots of the weights.
MatrixXcd assemble_gamma(const Transfer& transfer, const std::vector<double>& frequencies,
                         const std::vector<double>& roots, const StateTable& states) {
  const StateLayout& layout = transfer.layout();
  const Index m = layout.modes, n = layout.motions, points = static_cast<Index>(frequencies.size());
  const Eigen::RowVectorXd omega = 2 * pi * Eigen::Map<const Eigen::RowVectorXd>(frequencies.data(), points),
                           root = Eigen::Map<const Eigen::RowVectorXd>(roots.data(), points);
  const MatrixXcd q = states.coordinates();
  const MatrixXd& sides = states.coordinates_side_by_side();  // a, then b
  const VectorXcd base = transfer.inputs().base.col(0);
  MatrixXcd gamma = MatrixXcd::Zero(layout.size(), layout.size());
  MatrixXd weighted = sides, cross(m, m);  // times ω^{power/2}
  const Eigen::RowVectorXd twice = omega.cwiseSqrt().replicate(1, 2);
  for (int power = 0; power <= 4; ++power) {
    MatrixXd real = MatrixXd::Zero(m, m);
    real.selfadjointView<Eigen::Lower>().rankUpdate(weighted);
    cross.noalias() = weighted.rightCols(points) * weighted.leftCols(points).transpose();
    MatrixXcd moment(m, m);
    moment.real() = real.selfadjointView<Eigen::Lower>();
    moment.imag() = cross - cross.transpose();
    for (int d = 0; d < 3; ++d)
      if (power - d >= 0 && power - d < 3)
        gamma.block(layout.modal(d), layout.modal(power - d), m, m) = turn(2 * d - power) * moment;
    if (power < 4) weighted.array().rowwise() *= twice.array();
  }
  // The bases' motion is (iω)^{e−2} times their acceleration.
  std::array<Eigen::RowVectorXd, 5> powers;  // ω^-2 to ω^2, times the root of the weight
  powers[0] = root.cwiseQuotient(omega).cwiseQuotient(omega);
  for (std::size_t p = 1; p < 5; ++p) powers[p] = powers[p - 1].cwiseProduct(omega);
  for (int d = 0; d < 3; ++d) {
    for (int e = 0; e < 3; ++e) {
      const Eigen::RowVectorXd& weight = powers[static_cast<std::size_t>(d + e)];
      const VectorXcd mixed = turn(d - (e - 2)) * (q * weight.transpose().cast<Complex>());
      gamma.block(layout.modal(d), layout.base(e), m, n) = mixed * base.adjoint();
      gamma.block(layout.base(e), layout.modal(d), n, m) = base * mixed.adjoint();
      const double own = powers[static_cast<std::size_t>(d)].dot(powers[static_cast<std::size_t>(e)]);
      gamma.block(layout.base(d), layout.base(e), n, n) = turn(d - e) * own * base * base.adjoint();
    }
  }
  return gamma;
}

// Rule, states and Γ of the panels.
void assemble(const Transfer& transfer, ModalCovariance& result) {
  result.rule = {};
  for (const Panel& panel : result.panels) append_points(panel, result.rule);
  std::vector<double> roots;
  for (const double weight : result.rule.weight) roots.push_back(std::sqrt(weight));
  result.states =
      StateTable(transfer, result.rule.frequency,
                 Eigen::Map<const Eigen::RowVectorXd>(roots.data(), static_cast<Index>(roots.size())).cast<Complex>());
  result.gamma = assemble_gamma(transfer, result.rule.frequency, roots, result.states);
}

}  // namespace

ModalCovariance integrate_covariance(const Transfer& transfer, const LogLogTable& input) {
  // Mean squares cost little: they say which panels are fine enough before the whole matrix is assembled once.
  std::vector<Panel> open = first_panels(transfer, input), done;
  std::vector<VectorXd> coarse;
  VectorXd total;
  for (const Panel& panel : open) {
    coarse.push_back(mean_squares(transfer, panel));
    total = total.size() == 0 ? coarse.back() : VectorXd(total + coarse.back());
  }
  ModalCovariance result;
  VectorXd change = VectorXd::Zero(total.size());
  const double allowed = 0.1 * covariance_tolerance / std::sqrt(static_cast<double>(open.size()));
  // A coordinate that nothing drives is what rounding leaves of the others: noise that no panel resolves. What a row
  // makes of those that cancel is judged by itself, in run_random.
  const double rounding = std::pow(nothing * transfer.damping().modes.condition(), 2);
  const auto relative = [&](const VectorXd& part) {
    const Index m = total.size() / 3 - 1;
    double worst = 0;
    const auto compare = [&](Index first, Index count, double floor) {
      for (Index i = first; i < first + count; ++i)
        if (total[i] > floor) worst = std::max(worst, std::abs(part[i]) / total[i]);
    };
    for (Index first = 0; m > 0 && first < 3 * m; first += m)
      compare(first, m, rounding * total.segment(first, m).maxCoeff());
    compare(3 * m, 3, 0);  // the base's own motion
    return worst;
  };
  while (!open.empty()) {
    const Panel panel = open.back();
    const VectorXd whole = coarse.back();
    open.pop_back();
    coarse.pop_back();
    const auto [first, second] = halves_of(panel);
    const VectorXd one = mean_squares(transfer, first), two = mean_squares(transfer, second);
    const VectorXd difference = one + two - whole;
    if (relative(difference) <= allowed || panel.halvings == most_halvings) {
      change += difference;
      done.push_back(panel);
      continue;
    }
    total += difference;
    open.insert(open.end(), {first, second});
    coarse.insert(coarse.end(), {one, two});
  }
  result.error = relative(change);
  if (result.error > covariance_tolerance)
    throw NumericalError(
        fmt::format("the RMS integral did not settle: a change of {:.1e} is left where {:.0e} is asked for",
                    result.error, covariance_tolerance));
  std::sort(done.begin(), done.end(),
            [](const Panel& a, const Panel& b) { return frequency_on(a, a.from) < frequency_on(b, b.from); });
  result.panels = std::move(done);
  assemble(transfer, result);
  return result;
}

void refine(const Transfer& transfer, const std::vector<bool>& panels, ModalCovariance& covariance) {
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
  assemble(transfer, covariance);
}

namespace {

// Values on the eight points to Legendre coefficients: (n + ½) P_n(x_i), row n.
using Eight = Eigen::Matrix<double, 8, 8>;
Eight legendre_of_points() {
  using Rule = boost::math::quadrature::gauss<double, 8>;
  constexpr int points = 8, half = 4;
  Eight all;
  for (int i = 0; i < points; ++i) {
    const double x = i < half ? -Rule::abscissa()[static_cast<std::size_t>(half - 1 - i)]
                              : Rule::abscissa()[static_cast<std::size_t>(i - half)];
    double before = 0, now = 1;  // P_{n−1}, P_n
    for (int n = 0; n < points; ++n) {
      all(n, i) = (n + 0.5) * now;
      const double next = ((2 * n + 1) * x * now - n * before) / (n + 1);
      before = now;
      now = next;
    }
  }
  return all;
}

}  // namespace

std::vector<double> rule_errors(std::span<const double> squares) {
  static const Eight legendre = legendre_of_points();
  constexpr std::size_t points = 8;
  double total = 0;
  std::vector<double> errors;
  for (std::size_t first = 0; first + points <= squares.size(); first += points) {
    // Coefficients (n + ½) Σ g_i h_i P_n(x_i) of the integrand; g_i h_i are the squares themselves.
    const Eigen::Matrix<double, 8, 1> coefficients =
        legendre.lazyProduct(Eigen::Map<const Eigen::Matrix<double, 8, 1>>(squares.data() + first));
    const double largest = coefficients.cwiseAbs().maxCoeff();
    const double tail = std::max(std::abs(coefficients[6]), std::abs(coefficients[7]));
    total += 2 * coefficients[0];
    // They fall as ρ⁻ⁿ; the rule errs by those from the sixteenth on.
    errors.push_back(largest > 0 ? 2 * largest * std::pow(tail / largest, 16 / 6.5) : 0);
  }
  for (double& error : errors) error = total > 0 ? error / total : 0;
  return errors;
}

namespace {

// Columns of the state that some row uses.
std::vector<Index> used_columns(const MatrixXcd& rows, const StateLayout& layout) {
  std::vector<Index> used;
  for (int block = 0; block < 6; ++block) {
    const Index first = block < 3 ? layout.modal(block) : layout.base(block - 3),
                count = block < 3 ? layout.modes : layout.motions;
    if (rows.middleCols(first, count).isZero(0)) continue;
    for (Index k = 0; k < count; ++k) used.push_back(first + k);
  }
  return used;
}

}  // namespace

MatrixXd block_covariances(const MatrixXcd& rows, int width, const ModalCovariance& covariance,
                           const StateLayout& layout) {
  const std::vector<Index> used = used_columns(rows, layout);
  const MatrixXcd own = rows(Eigen::all, used), gamma = covariance.gamma(used, used);
  const MatrixXd real = own.real(), imag = own.imag(), g = gamma.real();
  const bool all_real = imag.isZero(0);
  // With rows a + ib and Γ = G + iH: Re(ψΓψᴴ) = aGaᵀ + bGbᵀ + aHbᵀ − bHaᵀ.
  MatrixXd left = real * g, left_imaginary;
  if (!all_real) {
    const MatrixXd h = gamma.imag();
    left_imaginary = imag * g + real * h;
    left -= imag * h;
  }
  MatrixXd result(rows.rows(), width);
  for (Index first = 0; first < rows.rows(); first += width) {
    result.middleRows(first, width) = left.middleRows(first, width) * real.middleRows(first, width).transpose();
    if (!all_real)
      result.middleRows(first, width) +=
          left_imaginary.middleRows(first, width) * imag.middleRows(first, width).transpose();
  }
  return result;
}

VectorXd variance_shares(const Measure& measure, const ModalCovariance& covariance, const StateLayout& layout) {
  const Eigen::RowVectorXd parts =
      (measure.rows * covariance.gamma).cwiseProduct(measure.rows.conjugate()).real().colwise().sum();
  VectorXd shares = VectorXd::Zero(layout.modes + 2);
  for (int derivative = 0; derivative < 3; ++derivative) {
    shares.head(layout.modes) += parts.segment(layout.modal(derivative), layout.modes).transpose();
    shares[layout.modes] += parts.segment(layout.base(derivative), layout.motions).sum();
  }
  const double variance = shares.sum();
  if (variance > 0) shares /= variance;
  return shares;
}

double SpectralMoments::zero_crossings() const { return m0 > 0 ? std::sqrt(m2 / m0) : std::nan(""); }

double SpectralMoments::maxima() const { return m2 > 0 ? std::sqrt(m4 / m2) : std::nan(""); }

SpectralMoments spectral_moments(const IntegrationRule& rule, std::span<const double> squares) {
  SpectralMoments moments;
  for (std::size_t k = 0; k < squares.size(); ++k) {
    const double f = rule.frequency[k], part = rule.weight[k] * squares[k];
    moments.m0 += part;
    moments.m1 += f * part;
    moments.m2 += f * f * part;
    moments.m4 += f * f * f * f * part;
  }
  return moments;
}

double expected_largest(double zero_crossings, double duration) {
  const double cycles = 2 * zero_crossings * duration;
  if (!(cycles >= fewest_cycles)) return std::nan("");
  constexpr double euler = 0.57721566490153286;
  const double root = std::sqrt(2 * std::log(cycles));
  return root + euler / root;
}

std::vector<DominatingBand> dominating_bands(std::span<const double> grid, std::span<const double> psd,
                                             const IntegrationRule& rule, std::span<const double> squares) {
  std::vector<DominatingBand> bands;
  DominatingBand current{grid.front(), grid.front(), grid.front(), 0};
  double highest = psd.front();
  for (std::size_t i = 1; i < grid.size(); ++i) {
    if (psd[i] > highest) {
      highest = psd[i];
      current.frequency = grid[i];
    }
    const bool minimum = i + 1 < grid.size() && psd[i] <= psd[i - 1] && psd[i] < psd[i + 1] && highest > 1.5 * psd[i];
    if (!minimum && i + 1 < grid.size()) continue;
    current.to = grid[i];
    bands.push_back(current);
    current = {grid[i], grid[i], grid[i], 0};
    highest = psd[i];
  }
  double sum = 0;
  std::size_t band = 0;
  for (std::size_t k = 0; k < squares.size(); ++k) {
    while (band + 1 < bands.size() && rule.frequency[k] > bands[band].to) ++band;
    const double part = rule.weight[k] * squares[k];
    bands[band].share += part;
    sum += part;
  }
  if (sum > 0)
    for (DominatingBand& each : bands) each.share /= sum;
  std::stable_sort(bands.begin(), bands.end(),
                   [](const DominatingBand& a, const DominatingBand& b) { return a.share > b.share; });
  return bands;
}

std::vector<double> running_rms(std::span<const double> grid, std::span<const double> psd) {
  std::vector<double> result(grid.size(), 0);
  double area = 0;
  for (std::size_t i = 1; i < grid.size(); ++i) {
    if (psd[i - 1] > 0 && psd[i] > 0) area += PowerLaw{grid[i - 1], grid[i], psd[i - 1], psd[i]}.moment(0);
    result[i] = std::sqrt(area);
  }
  return result;
}

double curve_rms(std::span<const double> grid, std::span<const double> psd) {
  return grid.empty() ? 0 : running_rms(grid, psd).back();
}

}  // namespace avrenk
